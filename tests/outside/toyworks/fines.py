"""A cloud of parcels with its own release, sub-steps and fates; it pushes back on the flow."""

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Budget,
    Carrier,
    Condition,
    Entry,
    Estimate,
    Field,
    Finding,
    Force,
    Listing,
    Need,
    Paper,
    Param,
    Phenomenon,
    Provides,
    Source,
    Work,
)

X, Y, U, V, FATE = range(5)
FLYING, LEFT, STUCK = 0.0, 1.0, 2.0
SUB_STEPS = 4
GIVES = {"mass": "wetting", "heat": "burning"}  # quantity -> the setting that says how much


def _never_released(facts):
    if not any(facts.kind(e, "fines") == "releases" for e in facts.edges()):
        yield Finding("doubt", "Fines are never released.", "No edge releases any.", column="fines")


def _stop(facts, readout):
    settings = facts.settings("fines")
    return Estimate(settings["response"] * 0.01)


def _number(mesh, state):
    table = state.tables["fines.cloud"]
    found = np.zeros(mesh.shape)
    flying = table[table[:, FATE] == FLYING]
    i = np.clip(np.searchsorted(mesh.grid.x, flying[:, X]), 1, mesh.grid.nx)
    j = np.clip(np.searchsorted(mesh.grid.y, flying[:, Y]), 1, mesh.grid.ny)
    np.add.at(found[0], (j, i), 1.0)
    return found


