"""Charge: potentials of conductors, the current they drive, and what passes from one to another."""

from underkettle.phenomena.charge.declaration import Charge

__all__ = ["Charge"]
