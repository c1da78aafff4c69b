"""Thin cloths and meshes in a stream's way."""

from underkettle.phenomena.cloth.declaration import Cloth

__all__ = ["Cloth"]
