"""Two fluids that do not mix, with a sharp interface between them."""

from underkettle.phenomena.two_fluids.declaration import TwoFluids

__all__ = ["TwoFluids"]
