"""Electrostatics: the field of charges that rest, in vacuum, gases and insulators."""

from underkettle.phenomena.electrostatics.declaration import Electrostatics

__all__ = ["Electrostatics"]
