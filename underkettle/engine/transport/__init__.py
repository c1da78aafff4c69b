"""What a stream carries and diffusion spreads, whatever it is."""

from underkettle.engine.contract.laws import Times, Told
from underkettle.engine.transport.solver import TransportSolver
from underkettle.engine.transport.unknown import Carried, Solid

__all__ = ["Carried", "Solid", "Times", "Told", "TransportSolver"]
