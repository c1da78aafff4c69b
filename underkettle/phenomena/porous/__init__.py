"""Porous matter in a stream's way."""

from underkettle.phenomena.porous.declaration import Porous

__all__ = ["Porous"]
