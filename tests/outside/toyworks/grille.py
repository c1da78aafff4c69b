"""A thin sheet across the stream that raises its pressure, as a fan, or holds it back."""

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Carrier,
    Condition,
    Field,
    Finding,
    Jump,
    Need,
    Param,
    Phenomenon,
    Provides,
    Work,
)


def _idle(facts):
    for place in facts.screens():
        if facts.kind(place, "grille") == "open":
            yield Finding(
                "doubt",
                f"{place} does nothing.",
                "It lets all pass.",
                place,
                "grille",
                cure=((f"conditions/{place}/grille", {"kind": "holds", "loss": 1.0}),),
                cure_label="Hold back one speed head",
            )


class Grille(Phenomenon):
    name = label = "grille"
    summary = "a toy screen"
    about = "A toy screen that takes pressure from what passes it."
    does = "moves"
    equation = r"[p] = \Delta - \tfrac{1}{2} K \rho |u| u"
    source = "Bernoulli's equation with a loss"
    settings = (Param("density", "density", above=0.0),)
    conditions = (
        Condition("open", "screen", "lets all pass"),
        Condition(
            "pushes", "screen", "pushes with {rise}", (Param("rise", "pressure", "formula"),)
        ),
        Condition("holds", "screen", "holds back {loss} heads", (Param("loss", least=0.0),)),
    )
    audit = (AuditRule("does nothing", _idle),)

    def provides(self, settings):
        return [Provides(Jump, at="old")]

    def needs(self, settings):
        return [Need(Carrier, FLUID)]

    def fields(self, settings):
        return [Field("rise", "[p]", "pressure", arrays=("grille.rise",))]

    def default(self, place, on, member, facts):
        return Assumed("open", "nothing is said of it") if on == "screen" else Absent()

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.mesh, self.density = problem.mesh, problem.settings()["density"]
        self.screens = problem.divide_conditions()
        self.names = [problem.state_name(n) for n in ("rise", "x", "y", "falls_x", "falls_y")]

    def start(self, state):
        for name in self.names:
            state.fields[name] = np.zeros(self.mesh.shape)
        self._set(state, np.zeros(self.mesh.shape), np.zeros(self.mesh.shape))

    def _set(self, state, u, v):
        """Jumps at the present speeds; what is lost falls with the speed."""
        shown, *jumps = (state.fields[n] for n in self.names)
        for array in (shown, *jumps):
            array[:] = 0.0
        for place, given in self.screens.items():
            faces = self.mesh.divide(place)
            if given.kind == "pushes":
                rise = np.broadcast_to(
                    given.values["rise"].at(faces.place(state.time)), faces.x.shape
                )
                for jump, more in zip(jumps[:2], faces.spread(rise, u.shape[1:]), strict=True):
                    jump[0] += more
            elif given.kind == "holds":
                speed = np.abs(faces.passing(u[0], v[0])) * faces.sign
                loss = 0.5 * given.values["loss"] * self.density * speed
                for jump, more in zip(jumps[2:], faces.spread(loss, u.shape[1:]), strict=True):
                    jump[0] += more
                rise = -loss * speed
            else:
                continue
            shown[0, faces.row, faces.column] += rise

    def limit(self, state, inputs):
        return np.inf, "it follows"

    def advance(self, state, t0, t1, inputs):
        return self.relax(state, inputs)

    def relax(self, state, inputs):
        carrier = inputs.get(Carrier, FLUID)
        before = state.fields[self.names[3]].copy(), state.fields[self.names[4]].copy()
        self._set(state, carrier.u, carrier.v)
        now = state.fields[self.names[3]], state.fields[self.names[4]]
        largest = max(float(a.max()) for a in (*now, *before))
        apart = max(float(np.abs(a - b).max()) for a, b in zip(now, before, strict=True))
        return Work(1, {"rise": apart / largest if largest else 0.0})

    def offer(self, what, state):
        return Jump(*(state.fields[n] for n in self.names[1:]))

    def balance(self, state, t0, t1):
        return {}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {self.names[0]: (-1e6, 1e6)}
