"""What every stream asks of its openings and shows of itself, whatever law it follows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract.declared import Condition, Field, Param
from underkettle.engine.contract.offers import Source
from underkettle.engine.contract.questions import Facts
from underkettle.engine.contract.solving import Budget, Inputs, Problem
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh

Array = np.ndarray

PROFILES = UNIFORM, LAMINAR_PROFILE, TURBULENT_PROFILE = (
    "uniform",
    "developed",
    "developed, turbulent",
)
SIZES = ("speed", "volume_flow", "mass_flow")  # of which an opening has one
GIVEN = (
    Param("speed", "speed", "formula", label="speed", live=True),
    Param("volume_flow", "volume flow", "formula", label="volume flow", live=True, above=0.0),
    Param("mass_flow", "mass flow", "formula", label="mass flow", live=True, above=0.0),
)
_VISCOSITY = Param(
    "viscosity",
    "viscosity",
    "formula",
    label="viscosity",
    above=0.0,
    law="old",
    symbol=r"\mu",
)
LIQUID = (
    Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
    _VISCOSITY,
)  # of one density, where a viscosity may follow what was solved before
FOLLOWING = (
    Param(
        "density",
        "density",
        "formula",
        label="density",
        above=0.0,
        law="new",
        symbol=r"\rho",
    ),
    _VISCOSITY,
)  # where the density may follow what is solved, too
LEVEL = Param(
    "pressure",
    "pressure",
    "formula",
    default="0 Pa",
    label="pressure",
    why="pressures are measured from this level",
    live=True,
)
_AIR = "air at 20 degC, as is common practice"
MEASURED = (
    Param(
        "measured",
        "pressure",
        "table",
        over="speed",
        label="measured drop over speed",
        above=0.0,
    ),
    Param(
        "measured_viscosity",
        "viscosity",
        label="viscosity it was measured with",
        default="18.2 uPa s",
        above=0.0,
        why=_AIR,
    ),
    Param(
        "measured_density",
        "density",
        label="density it was measured with",
        default="1.2 kg/m3",
        above=0.0,
        why=_AIR,
    ),
)  # a drop that was measured at one or more speeds
_OUTWARD = {
    "speed": r"\mathbf u\cdot\mathbf n=<speed>",
    "volume_flow": r"\int\mathbf u\cdot\mathbf n\,dA=<volume_flow>",
    "mass_flow": r"\int\rho\,\mathbf u\cdot\mathbf n\,dA=<mass_flow>",
}
DRAWN_OFF = Condition(
    "drawn off",
    "edge",
    "{speed|volume_flow|mass_flow} drawn off",
    GIVEN,
    label="drawn off at a rate",
    through="out",
    one_of=SIZES,
    tex=_OUTWARD,
)


def inflow(*more: Param) -> Condition:
    """An edge that lets a given stream in. more : what else it may be given."""
    return Condition(
        "inflow",
        "edge",
        "".join(["{speed|volume_flow|mass_flow} in", *(f", {{{p.name}}}" for p in more)]),
        (*GIVEN, *more),
        label="flows in",
        through="in",
        one_of=SIZES,
        tex={name: f"-{tex}" for name, tex in _OUTWARD.items()},
    )


def given_stream(kind: str, values: Mapping[str, Any], area: float, density: float) -> float | None:
    """Volume flow (m3/s) that one of these lets in through `area` (m2), negative if out; None where it
    is another condition.
    """
    if kind not in ("inflow", "drawn off"):
        return None
    sign = 1.0 if kind == "inflow" else -1.0
    if "mass_flow" in values:
        return float(sign * values["mass_flow"] / density)
    return float(sign * values.get("volume_flow", values.get("speed", 0.0) * area))


def quickest_inflow(facts: Facts) -> tuple[float, str] | None:
    """The quickest stream that comes in (m/s, on average over its edge), and where; None where none is
    told.
    """
    inlets = [
        (stream / facts.edge_area(edge), edge)
        for edge in facts.edges()
        if (stream := facts.stream(edge) or 0.0) > 0.0 and facts.edge_area(edge) > 0.0
    ]
    return max(inlets, default=None)


def given_to(problem: Problem, inputs: Inputs, quantity: str) -> dict[str, Source]:
    """What others give to a quantity of a phenomenon, by whichever of its names; by giver."""
    found: dict[str, Source] = {}
    for name in problem.called(quantity):
        found |= inputs.each(Source, name)
    return found


def mass_given(problem: Problem, inputs: Inputs, live: Array) -> dict[str, Array]:
    """Mass (kg/s) that others give to live cells, by giver; arrays like `live`."""
    return {
        giver: np.where(live, source.value[0], 0.0)
        for giver, source in given_to(problem, inputs, "mass").items()
    }


def cross_edges(budget: Budget, mesh: Mesh, outward: Array) -> None:
    """Book what passes the outline's pieces, edge by edge; positive leaves."""
    passed = np.bincount(mesh.pieces.edge, outward, len(mesh.edges))
    for edge, total in zip(mesh.edges, passed.tolist(), strict=True):
        if total != 0.0:
            budget.cross(edge, total)


def centred(mesh: Mesh, u: Array, v: Array) -> tuple[Array, Array]:
    """Face velocities averaged to cell centres; arrays (1, ny + 3, nx + 3)."""
    x, y = np.zeros(mesh.shape), np.zeros(mesh.shape)
    x[:, :, :-1] = 0.5 * (u[:, :, :-1] + u[:, :, 1:])
    y[:, :-1] = 0.5 * (v[:, :-1] + v[:, 1:])
    return np.where(mesh.live, x, 0.0), np.where(mesh.live, y, 0.0)


def stream_fields(name: str) -> list[Field]:
    """Speed, pressure and velocity of a phenomenon that keeps u, v and p."""

    def middle(mesh: Mesh, state: State) -> tuple[Array, Array]:
        return centred(mesh, state.fields[f"{name}.u"], state.fields[f"{name}.v"])

    def component(axis: int) -> Callable[[Mesh, State], Array]:
        return lambda mesh, state: middle(mesh, state)[axis]

    return [
        Field(
            "speed",
            "|u|",
            "speed",
            derive=lambda mesh, state: np.hypot(*middle(mesh, state)),
            label="Speed",
            chief=True,
        ),
        Field("pressure", "p", "pressure", arrays=(f"{name}.p",), label="Pressure"),
        *(
            Field(
                f"velocity_{along}",
                "uv"[axis],
                "speed",
                derive=component(axis),
                label=f"Velocity in {along}",
                centred=True,
                component=("velocity", axis),
            )
            for axis, along in enumerate("xy")
        ),
    ]


def mass_entering(facts: Facts, edge: str, density: float) -> float | None:
    """kg/s that enter through an edge, `density` (kg/m3) being that of what enters; None where nobody
    says how much.
    """
    for column in facts.carriers():
        given = facts.values(edge, column).get("mass_flow")
        if given is not None:
            return float(given)
    flow = facts.stream(edge)
    return None if flow is None else flow * density
