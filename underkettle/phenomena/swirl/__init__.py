"""Turning about the axis of an axisymmetric vessel."""

from underkettle.phenomena.swirl.declaration import Swirl

__all__ = ["Swirl"]
