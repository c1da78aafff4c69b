"""What the stream itself is made of, in mass fractions."""

from underkettle.phenomena.mixture.declaration import Mixture

__all__ = ["Mixture"]
