"""Side sums: small calculators whose result can be sent into a case."""

from underkettle.sums.all import SUMS, side_sum
from underkettle.sums.sum import SideSum, SumError

__all__ = ["SUMS", "SideSum", "SumError", "side_sum"]
