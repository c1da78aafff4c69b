"""What is worth questioning about two fluids before a run."""

from __future__ import annotations

RULES = ()
