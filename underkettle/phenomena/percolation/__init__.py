"""A stream that porous matter rules altogether."""

from underkettle.phenomena.percolation.declaration import Percolation

__all__ = ["Percolation"]
