"""Dilute species."""

from underkettle.phenomena.species.declaration import Species

__all__ = ["Species"]
