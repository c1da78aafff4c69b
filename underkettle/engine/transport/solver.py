"""What a stream carries and diffusion spreads: species, heat, and whatever else follows that law.

    capacity (dc/dt + div(u c)) = div(spread grad c) + source - loss c

A phenomenon names what is `Carried`; conditions are told by the values they have: `value` on an
edge that holds one, `flux`, `film` with `ambient`, `value` on an edge a stream passes, `source` and
`loss` in zones, `film` on a screen or where zones meet. Everything is divided by the capacity here
and multiplied back in the budgets.

Transient: convection by two explicit stages (bounded while the Courant number holds), diffusion
and decay implicit, in an order that alternates from step to step. Steady: first-order upwinding is
solved exactly and the limited correction is put on the right side until it no longer changes, so
that every iterate is conservative to round-off.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.sparse.linalg import splu

from underkettle.engine.contract import (
    AtWalls,
    Budget,
    Crossing,
    Flows,
    Geometry,
    Inputs,
    Offer,
    Problem,
    Provides,
    StepFailed,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.convection import carry_faces
from underkettle.engine.operators.diffusion import (
    neighbours,
    steady_matrix,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.carrying import NEVER, TOLD, Carrying
from underkettle.engine.transport.unknown import Carried, Unknown

Array = np.ndarray

RELAXED = 0.7  # share of the new limited correction taken per sweep
EVEN = 1e-9  # share of a value below which its differences are rounding


class TransportSolver:
    """Solves for the value of everything carried.

    alternates : its steps in time come in pairs that differ.
    """

    alternates = True

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        self.problem, self.carrying = problem, Carrying(problem, carried)

    @property
    def mesh(self) -> Mesh:
        return self.carrying.mesh

    @property
    def members(self) -> list[Unknown]:
        return self.carrying.members

    def start(self, state: State) -> None:
        self.carrying.start(state)

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step."""
        self.carrying.moved(state, geometry)

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return self.carrying.limit(state, inputs)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.carrying.advance(state, t0, t1, inputs)

    # ------------------------------------------------------------ steady

    def relax(self, state: State, inputs: Inputs) -> Work:
        streams, self.carrying.now = self.carrying.streams(inputs), state
        self.carrying.budgets = {}
        self.carrying.receive(inputs)
        work = Work()
        for member in self.members:
            c, limited = self.carrying.of(state, member), self.carrying.of(state, member, "limited")
            member.set_values(state)
            stream = streams[member.what.phase]
            state.numbers[self.carrying.name(member, "spread_step")] = NEVER
            flows = self.carrying.flows(member, stream)
            coming = self.carrying.coming(member, stream) * np.ones(self.carrying.shape)
            old = c.copy()
            self._factor(member, flows, coming)
            fresh = self._limited_part(member, c, flows)
            if not limited.any():
                limited[:] = fresh
            else:
                limited += RELAXED * (fresh - limited)
            known = member.given + self._from_origin(member, flows, coming)
            arriving = np.maximum(-flows[2], 0.0) * member.arriving
            np.add.at(known, (self.carrying.legs.row, self.carrying.legs.column), arriving)
            c[self.carrying.live] = member.lu.solve((known - limited)[self.carrying.live])
            c[~self.carrying.live] = 0.0
            span = max(float(np.ptp(c[self.carrying.live])), EVEN * float(np.abs(c).max()), 1e-300)
            work.residuals[member.what.words] = (
                float(np.abs(c - old)[self.carrying.live].max()) / span
            )
            work.iterations += 1
            self._steady_budget(member, c, flows, coming)
            if self.carrying.telling:
                self.carrying.fluxes(c, flows, member, True)
                c[~self.carrying.live] = 0.0
                self.carrying.tell_spread(member, c)
            low, high = np.nanmin(c), np.nanmax(c)
            if not np.isfinite(low + high):
                raise StepFailed(member.what.words, "the whole vessel", "not a finite number")
        return work

    def _from_origin(
        self, member: Unknown, flows: tuple[Array, Array, Array], coming: Array | float
    ) -> Array | float:
        """What mass that others give brings of the member, which is counted from its origin: value
        m3/s in every cell.
        """
        origin = member.what.origin
        if not origin or member.law is not None:  # what a law holds is counted from there already
            return 0.0
        return origin * (self.carrying.net(flows) - coming)

    def _factor(self, member: Unknown, flows: tuple[Array, Array, Array], coming: Array) -> None:
        inputs = (*flows, coming, member.holding, member.link_x, member.link_y)
        if member.factored and all(
            np.array_equal(a, b) for a, b in zip(inputs, member.factored, strict=True)
        ):
            return
        diagonal = member.holding - coming
        np.add.at(
            diagonal, (self.carrying.legs.row, self.carrying.legs.column), np.maximum(flows[2], 0.0)
        )
        matrix = steady_matrix(self.mesh, member.link_x, member.link_y, diagonal, *flows[:2])
        try:
            member.lu = splu(matrix, permc_spec="COLAMD")
        except RuntimeError as error:
            raise StepFailed(
                member.what.words,
                "the whole vessel",
                "what enters has no way out, so no steady state exists",
            ) from error
        member.factored = tuple(a.copy() for a in inputs)

    def _limited_part(self, member: Unknown, c: Array, flows: tuple[Array, Array, Array]) -> Array:
        self._convect(member, c, flows)
        limited = self.carrying.out.copy()
        self.carrying.fluxes(c, flows, member, False)
        limited -= self.carrying.out
        c[~self.carrying.live] = 0.0
        return limited

    def _convect(self, member: Unknown, c: Array, flows: tuple[Array, Array, Array]) -> None:
        """Net outflow of every cell by limited convection, of what the value holds where a law says,
        into `out`.
        """
        if member.law is None:
            self.carrying.fluxes(c, flows, member, True)
        else:
            held = np.where(self.carrying.live, member.content(c), 0.0)
            arriving = member.content(member.arriving)
            self.carrying.fluxes(held, flows, member, True, arriving=arriving)

    def _steady_budget(
        self, member: Unknown, c: Array, flows: tuple[Array, Array, Array], coming: Array
    ) -> None:
        budget = Budget(member.what.amount, label=member.what.words).per(1.0)
        cell = (self.carrying.legs.row, self.carrying.legs.column)
        through = flows[2]
        value = np.where(through >= 0, member.content(c)[cell], member.content(member.arriving))
        self.carrying.book(member, budget, through * value, member.leaving(c), 1.0)
        made = member.source - member.decay * c + coming * (c - member.what.origin)
        budget.made = member.what.capacity * float(made[self.carrying.live].sum())
        for giver, amount in member.gave(c).items():
            budget.give(giver, amount)
        self.carrying.budgets[member.what.words] = budget

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer | None:
        raise LookupError(what.says)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {
            m.what.name or m.what.words: self.carrying.budgets[m.what.words]
            for m in self.members
            if m.what.words in self.carrying.budgets
        }

    def warm_stream(self, state: State) -> tuple[Flows, Array]:
        """What the members' own warmth (J/(kg K), `Carried.warmth`) takes along: W/K through faces
        and the whole vessel's pieces, and what comes to cells from walls and sources.
        """
        x, y, made = (np.zeros(self.mesh.shape) for _ in range(3))
        through = np.zeros(self.mesh.pieces.j.size)
        for member in self.members:
            scale = member.what.warmth * member.what.capacity
            told = self.carrying.told(member, state) if self.carrying.telling else []
            for target, values in zip(
                (x[0], y[0], through, x[0], y[0], made[0]), told, strict=False
            ):
                target += scale * values
        whole = np.zeros(self.problem.whole.pieces.j.size)
        passing = self.carrying.in_whole >= 0
        whole[self.carrying.in_whole[passing]] = through[passing]
        return Flows(x, y, whole), made

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """Amount gained per m3 and s by each cell, term by term."""
        return self._terms_of(next(m for m in self.members if m.name == member), state, inputs)

    def _terms_of(self, member: Unknown, state: State, inputs: Inputs) -> dict[str, Array]:
        self.carrying.now = replace(state, fields=dict(state.fields))
        for part in TOLD if self.carrying.telling else ():
            name = self.carrying.name(member, f"told_{part}")
            self.carrying.now.fields[name] = state.fields[name].copy()
        member.set_values(state)
        self.carrying.receive(inputs)
        stream = self.carrying.stream(inputs, member.what.phase)
        flows = self.carrying.flows(member, stream)
        c = self.carrying.of(state, member).copy()
        self._convect(member, c, flows)
        c[~self.mesh.there[0]] = 0.0
        coming = self.carrying.coming(member, stream)
        self.carrying.out -= self._from_origin(member, flows, coming)
        convection = -self.carrying.out * self.carrying.inverse
        known = member.all_given()
        walls = known - member.source - member.gift - member.wall * c
        diffusion = (neighbours(c, member.link_x, member.link_y) + walls) * self.carrying.inverse
        made = member.source + member.gift - (member.holding - member.wall) * c
        terms = {
            "convection": convection,
            "diffusion": diffusion,
            "made": made * self.carrying.inverse,
        }
        matrix = steady_matrix(
            self.mesh,
            member.link_x,
            member.link_y,
            member.holding,
            np.zeros(self.carrying.shape),
            np.zeros(self.carrying.shape),
        )
        residual = np.zeros(self.carrying.shape)
        residual[self.carrying.live] = (known - self.carrying.out)[self.carrying.live] - matrix @ c[
            self.carrying.live
        ]
        terms["residual"] = residual * self.carrying.inverse
        scale = member.what.capacity
        return {
            name: np.where(self.carrying.live, scale * a, 0.0)[None] for name, a in terms.items()
        }

    def at_walls(self, quantity: str, state: State) -> AtWalls:
        """Through walls that hold a value, have a film or a given flux."""
        member = next(m for m in self.members if (m.name or m.what.words) == quantity)
        member.set_values(state)
        c, cells = self.carrying.spreading(state, member), member.cells
        legs, pieces, scale = member.legs, self.mesh.pieces, member.what.capacity
        here = c[legs.row, legs.column]
        pull = member.factor * (member.held - here)
        surface = here + np.divide(
            pull, member.bare, out=np.zeros(pull.size), where=member.bare > 0
        )
        given = np.flatnonzero(member.flux)
        cell = cells.row[given], cells.column[given]
        conducts = np.maximum(member.along[0][cell], member.along[1][cell])
        hold = cells.factor[given] * member.lever_piece[given] * conducts
        warmed = c[cell] + np.divide(
            member.flux[given], hold, out=np.zeros(given.size), where=hold > 0
        )

        def both(on_legs: Array, on_pieces: Array) -> Array:
            return np.concatenate([on_legs, on_pieces])

        return AtWalls(
            both(legs.x, pieces.x[given]),
            both(legs.y, pieces.y[given]),
            both(legs.edge, pieces.edge[given]),
            both(legs.area, pieces.area[given]),
            scale * both(pull / legs.area, member.flux[given] / pieces.area[given]),
            both(surface, warmed),
            scale * both(legs.conducting(*member.along), conducts),
            both(legs.axis, np.full(given.size, -1)),
        )

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """Carried and spread through faces, counted from the member's origin."""
        member = next(
            m
            for m in self.members
            if (m.name or m.what.words) == quantity or m.what.name == quantity
        )
        self.carrying.now, what = replace(state, fields=dict(state.fields)), member.what
        member.set_values(state)
        self.carrying.receive(inputs)
        stream = self.carrying.stream(inputs, what.phase)
        flows = self.carrying.flows(member, stream)
        c = self.carrying.of(state, member).copy()
        flat = c.ravel()
        flat[self.carrying.fill[0]] = flat[self.carrying.fill[1]]
        self.mesh.grid.wrap(c)
        x, y = np.zeros(self.carrying.shape), np.zeros(self.carrying.shape)
        held = member.content(c)
        carry_faces(
            held,
            *flows[:2],
            x,
            y,
            self.carrying.wx,
            self.carrying.wy,
            *self.mesh.grid.repeats,
            self.carrying.ny,
            self.carrying.nx,
        )
        x += member.link_x * (roll(c, 1, 1) - c)
        y += member.link_y * (roll(c, 1, 0) - c)
        cell = (self.carrying.legs.row, self.carrying.legs.column)
        value = np.where(flows[2] >= 0, held[cell], member.content(member.arriving))
        gained = (
            member.all_given()
            - member.holding * c
            + self.carrying.coming(member, stream) * (c - what.origin)
        )
        np.add.at(gained, cell, -flows[2] * value)
        scale = what.capacity
        return Crossing(scale * x, scale * y, scale * np.where(self.carrying.live, gained, 0.0))

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.carrying.name(m): self.carrying.bounds[m.name] for m in self.members}
