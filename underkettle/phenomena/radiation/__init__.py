"""Radiation in gases and other matter that absorbs it."""

from underkettle.phenomena.radiation.declaration import Radiation

__all__ = ["Radiation"]
