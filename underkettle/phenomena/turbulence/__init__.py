"""Eddies too fast to be followed, by what they do on the whole."""

from underkettle.phenomena.turbulence.declaration import Turbulent

__all__ = ["Turbulent"]
