"""Fuel and air that burn as they mix."""

from underkettle.phenomena.flame.declaration import Flame

__all__ = ["Flame"]
