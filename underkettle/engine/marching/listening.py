"""Who listens to a march and wants little of it."""

from __future__ import annotations

from typing import Any


class Quiet:
    """Wants nothing of what a march tells; take of it what is wanted."""

    def step(self, report: Any) -> None:
        """After every step or sweep."""

    def frame(self, *told: Any) -> None:
        """At every frame: stage, state, axis and where it stands on that."""

    def log(self, text: str, kind: str, state: Any) -> None:
        """What is said on the way."""

    def safe_point(self, state: Any) -> None:
        """Where the state is whole."""
