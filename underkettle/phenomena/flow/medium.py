"""What a stream consists of: density and viscosity, numbers or laws."""

from __future__ import annotations

from typing import Any, Literal

MEDIUM = ("density", "viscosity")
WHEN: dict[str, Literal["old", "new"]] = {"density": "new", "viscosity": "old"}  # laws follow


def follows(value: Any) -> bool:
    """Whether a density or viscosity is anything but one number."""
    return value is not None and not hasattr(value, "value")
