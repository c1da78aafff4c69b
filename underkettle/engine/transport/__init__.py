"""What a stream carries and diffusion spreads, whatever it is."""

from underkettle.engine.transport.member import Carried, Solid
from underkettle.engine.transport.solver import TransportSolver

__all__ = ["Carried", "Solid", "TransportSolver"]
