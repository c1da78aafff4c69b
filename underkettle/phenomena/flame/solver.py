"""The share that is fuel, how far from mixed it is, the heat it has lost and the NO it has made are
carried together; everything else is looked up.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Carrier,
    Given,
    Inputs,
    Offer,
    Problem,
    Provides,
    Retold,
    Source,
    StepFailed,
    Temperature,
    Turbulence,
    Work,
)
from underkettle.engine.contract.offers import AnyOffer
from underkettle.engine.marching.state import State
from underkettle.engine.operators.diffusion import slopes
from underkettle.engine.transport import Carried, Times, Told, TransportSolver
from underkettle.engine.transport.stirred import stirred
from underkettle.engine.transport.unknown import Unknown
from underkettle.matter.burnt import burnt
from underkettle.matter.thermo import ThermoError, substances
from underkettle.phenomena.flame.seen import streams_of, within
from underkettle.quantities import NOWHERE, Place

Array = np.ndarray

ME = "flame"  # who gives to itself, as balances name it
VARIES = "variance"
TURNS = 0.09  # of the energy of eddies, that is dissipated each time they turn over
# of what holds values, by which they are held to what they were: at first, and how that follows
FIRST_HELD, EASED, TIGHTENED, LEAST_HELD, MOST_HELD = 0.2, 0.8, 1.5, 0.005, 0.5
RISES = 1.2  # of how much a sweep changes, that is still no step back
NUDGE = 1.0  # J/kg, over which it is seen how radiation falls


@dataclass(frozen=True)
class _Unmixed:
    """The variance of a stream that is not mixed through: of the largest there can be."""

    share: Any
    unmixed: Any

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        share = self.share.at(place, known)
        return self.unmixed.at(place, known) * share * (1.0 - share)

    @property
    def steady(self) -> bool:
        return bool(self.share.steady and self.unmixed.steady)

    @property
    def reads(self) -> frozenset[str]:
        return frozenset(self.share.reads) | frozenset(self.unmixed.reads)


def _hidden(given: Given, member: str) -> Given:
    """The condition of what nobody is asked about: the stream brings nothing of it unless it is said to
    be unmixed, and takes it along.
    """
    if not given.through:
        return Given("sealed", {})
    if member != VARIES or not given.has("unmixed"):
        return Given(given.kind, {}, given.through)
    value = _Unmixed(given.values["value"], given.values["unmixed"])
    return Given(given.kind, {"value": value}, given.through)


class _WithHidden(Retold):
    """The problem, where what nobody is asked about enters with nothing and leaves as it is."""

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        own = self._problem.edge_conditions("")
        if not member:
            return own
        return {edge: _hidden(given, member) for edge, given in own.items()}

    def start_conditions(self, member: str = "") -> Mapping[str, Given]:
        own = self._problem.start_conditions("")
        return own if not member else {zone: Given("start", {}) for zone in own}

    def zone_conditions(self, member: str = "") -> Mapping[str, Given]:
        return {}

    def divide_conditions(self, member: str = "") -> Mapping[str, Given]:
        return self._problem.divide_conditions("") if not member else {}

    def called(self, quantity: str) -> Sequence[str]:
        return (VARIES,) if quantity == VARIES else self._problem.called(quantity)


class _Among:
    """What others offer, and what it gives to itself, which is worked out once somebody asks."""

    def __init__(self, inputs: Inputs, own: Callable[[str], Mapping[str, Source]]) -> None:
        self._inputs, self._own = inputs, cache(own)

    def get(self, kind: type[AnyOffer], of: str = "") -> AnyOffer | None:
        return self._inputs.get(kind, of)

    def each(self, kind: type[AnyOffer], of: str = "") -> Mapping[str, AnyOffer]:
        found: Mapping[str, Any] = self._inputs.each(kind, of)
        own: Mapping[str, Any] = self._own(of.removeprefix(f"{ME}.")) if kind is Source else {}
        return {**found, **own}


class FlameSolver(TransportSolver):
    """Solves for the share that is fuel and what goes with it."""

    # density bends sharply where gas and air are even: in turn with the stream it comes to rest sooner
    # than by slopes of all together, and where turns lead is not extrapolated
    couples = False
    guessed = False
    patient = 60  # turns that may pass without progress

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        streams = streams_of(s)
        assert streams is not None
        try:
            self.table = burnt(streams)
        except ThermoError as error:
            raise StepFailed("flame", "the whole vessel", str(error)) from error
        own = float(s.get("density") or 1.0 / self.table.look(["volume"], 0.0, 0.0, 0.0)[0])
        law = s.get("diffusivity")
        by = "" if s.get("density") else "flame.burnt_density"
        spread = Told("flame.spreading") if law is None else Times(law, own, by)
        self.mixing = float(s["mixing"])
        self.held = 0.0

        def carried(
            name: str, words: str, array: str, unit: str = "", amount: str = "kg"
        ) -> Carried:
            return Carried(
                name,
                words,
                array,
                spread,
                spread,
                capacity=own,
                unit=unit,
                amount=amount,
                density=own,
                called=array,
                in_pores="dissolved",
            )

        members = [carried("", "fuel", "fuel"), carried(VARIES, "fluctuations", VARIES)]
        if s["radiates"]:
            members.append(carried("heat_lost", "heat lost", "heat_lost", "J/kg", "J"))
        if s["nitric_oxide"]:
            members.append(carried("NO", "nitric oxide", "NO"))
        super().__init__(_WithHidden(problem), members)
        self.names = {m.what.array: self.carrying.name(m) for m in self.members}

    # ------------------------------------------------------------ what it gives to itself

    def _now(self, state: State) -> dict[str, Array]:
        found = {f"flame.{n}": state.fields[key][0] for n, key in self.names.items()}
        share = found["flame.fuel"]
        found.setdefault("flame.heat_lost", np.zeros(share.shape))
        return found

    def _among(self, state: State, inputs: Inputs) -> Inputs:
        def own(quantity: str) -> Mapping[str, Source]:
            if quantity == VARIES:
                return self._eddies(state, inputs)
            if quantity not in ("heat_lost", "NO"):
                return {}
            known = self._now(state)
            where = within(known)
            if quantity == "NO":
                return {ME: self._nitric(known["flame.NO"], *where)}
            return {ME: self._radiated(*where)}

        return _Among(inputs, own)

    def _radiated(self, share: Array, unmixed: Array, lost: Array) -> Source:
        """What is lost, along its tangent."""
        radiates, volume = self.table.look(["radiates", "volume"], share, unmixed, lost)
        next_ = self.table.look(["radiates"], share, unmixed, lost + NUDGE)[0]
        falls = np.maximum(radiates - next_, 0.0) / NUDGE
        mass = self.mesh.volume[0] / volume
        return Source((mass * (radiates + falls * lost))[None], (mass * falls)[None])

    def _eddies(self, state: State, inputs: Inputs) -> dict[str, Source]:
        """What eddies make of differences, and how they wear down."""
        eddies, carrier = inputs.get(Turbulence, FLUID), inputs.get(Carrier, FLUID)
        if eddies is None or carrier is None or carrier.density is None:
            return {}
        live = self.carrying.live
        rho = np.where(live, carrier.density[0], 0.0)
        plain = np.where(live, carrier.viscosity[0], 0.0) if carrier.viscosity is not None else rho
        mu = np.where(live, eddies.viscosity[0], 0.0)
        steep = self._steepness(state.fields[self.names["fuel"]][0])
        cells = self.mesh.volume[0]
        made = 2.0 * stirred(mu, plain) * steep * cells
        worn = self.mixing * TURNS * rho * np.where(live, eddies.rate[0], 0.0) * cells
        return {ME: Source(made[None], worn[None])}

    def _steepness(self, share: Array) -> Array:
        """The square of the gradient (1/m2) of the share that is fuel, walls letting none through."""
        live, found = self.carrying.live, np.zeros(share.shape)
        for before, after in slopes(share, self.mesh.grid, live):
            found += 0.5 * (before**2 + after**2)
        return np.where(live, found, 0.0)

    def _nitric(self, now: Array, share: Array, unmixed: Array, lost: Array) -> Source:
        """2 R (1 - x^2) / (1 + x back), along its tangent; x over equilibrium."""
        mass = substances()["NO"].molar_mass
        rate, back, most, volume = self.table.look(
            ["nitric", "nitric_back", "NO", "volume"], share, unmixed, lost
        )
        most = np.maximum(most * mass, 1e-12)
        x = np.clip(now / most, 0.0, 2.0)
        below = 1.0 + x * back
        made = 2.0 * mass * rate * (1.0 - x * x) / below
        slope = -2.0 * mass * rate * (2.0 * x * below + (1.0 - x * x) * back) / below**2 / most
        cells = self.mesh.volume[0] / volume
        falls = np.maximum(-slope, 0.0)
        return Source((cells * (made + falls * now))[None], (cells * falls)[None])

    # ------------------------------------------------------------ with what it gives to itself

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return super().limit(state, self._among(state, inputs))

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return super().advance(state, t0, t1, self._among(state, inputs))

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep; how much values are held falls as long as sweeps change less than those before."""
        share, before = (self.problem.state_name(n) for n in ("share", "changed"))
        begins = self.problem.state_name("sweeping")
        if state.numbers.get(begins) != state.leg:
            state.numbers.update({begins: state.leg, share: FIRST_HELD, before: np.inf})
        self.held = state.numbers[share]
        work = super().relax(state, inputs)
        now = max(work.residuals.values())
        way = EASED if now < RISES * state.numbers[before] else TIGHTENED
        state.numbers[share] = float(np.clip(way * self.held, LEAST_HELD, MOST_HELD))
        state.numbers[before] = now
        return work

    def _share(self, member: Unknown, inputs: Inputs) -> float:
        if member.what.name == "NO":  # which nothing else feels
            return 0.0
        return super()._share(member, inputs) or self.held

    def _seen(self, state: State, inputs: Inputs, in_turn: bool = False) -> Any:
        return super()._seen(state, self._among(state, inputs), in_turn)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        found = super().balance(state, t0, t1)
        found.pop(VARIES, None)  # eddies make it and wear it down: nothing that is conserved
        return found

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return super().terms(state, self._among(state, inputs), member)

    def offer(self, what: Provides, state: State) -> Offer | None:
        found = self.table.look(["temperature"], *within(self._now(state)))[0]
        return Temperature(self.mesh.grid.wrapped(np.where(self.carrying.live, found, 0.0)[None]))
