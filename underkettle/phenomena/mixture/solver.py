"""Components as carried things that go with the stream's mass."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from underkettle.engine.contract import Problem
from underkettle.engine.transport import Carried, TransportSolver


@dataclass(frozen=True)
class _Times:
    """A law times a number."""

    law: Any
    factor: float

    def at(self, **where: Any) -> Any:
        return self.factor * self.law.at(**where)

    @property
    def steady(self) -> bool:
        return bool(self.law.steady)

    @property
    def reads(self) -> frozenset[str]:
        return frozenset(self.law.reads)


class MixtureSolver(TransportSolver):
    """Solves for mass fractions. Spreading reckons with the density that is given."""

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        density = float(s["density"])
        super().__init__(problem, [
            Carried(name, name.replace("_", " "), f"{name}.share",
                    *(2 * (_Times(member["diffusivity"], density),)), capacity=density,
                    unit="", amount="kg", density=density, called=name)
            for name, member in s["members"].items()])
