"""Transport of anything, with coefficients the modeller gives."""

from underkettle.phenomena.scalar.declaration import Scalar

__all__ = ["Scalar"]
