"""Warm fluid rises: the Boussinesq force."""

from underkettle.phenomena.buoyancy.declaration import Buoyancy

__all__ = ["Buoyancy"]
