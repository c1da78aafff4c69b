"""A hydrogen cell at rest with what its edges do: all of it is solved for at once."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Budget,
    Given,
    Inputs,
    Offer,
    Problem,
    Provides,
    Source,
    StepFailed,
    Work,
)
from underkettle.engine.contract.laws import where_it_begins
from underkettle.engine.marching.state import State
from underkettle.phenomena.hydrogen_cell import matter
from underkettle.phenomena.hydrogen_cell.layout import Ends, Layout
from underkettle.phenomena.hydrogen_cell.losses import losses, supplied
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR,
    DRAWN,
    FED,
    FILLS,
    FIRST,
    FUEL,
    FUEL_FED,
    HELD,
    HERE,
    LIQUID,
    LOST,
    PRESSURE,
    PROTON,
    SOLID,
    UNKNOWN,
    VAPOUR,
    WATER,
)
from underkettle.phenomena.hydrogen_cell.system import Laws, Passing, System, Told
from underkettle.quantities.constants import FARADAY
from underkettle.quantities.words import headed

Array = np.ndarray

LEAST_REPELLED = 0.01  # cosine of an angle, below which no liquid would leave pores
MADE = "current_x", "current_y", "speed_x", "speed_y", "reacts", "heat", "full", "condenses"
EDGES = ("terminal", "reversible", "used", *LOST)
GUESS = 0.7  # V between electrodes, where nothing is known yet
WETNESS, DAMP = 10.0, 0.02  # water per site, share of pores with liquid, to begin with
AGAIN = 20.0  # times the change that a solve ends with, which the next may find by rounding
STEPS = 12  # of a way by voltages
LEAST, MOST = 0.02, 2.5  # V between the electrodes, beyond which more current is not looked for
ELECTRONS = 2.0, 4.0  # that pass with a molecule of hydrogen, and of oxygen
AMOUNTS = "hydrogen", "oxygen", "water", "other_gas"


class HydrogenCellSolver:
    """Solves for potentials, gases and water; see `system.py`."""

    def __init__(self, problem: Problem) -> None:
        settings = self.settings = problem.settings()
        self.problem, self.mesh = problem, problem.mesh
        self.layout = Layout(problem)
        self.system = System(
            self.layout,
            Laws(
                {
                    "cathodic": float(settings["air_cathodic"]),
                    "anodic": float(settings["air_anodic"]),
                    "order": float(settings["air_order"]),
                },
                {
                    "anodic": float(settings["fuel_anodic"]),
                    "cathodic": float(settings["fuel_cathodic"]),
                    "order": float(settings["fuel_order"]),
                },
                float(settings["takes_up"]),
                float(settings["condenses"]),
                float(settings["sites"]),
                float(settings["crossover"]),
                settings["liquid"] == FILLS,
                max(-math.cos(float(settings["angle"])), LEAST_REPELLED),
            ),
        )
        self.warms = bool(settings["warms"])
        laws = [settings["temperature"]]
        laws += [
            v for g in self.layout.edges.values() for v in g.values.values() if hasattr(v, "reads")
        ]
        self.reads = frozenset().union(*(law.reads for law in laws))
        self.seen: Passing | None = None

    # ------------------------------------------------------------ the state

    def _name(self, array: str) -> str:
        return self.problem.state_name(array)

    def _of(self, state: State, array: str) -> Array:
        found = state.fields[self._name(array)]
        return found[0] if found.ndim == 3 else found

    def start(self, state: State) -> None:
        for name in (*UNKNOWN, *MADE):
            state.fields[self._name(name)] = np.zeros(self.mesh.shape)
        there = np.zeros((len(UNKNOWN) + 2, *self.mesh.shape[1:]))
        there[: len(UNKNOWN), self.layout.live] = self.system.there
        for side in (FUEL, AIR):  # where gas is, by side
            own = self.system.there[PRESSURE] & (self.layout.side == side)
            there[len(UNKNOWN) + side, self.layout.live] = own
        state.fields[self._name("there")] = there
        for name in EDGES:
            state.fields[self._name(name)] = np.full(len(self.mesh.edges), np.nan)
        state.numbers[self._name("solved")] = 0.0

    def _taken(self, state: State) -> Array:
        """Unknowns as the state holds them."""
        u = np.zeros((len(UNKNOWN), self.layout.size))
        for k, name in enumerate(UNKNOWN):
            u[k] = self._of(state, name)[self.layout.live]
        joined = self._of(state, "terminal")
        return self.system.fold(u, {k: float(v) for k, v in enumerate(joined) if np.isfinite(v)})

    def _keep(self, state: State, x: Array) -> None:
        for part, name in zip(self.system.unfold(x), UNKNOWN, strict=True):
            self._of(state, name)[self.layout.live] = part
            self.mesh.grid.wrap(self._of(state, name))
        terminal = self._of(state, "terminal")
        terminal[:] = np.nan
        for edge, volts in self._joined(x).items():
            terminal[edge] = volts
        state.numbers[self._name("solved")] = 1.0

    def _joined(self, x: Array) -> dict[int, float]:
        told = self.system.told
        assert told is not None
        found = {e: v for e, v in told.held.items() if e in self.system.terminals}
        return {**found, **{e: float(x[k]) for e, k in self.system.far.items()}}

    # ------------------------------------------------------------ what is told

    def _set(self, state: State, t: float) -> None:
        """Evaluate laws and edges at a time (s)."""
        layout, mesh = self.layout, self.mesh
        seen = replace(state, time=t)
        known = self.problem.known(seen, self.reads) if self.reads else {}
        temperature = layout.at_cells(self.settings["temperature"], t, known)
        told = Told(temperature, float(self.settings["pressure"]))
        for k, name in enumerate(mesh.edges):
            given = layout.edges[name]
            if given.kind == HELD or given.kind in DRAWN:
                told.contact[k] = float(given.values.get("contact") or 0.0)
            if given.kind == HELD:
                told.held[k] = where_it_begins(given.values["value"], self.mesh, k, t, known)
            elif given.kind in DRAWN:
                if given.has("current"):
                    told.drawn[k] = where_it_begins(given.values["current"], self.mesh, k, t, known)
                else:
                    per = where_it_begins(given.values["density"], self.mesh, k, t, known)
                    told.drawn[k] = per * layout.area
            elif given.kind in FED:
                mine = layout.fed_ends.cell[layout.fed_ends.edge == k]
                if mine.size:
                    told.fed[k] = self._fed(given, k, mine, temperature, known, t)
            elif given.kind in HERE:
                mine = layout.gas_ends.cell[layout.gas_ends.edge == k]
                if mine.size:
                    told.here[k] = self._shares(given, k, mine, temperature, known, t)
        self.system.tell(told)

    def _shares(
        self, given: Given, edge: int, cells: Array, temperature: Array, known: Any, t: float
    ) -> tuple[float, float]:
        """Of the first gas and of vapour, in gas that comes."""
        dry = where_it_begins(given.values["dry"], self.mesh, edge, t, known)
        humid = where_it_begins(given.values["humidity"], self.mesh, edge, t, known)
        full = float(np.mean(matter.saturation(temperature[cells])))
        vapour = humid * full / float(self.settings["pressure"])
        if vapour >= 1.0:
            raise StepFailed(
                "vapour",
                f"edge {self.mesh.edges[edge]}",
                "so hot and moist it is nothing but vapour: lower its humidity or the temperature, or "
                "raise the pressure",
                is_final=True,
            )
        return dry * (1.0 - vapour), vapour

    def _fed(
        self, given: Given, edge: int, cells: Array, temperature: Array, known: Any, t: float
    ) -> tuple[float, float, float]:
        """mol/s in all, and shares."""
        first, vapour = self._shares(given, edge, cells, temperature, known, t)
        times = where_it_begins(given.values["times"], self.mesh, edge, t, known)
        per = where_it_begins(given.values["at"], self.mesh, edge, t, known)
        electrons = ELECTRONS[FUEL if given.kind == FUEL_FED else AIR]
        needed = per * self.layout.area / (electrons * FARADAY)
        return times * needed / first, first, vapour

    # ------------------------------------------------------------ solving

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "the cell follows at once"

    def relax(self, state: State, inputs: Inputs) -> Work:
        return self._settle(state, state.time)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self._settle(state, t1)

    def _settle(self, state: State, t: float) -> Work:
        self._set(state, t)
        is_known = bool(state.numbers[self._name("solved")])
        begun = self._taken(state) if is_known else self._guessed()
        x, passing, turns = self._solved(begun, is_known)
        moved = self.system.measure(x - begun)
        if moved <= AGAIN * self.system.off:  # what rounding leaves
            moved = 0.0
        self._keep(state, x)
        self._tell(state, x, passing)
        return Work(turns, {"cell": moved}, whole=True, way="one solve of all")

    def _solved(self, begun: Array, is_known: bool) -> tuple[Array, Passing, int]:
        """From there; where that leads nowhere, from a cell that knows nothing; and then by voltages
        that are nearer and nearer to what is asked. Unknowns, what passes, and turns.
        """
        system, turns = self.system, 0
        for again in (False, True) if is_known else (False,):
            try:
                x, passing = system.solve(self._guessed() if again else begun)
                return x, passing, turns + system.turns
            except StepFailed as failure:
                if failure.is_final:
                    raise
                turns += system.turns
        return self._drawn(turns) if system.far else self._held(turns)

    def _held(self, turns: int) -> tuple[Array, Passing, int]:
        """From the voltage that is guessed to those that are held, in steps."""
        system, told = self.system, self.system.told
        assert told is not None
        air = [e for e in told.held if self._is_air(e)]
        low = np.mean([v for e, v in told.held.items() if e not in air])
        x: Array | None = None
        for share in np.linspace(0.0, 1.0, STEPS):
            held = {
                e: (v if e not in air else low + GUESS + share * (v - low - GUESS))
                for e, v in told.held.items()
            }
            system.tell(replace(told, held=held))
            x, passing = system.solve(self._guessed() if x is None else x)
            turns += system.turns
        assert x is not None
        return x, passing, turns

    def _drawn(self, turns: int) -> tuple[Array, Passing, int]:
        """By voltages that are held, lower and lower (or higher, where water is split), until enough
        flows; then by the current. Raises StepFailed with the most that flows.
        """
        system, told = self.system, self.system.told
        assert told is not None
        edges = list(system.far)
        edge = edges[0]
        if len(edges) != 1:
            raise StepFailed("cell", "the whole sheet", "no voltages are found for those currents")
        sign = 1.0 if self._is_air(edge) else -1.0
        way = 1.0 if sign * told.drawn[edge] >= 0 else -1.0
        wanted, most, x = abs(told.drawn[edge]), 0.0, None
        rest = float(np.mean(list(told.held.values()) or [0.0]))
        for volts in np.linspace(GUESS, LEAST if way > 0 else MOST, STEPS):
            at = rest + sign * float(volts)
            system.tell(replace(told, held={**told.held, edge: at}, drawn={}))
            x, passing = system.solve(self._guessed() if x is None else x)
            turns += system.turns
            flows = -way * sign * float(passing.ends[self.layout.solid_ends.edge == edge].sum())
            most = max(most, flows)
            if flows >= wanted:
                kept = system.unfold(x)
                system.tell(told)
                found, passing = system.solve(system.fold(kept, {edge: at}))
                return found, passing, turns + system.turns
        raise StepFailed(
            "current",
            f"edge {self.mesh.edges[edge]}",
            f"{wanted:.4g} A are asked of it, and {most:.4g} A is the most that gases can bring: "
            "draw less, or feed more",
            is_final=True,
        )

    def _is_air(self, edge: int) -> bool:
        ends = self.layout.solid_ends
        return bool((self.layout.electrode[ends.cell[ends.edge == edge]] == AIR).any())

    def _guessed(self) -> Array:
        """A cell that knows nothing: gases as they are brought, potentials by what is held."""
        system, layout, told = self.system, self.layout, self.system.told
        assert told is not None
        u = np.zeros((len(UNKNOWN), layout.size))
        on_air = {e: v for e, v in told.held.items() if self._is_air(e)}
        on_fuel = {e: v for e, v in told.held.items() if e not in on_air}
        low = float(np.mean(list(on_fuel.values()))) if on_fuel else None
        high = float(np.mean(list(on_air.values()))) if on_air else None
        low = (high - GUESS if high is not None else 0.0) if low is None else low
        high = low + GUESS if high is None else high
        u[SOLID] = np.where(layout.electrode == AIR, high, low)
        u[WATER], u[PRESSURE], u[LIQUID] = WETNESS, system.streaming(), DAMP
        u[PROTON] = low
        for side, (first, vapour) in enumerate(supplied(system)):
            mine = layout.side == side
            u[FIRST][mine], u[VAPOUR][mine] = first, vapour
            if side == FUEL:
                u[FIRST][layout.is_membrane] = 0.5 * first
        return system.fold(u, {e: high if self._is_air(e) else low for e in system.floating})

    # ------------------------------------------------------------ what is kept of it

    def _tell(self, state: State, x: Array, passing: Passing) -> None:
        system, layout, told = self.system, self.layout, self.system.told
        assert told is not None
        u, beyond = system.unfold(x), system.beyond(x)
        self.seen = passing
        current = np.zeros((2, layout.size))
        f, s, g = layout.wet_faces, layout.solid_faces, system.gas_faces
        for faces, along in ((f, passing.protons), (s, passing.solid)):
            current += self._middle(faces, along)
        current += self._at_ends(layout.solid_ends, -passing.ends)
        per = 1.0 / system.concentration
        speed = self._middle(g, passing.total) + self._at_ends(layout.gas_ends, passing.leaves[2])
        speed += self._at_ends(layout.fed_ends, -system.fed[2])
        for name, values in (
            ("current_x", current[0]),
            ("current_y", current[1]),
            ("speed_x", speed[0] * per),
            ("speed_y", speed[1] * per),
        ):
            self._of(state, name)[layout.live] = values / layout.volume
        reacts = passing.reacts[FUEL] + passing.reacts[AIR]
        self._of(state, "reacts")[layout.live] = reacts / layout.volume
        self._of(state, "condenses")[layout.live] = passing.condenses / layout.volume
        self._of(state, "full")[layout.live] = system.vapour_full
        heat = self._heat(u, beyond, passing)
        self._of(state, "heat")[layout.live] = heat / layout.volume
        for name in EDGES[1:]:
            self._of(state, name)[:] = np.nan
        if any(self._is_air(e) for e in self._joined(x)):
            found = losses(system, u, beyond, passing)
            for edge in self._joined(x):
                if self._is_air(edge):
                    self._of(state, "reversible")[edge] = found.reversible
                    for cause, volts in found.by.items():
                        self._of(state, cause)[edge] = volts
        for side in (FUEL, AIR):
            own = [e for e in told.fed if layout.brings(e) == side]
            brought = sum(amount * first for amount, first, _ in (told.fed[e] for e in own))
            uses = float(passing.reacts[side].sum()) / (ELECTRONS[side] * FARADAY)
            for edge in own:
                self._of(state, "used")[edge] = uses / brought

    def _middle(self, faces: Any, along: Array) -> Array:
        """What flows along x and y in the middle of cells, times their volume: the mean over a cell of
        what passes its faces.
        """
        found, grid = np.zeros((2, self.layout.size)), self.mesh.grid
        for axis in (0, 1):
            mine = faces.axis == axis
            half = 0.5 * grid.widths(axis)
            lines = (self.layout.column, self.layout.row)[axis]
            for cells in (faces.a[mine], faces.b[mine]):
                np.add.at(found[axis], cells, along[mine] * half[lines[cells]])
        return found

    def _at_ends(self, ends: Ends, out: Array) -> Array:
        """The same of what leaves through edges."""
        found, grid = np.zeros((2, self.layout.size)), self.mesh.grid
        for axis in (0, 1):
            mine = ends.axis == axis
            half = 0.5 * grid.widths(axis)
            lines = (self.layout.column, self.layout.row)[axis]
            cells = ends.cell[mine]
            np.add.at(found[axis], cells, (out * ends.out)[mine] * half[lines[cells]])
        return found

    def _heat(self, u: Array, beyond: Array, passing: Passing) -> Array:
        """W in every cell: what resists, what reactions take, and what burning to vapour gives beyond
        what current carries off. Hydrogen that crosses burns where it arrives.
        """
        layout, system = self.layout, self.system
        told = system.told
        assert told is not None
        found = np.zeros(layout.size)
        conducts = layout.protons * matter.membrane_conducts(u[WATER], told.temperature)
        for faces, along, values, eased in (
            (layout.wet_faces, passing.protons, u[PROTON], conducts),
            (layout.solid_faces, passing.solid, u[SOLID], layout.solid),
        ):
            lost = along * (values[faces.a] - values[faces.b])
            one, two = faces.of_a * eased[faces.a], faces.of_b * eased[faces.b]
            share = two / (one + two)  # as what resists in either half
            np.add.at(found, faces.a, share * lost)
            np.add.at(found, faces.b, (1.0 - share) * lost)
        ends = layout.solid_ends
        np.add.at(found, ends.cell, passing.ends * (beyond - u[SOLID][ends.cell]))
        over = u[SOLID] - u[PROTON]
        found += passing.reacts[FUEL] * over
        found += passing.reacts[AIR] * (matter.E_HEAT - over) + passing.burns * over
        found += matter.LATENT * passing.condenses
        return found

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        return Source(state.fields[self._name("heat")] * self.mesh.volume)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        if self.seen is None:
            return {}
        passing = self.seen
        layout, system, edges = self.layout, self.system, self.mesh.edges
        span = t1 - t0 if t1 > t0 else 1.0
        in_time = t1 > t0
        charge = Budget("C" if in_time else "A", label="Charge")
        charge.moved = span * float(np.abs(passing.reacts[AIR]).sum())
        for edge in np.unique(layout.solid_ends.edge):
            out = -float(passing.ends[layout.solid_ends.edge == edge].sum())
            charge.cross(edges[edge], span * out)
        found = {"cell_charge": charge}
        feeds = system.fed
        per = 1.0 / FARADAY
        hydrogen, oxygen = (float(r.sum()) for r in passing.reacts)
        burns = float(passing.burns.sum())
        made = {
            "hydrogen": -0.5 * per * (hydrogen + burns),
            "oxygen": -0.25 * per * oxygen,
            "water": 0.5 * per * oxygen - float(passing.condenses.sum()),
            "other_gas": 0.0,
        }
        for name in AMOUNTS:
            budget = Budget("mol" if in_time else "mol/s", label=headed(name))
            for ends, amounts in (
                (layout.fed_ends, [-f for f in feeds]),
                (layout.gas_ends, passing.leaves),
            ):
                own = self._amount(name, ends, amounts)
                for edge in np.unique(ends.edge):
                    out = float(own[ends.edge == edge].sum())
                    if out:
                        budget.cross(edges[edge], span * out)
            budget.made = span * made[name]
            budget.moved = 0.5 * span * per * float(np.abs(passing.reacts[AIR]).sum())
            found[name] = budget
        return found

    def _amount(self, name: str, ends: Ends, amounts: Any) -> Array:
        """mol/s of one of AMOUNTS that leaves through ends, of (first, vapour, all)."""
        first, vapour, all_ = amounts
        side = self.layout.side[ends.cell]
        if name == "water":
            return np.asarray(vapour)
        if name == "other_gas":
            return np.asarray(all_ - first - vapour)
        return np.where(side == (FUEL if name == "hydrogen" else AIR), first, 0.0)

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """A/m3 that protons gain in each cell."""
        self._set(state, state.time)
        x = self._taken(state)
        _, _, passing = self.system.look(x, sloped=False)
        layout, found = self.layout, np.zeros(self.layout.size)
        f = layout.wet_faces
        np.add.at(found, f.a, -passing.protons)
        np.add.at(found, f.b, passing.protons)
        passed = passing.reacts[FUEL] - passing.reacts[AIR] + passing.burns
        parts = {"conduction": found, "passed": passed, "residual": found + passed}
        return {
            n: layout.spread(values / layout.volume, self.mesh.shape) for n, values in parts.items()
        }

    def limits(self) -> dict[str, tuple[float, float]]:
        return {
            self._name("solid"): (-1e6, 1e6),
            self._name("first"): (-1e-6, 1.0 + 1e-6),
            self._name("vapour"): (-1e-6, 1.0 + 1e-6),
        }