class Fines(Phenomenon):
    name = label = "fines"
    summary = "a toy cloud"
    about = "A toy cloud of grains that falls, warms and gives what it holds."
    does = "parcels"
    equation = r"m\,\dot{\mathbf v} = m(\mathbf u-\mathbf v)/\tau"
    source = "Stokes drag on single parcels"
    settings = (
        Param("response", "time", label="response time", above=0.0),
        Param(
            "mass",
            "mass",
            label="mass of a parcel",
            default="1e-7 kg",
            above=0.0,
            why="light beside the stream",
        ),
        Param("wetting", "mass flow", label="liquid given off by a parcel", optional=True, least=0),
        Param("burning", "power", label="heat given off by a parcel", optional=True, least=0),
    )
    conditions = (
        Condition("lets by", "edge", "lets by"),
        Condition("catches", "edge", "catches"),
        Condition("releases", "edge", "releases {rate}", (Param("rate", "rate", "quantity"),)),
    )
    audit = (AuditRule("never released", _never_released),)
    papers = (
        Paper(
            "Stopping distance",
            r"\tau u",
            "Stokes drag",
            "Re below 1",
            "length",
            _stop,
            regime="stop",
        ),
    )

    def provides(self, settings):
        """A force, and mass and heat where parcels are said to give any off."""
        more = [q for q, given in GIVES.items() if settings.get(given) is not None]
        return [Provides(Force, at="old"), *(Provides(Source, q, at="old") for q in more)]

    def needs(self, settings):
        return [Need(Carrier, FLUID)]

    def fields(self, settings):
        return [Field("parcels_per_cell", "n", "number", derive=_number)]

    def listings(self, settings):
        at = [Entry(n, "length", unit="mm") for n in "xy"]
        speeds = [Entry(n, "speed", label=f"speed in {a}") for n, a in (("u", "x"), ("v", "y"))]
        fate = Entry("fate", words=("flying", "left", "stuck"))
        return [Listing("cloud", "fines.cloud", (*at, *speeds, fate), label="Parcels")]

    def quantities(self, settings):
        return {"parcels": "rate"}

    def default(self, place, on, member, facts):
        if on != "edge":
            return Absent()
        if facts.through(place):
            return Assumed("lets by", "a stream takes them along")
        return Assumed("catches", "walls are sticky unless said")

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh = problem, problem.mesh
        self.settings = problem.settings()
        self.key = problem.state_name("cloud")
        self.waiting = problem.state_name("waiting")
        self.names = [problem.state_name(n) for n in ("push_x", "push_y")]
        self.edges = problem.edge_conditions()
        self.budget = Budget("1")
        full = self.mesh.full_volume
        self.around = [0.5 * (full + np.roll(full, 1, 2 - axis)) for axis in (0, 1)]

    def start(self, state):
        state.tables[self.key] = np.zeros((0, 5))
        state.numbers[self.waiting] = 0.0
        for name in self.names:
            state.fields[name] = np.zeros(self.mesh.shape)

    def limit(self, state, inputs):
        return SUB_STEPS * self.settings["response"], "four response times"

    def _release(self, state, span):
        total = 0
        for edge, given in self.edges.items():
            if given.kind != "releases":
                continue
            due = state.numbers[self.waiting] + given.values["rate"] * span
            count = int(due)
            state.numbers[self.waiting] = due - count
            rows = self.mesh.pieces.of(self.mesh.edge_index(edge))
            pieces = self.mesh.pieces
            pick = state.random(7).integers(0, rows.size, count)
            inward = 1e-6
            new = np.zeros((count, 5))
            new[:, X] = pieces.x[rows[pick]] - inward * pieces.nx[rows[pick]]
            new[:, Y] = pieces.y[rows[pick]] - inward * pieces.ny[rows[pick]]
            state.tables[self.key] = np.concatenate([state.tables[self.key], new])
            self.budget.inflow[edge] = self.budget.inflow.get(edge, 0.0) + count
            total += count
        return total

    def advance(self, state, t0, t1, inputs):
        carrier = inputs.get(Carrier, FLUID)
        self.budget = Budget("1")
        grid, mesh = self.mesh.grid, self.mesh
        before = float((state.tables[self.key][:, FATE] == FLYING).sum())
        self._release(state, t1 - t0)
        table = state.tables[self.key]
        push = [np.zeros(mesh.shape), np.zeros(mesh.shape)]
        dt, tau = (t1 - t0) / SUB_STEPS, self.settings["response"]
        fade = np.exp(-dt / tau)
        for _ in range(SUB_STEPS):
            fly = np.flatnonzero(table[:, FATE] == FLYING)
            i = np.clip(np.searchsorted(grid.x, table[fly, X], side="right"), 1, grid.nx)
            j = np.clip(np.searchsorted(grid.y, table[fly, Y], side="right"), 1, grid.ny)
            wind = (
                0.5 * (carrier.u[0, j, i] + carrier.u[0, j, i + 1]),
                0.5 * (carrier.v[0, j, i] + carrier.v[0, j + 1, i]),
            )
            for axis, (speed, place) in enumerate(((U, X), (V, Y))):
                old = table[fly, speed]
                new = wind[axis] + (old - wind[axis]) * fade
                pushed = -self.settings["mass"] * (new - old) / (t1 - t0)
                for ahead in (0, 1):  # shared between the two faces of the cell
                    at = (j + ahead * axis, i + ahead * (1 - axis))
                    np.add.at(push[axis][0], at, 0.5 * pushed)
                table[fly, place] += 0.5 * (old + new) * dt
                table[fly, speed] = new
            self._fates(table, fly)
        for axis, (name, force) in enumerate(zip(self.names, push, strict=True)):
            state.fields[name][:] = np.divide(
                force, self.around[axis], out=np.zeros(force.shape), where=self.around[axis] > 0
            )
        self.budget.stored = float((table[:, FATE] == FLYING).sum()) - before
        return Work(SUB_STEPS)

    def _fates(self, table, fly):
        grid, mesh = self.mesh.grid, self.mesh
        x, y = table[fly, X], table[fly, Y]
        i = np.clip(np.searchsorted(grid.x, x, side="right"), 1, grid.nx)
        j = np.clip(np.searchsorted(grid.y, y, side="right"), 1, grid.ny)
        outside = (x < grid.x[0]) | (x > grid.x[-1]) | (y < grid.y[0]) | (y > grid.y[-1])
        lost = outside | ~mesh.live[0, j, i]
        for k in np.flatnonzero(lost):
            pieces = mesh.pieces
            near = int(np.argmin(np.hypot(pieces.x - x[k], pieces.y - y[k])))
            edge = mesh.edges[pieces.edge[near]]
            table[fly[k], FATE] = LEFT if self.edges[edge].kind == "lets by" else STUCK
            self.budget.outflow[edge] = self.budget.outflow.get(edge, 0.0) + 1.0

    def relax(self, state, inputs):
        return Work(0)

    def offer(self, what, state):
        if what.kind is Source:
            return Source(self.settings[GIVES[what.of]] * _number(self.mesh, state))
        return Force(*(state.fields[n] for n in self.names))

    def balance(self, state, t0, t1):
        return {"parcels": self.budget}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {self.key: (-1e3, 1e3)}
