"""What is dissolved in either of two fluids that do not mix, and crosses from one into the other."""

from underkettle.phenomena.solutes.declaration import Solutes

__all__ = ["Solutes"]
