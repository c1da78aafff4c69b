"""What radiates from everywhere and is taken up elsewhere, as it is while temperatures are so."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Composition,
    Given,
    Inputs,
    Offer,
    Problem,
    Provides,
    Retold,
    Source,
    StepFailed,
    Temperature,
    Work,
)
from underkettle.engine.contract.laws import Number, Of
from underkettle.engine.marching.state import State
from underkettle.engine.transport import Carried, TransportSolver
from underkettle.matter.radiation import BEAM, GASES, STEFAN, grey
from underkettle.quantities import NOWHERE, Place
from underkettle.quantities.constants import GAS

Array = np.ndarray

ME = "radiation"
THINNEST = 1e-3  # 1/m, below which nothing would hold it back
COLDEST, HOTTEST = 1.0, 1e4  # K, within which temperatures are taken on the way to rest
TURNS, SETTLED = 30, 1e-8  # of a solve, which is linear but for its last digits


def black(temperature: Any) -> Any:
    """W/m2 from all sides, where all that is around is black and so warm (K)."""
    return 4.0 * STEFAN * temperature**4


def lets_through(emissivity: Any) -> Any:
    """W/m2 that a wall takes, over what arrives from all sides beyond its own (Marshak 1947)."""
    return emissivity / (2.0 * (2.0 - emissivity))


class _Spread:
    """How far it gets (m): a third of the mean way to where it is taken up, cell by cell."""

    steady = False
    reads: frozenset[str] = frozenset()

    def __init__(self, shape: tuple[int, ...]) -> None:
        self.absorbs = np.full(shape, THINNEST)

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return 1.0 / (3.0 * np.maximum(self.absorbs, THINNEST))


class _Turned(Retold):
    """The problem, with walls told by what they take and what is black at their temperature."""

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        found = {}
        for edge, given in self._problem.edge_conditions(member).items():
            values: dict[str, Any] = {}
            if given.has("temperature"):
                values["ambient"] = Of(given.values["temperature"], black)
                values["film"] = Of(given.values.get("emissivity", Number(1.0)), lets_through)
            found[edge] = Given(given.kind, values)
        return found


class RadiationSolver(TransportSolver):
    """Solves for what arrives in a place from all sides (W/m2): the first two moments of intensity."""

    def __init__(self, problem: Problem) -> None:
        settings = problem.settings()
        self.law, self.spread = settings["absorption"], _Spread(problem.mesh.shape[1:])
        super().__init__(
            problem=_Turned(problem),
            carried=[
                Carried(
                    "",
                    ME,
                    "incident",
                    self.spread,
                    self.spread,
                    unit="W/m2",
                    amount="J",
                    carry=0.0,
                    called="incident",
                    follows=(ME, self._sends),
                )
            ],
        )
        self.names = {n: problem.state_name(n) for n in ("absorbs", "warm", "at", "slope", "loses")}
        self.path = self._mean_path(settings.get("path"))

    def _mean_path(self, told: float | None) -> float:
        """m, through the whole of it."""
        walls = float(self.mesh.pieces.area.sum())
        return float(told) if told else BEAM * float(self.mesh.volume.sum()) / max(walls, 1e-300)

    def start(self, state: State) -> None:
        super().start(state)
        for name in self.names.values():
            state.fields[name] = np.zeros(self.mesh.shape)

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "radiation follows at once"

    def _array(self, state: State, name: str) -> Array:
        return state.fields[self.names[name]][0]

    def look(self, state: State, inputs: Inputs) -> None:
        """What absorbs, and what is sent out, as warm as it is."""
        warm = inputs.get(Temperature, FLUID)
        if warm is None:
            raise StepFailed(ME, "the whole vessel", "nothing tells how warm it is")
        live = self.mesh.live[0]
        t = np.where(live, np.clip(warm.value[0], COLDEST, HOTTEST), COLDEST)
        reads = self.law.reads
        known = self.problem.known(state, reads) if reads else {}
        absorbs = np.zeros(t.shape)
        absorbs[:] = self.law.at(self.mesh.place(state.time), known)
        absorbs += self._of_gas(inputs, t)
        self.spread.absorbs = self.mesh.grid.wrap(np.where(live, absorbs, 0.0))
        self._array(state, "absorbs")[:] = self.spread.absorbs
        self._array(state, "warm")[:] = t
        self._array(state, "at")[:] = t if warm.balanced is None else warm.balanced[0]
        self._array(state, "slope")[:] = 1.0 if warm.slope is None else warm.slope[0]

    def _of_gas(self, inputs: Inputs, t: Array) -> Array | float:
        """1/m that the gas's own water and carbon dioxide absorb."""
        there = inputs.get(Composition, FLUID)
        if there is None:
            return 0.0
        both = []
        for name in GASES:
            amount = there.of(name)
            both.append(np.zeros(t.shape) if amount is None else amount * GAS * t)
        water, dioxide = both
        return grey(water, dioxide, t, self.path)

    def _sends(self, state: State) -> Source:
        absorbs, warm = (state.fields[self.names[n]] for n in ("absorbs", "warm"))
        return Source(absorbs * black(warm) * self.mesh.volume, absorbs * self.mesh.volume)

    def _keep(self, state: State) -> None:
        """Keep what every place loses (W/m3)."""
        absorbs, warm = self._array(state, "absorbs"), self._array(state, "warm")
        self._array(state, "loses")[:] = absorbs * (black(warm) - self._arrives(state))

    def _arrives(self, state: State) -> Array:
        """W/m2, never below nought."""
        return np.asarray(np.maximum(self.carrying.of(state, self.members[0]), 0.0))

    # ------------------------------------------------------------ solving

    @property
    def alternates(self) -> bool:
        return False

    def relax(self, state: State, inputs: Inputs) -> Work:
        work = super().relax(state, inputs)
        self._keep(state)
        return work

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        taken = 0
        for _ in range(TURNS):
            work = self.relax(state, inputs)
            taken += work.iterations
            if max(work.residuals.values(), default=0.0) < SETTLED:
                break
        work.iterations = taken
        return work

    def imbalance(self, state: State, inputs: Inputs) -> Array:
        found = super().imbalance(state, inputs)
        self._keep(state)
        return found

    def arrived(self, state: State, inputs: Inputs) -> str:
        said = super().arrived(state, inputs)
        self._keep(state)
        return said

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        """What is taken up less what is sent out, as a line over what heat is balanced by that leads to
        where both are even.
        """
        names = ("absorbs", "warm", "at", "slope", "loses")
        absorbs, warm, at, slope, loses = (state.fields[self.names[n]] for n in names)
        even = (self._arrives(state) / (4.0 * STEFAN)) ** 0.25
        stiffens = 4.0 * STEFAN * absorbs * (even + warm) * (even**2 + warm**2)
        falls = stiffens * slope * self.mesh.volume
        return Source(falls * at - loses * self.mesh.volume, falls)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        found = super().balance(state, t0, t1)
        if t1 <= t0:
            return found
        return {name: replace(b.per(1.0 / (t1 - t0)), unit="J") for name, b in found.items()}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.carrying.name(self.members[0]): (-np.inf, np.inf)}
