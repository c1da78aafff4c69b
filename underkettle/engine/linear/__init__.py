"""Symmetric elliptic systems on the grid: multigrid-preconditioned conjugate gradients."""

from underkettle.engine.linear.helmholtz import Helmholtz
from underkettle.engine.linear.multigrid import Multigrid

__all__ = ["Helmholtz", "Multigrid"]
