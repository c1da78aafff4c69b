"""Electrostatics: potential and field of charges that rest."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Absent,
    Assumed,
    Condition,
    Default,
    Facts,
    Field,
    Need,
    Param,
    Phenomenon,
    Potential,
    Problem,
    Provides,
    Solver,
    Term,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.electrostatics.audit import RULES
from underkettle.phenomena.electrostatics.papers import ME, PAPERS

FLUX = "electric_flux"
_DENSITY = Param("density", "charge density", "formula", label="charge in a volume", law="old")


class Electrostatics(Phenomenon):
    """The field between conductors and around charges, where nothing moves."""

    name = ME
    label = "Electrostatics"
    summary = "field of charges at rest"
    about = (
        "What field charges and voltages make in gases and insulators, and what charge they hold."
    )
    does = "charge"
    equation = (
        r"\nabla\cdot(\varepsilon_0\varepsilon\nabla\varphi)=-\varrho,"
        r"\quad \mathbf E=-\nabla\varphi"
    )
    source = "Gauss's law with a linear dielectric"
    settings = (
        Param(
            "permittivity",
            "number",
            "formula",
            label="relative permittivity",
            default="1",
            why="of vacuum; air has 1.0006",
            above=0.0,
            law="old",
            symbol=r"\varepsilon",
        ),
    )
    conditions = (
        Condition(
            "no field",
            "edge",
            "no field across",
            label="no field across, as a mirror",
            tex=r"\partial\varphi/\partial n=0",
        ),
        Condition(
            "held",
            "edge",
            "held at {value}",
            (Param("value", "voltage", "formula", label="potential", live=True, law="old"),),
            label="a conductor held at a potential",
            tex=r"\varphi=<value>",
        ),
        Condition(
            "floats",
            "edge",
            "floats with {charge}",
            (
                Param(
                    "charge",
                    "charge",
                    "formula",
                    default="0 C",
                    label="charge in all",
                    why="a conductor that nothing has touched",
                    live=True,
                    law="old",
                ),
            ),
            label="a conductor that floats, with a charge in all",
            tex=r"\textstyle\oint\varepsilon_0\varepsilon\,\partial\varphi/\partial n\,dA=<charge>,"
            r"\ \varphi=\varphi_e",
        ),
        Condition(
            "charged",
            "edge",
            "charged with {surface}",
            (
                Param(
                    "surface",
                    "charge per area",
                    "formula",
                    label="charge on an area",
                    live=True,
                    law="old",
                ),
            ),
            label="an insulator with charge on it",
            tex=r"\varepsilon_0\varepsilon\,\partial\varphi/\partial n=<surface>",
        ),
        Condition("uncharged", "zone", "uncharged", label="uncharged", tex=r"\varrho=0"),
        Condition(
            "holds charge",
            "zone",
            "holds {density}",
            (_DENSITY,),
            label="holds charge",
            tex=r"\varrho=<density>",
        ),
        Condition(
            "other matter",
            "zone",
            "other matter, {permittivity}",
            (
                Param(
                    "permittivity",
                    "number",
                    "formula",
                    label="relative permittivity",
                    above=0.0,
                    law="old",
                ),
                Param(
                    "density",
                    "charge density",
                    "formula",
                    default="0 C/m3",
                    label="charge in a volume",
                    why="an insulator at rest holds none unless said",
                    law="old",
                ),
            ),
            label="other matter",
            tex=r"\varepsilon=<permittivity>,\ \varrho=<density>",
        ),
    )
    in_solids = True
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "divergence",
            r"\nabla\cdot(\varepsilon_0\varepsilon\nabla\varphi)",
            "flux that ends here, walls included",
            "charge density",
        ),
        Term("held_charge", r"\varrho", "charge in the volume", "charge density"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Potential, ME)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return self.gets(self.quantities(settings))

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "electric_potential",
                r"\varphi",
                "voltage",
                arrays=(f"{ME}.potential",),
                label="Electric potential",
                chief=True,
            ),
            *(
                Field(
                    f"electric_field_{axis}",
                    f"E_{axis}",
                    "electric field",
                    arrays=(f"{ME}.field_{axis}",),
                    label=f"Electric field, {axis}",
                    centred=True,
                    component=("electric_field", k),
                )
                for k, axis in enumerate("xy")
            ),
            Field(
                "field_energy",
                "w",
                "energy per volume",
                arrays=(f"{ME}.energy",),
                label="Energy of the field",
            ),
            Field(
                "conductor_potential",
                r"\varphi_e",
                "voltage",
                where="edge",
                label="Potential of a conductor",
                derive=partial(_of_edges, "joined"),
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {FLUX: "charge"}

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return [FLUX]

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 2, 8e-6 * mesh.cells

    def step_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> float:
        return 1e-3 + 8e-6 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            return Assumed("no field", "the field goes along it, as along what is far from charges")
        if on == "zone":
            return Assumed("uncharged", "nothing holds charge unless said")
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.electrostatics.solver import ElectrostaticSolver

        return ElectrostaticSolver(problem)


def _of_edges(array: str, mesh: Mesh, state: State) -> np.ndarray:
    """V, of conductors; nowhere else."""
    return np.asarray(state.fields[f"{ME}.{array}"])
