"""A hydrogen cell: gases, electrons, protons and water of a membrane, solved for at once."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Absent,
    Assumed,
    Default,
    Facts,
    Field,
    Missing,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Solver,
    Source,
    Term,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.hydrogen_cell.audit import RULES
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR,
    CLOSED,
    DRAINS,
    FILLS,
    FUEL,
    LIQUID,
    LIQUID_WAYS,
    LOST,
    ME,
    PRESSURE,
    PROTON,
    SOLID,
    UNKNOWN,
    VAPOUR,
    WATER,
)
from underkettle.phenomena.hydrogen_cell.papers import PAPERS
from underkettle.phenomena.hydrogen_cell.places import CONDITIONS

ON_FUEL, ON_AIR = (len(UNKNOWN) + side for side in (FUEL, AIR))  # where gas is, by side


def _coefficient(name: str, value: str, label: str, why: str, symbol: str) -> Param:
    return Param(name, default=value, label=label, why=why, above=0.0, symbol=symbol)


_LIKE_OTHERS = "one electron, as easily one way as the other (common practice)"


class HydrogenCell(Phenomenon):
    """What current and power a cell gives, what its gases and its membrane's water do meanwhile."""

    name = ME
    label = "Hydrogen cell"
    summary = "current from hydrogen and air"
    about = (
        "What current a membrane cell gives at which voltage, where its gases and its water are, and "
        "what takes the rest of the voltage; the other way round, what it takes to split water."
    )
    does = "charge"
    equation = (
        r"\nabla\cdot(\sigma_s\nabla\varphi_s)=\pm i,\quad"
        r"\nabla\cdot(\sigma_m(\lambda)\nabla\varphi_m)=\mp i,\quad"
        r"\nabla\cdot\mathbf N_k=\nu_k\frac{i}{F},\quad"
        r"\mathbf N_k=x_k\mathbf N-cD_k\nabla x_k,\quad"
        r"\mathbf N=-\frac{cK}{\mu}\nabla p,\quad"
        r"\nabla\cdot\Bigl(\frac{2.5}{22}\lambda\frac{\mathbf i_m}{F}-c_sD_\lambda\nabla\lambda\Bigr)"
        r"=k_s c_s\,(\lambda_{eq}-\lambda)"
    )
    source = "charge and matter are kept; Springer, Zawodzinski & Gottesfeld 1991 for the membrane"
    settings = (
        Param(
            "temperature",
            "temperature",
            "formula",
            default="353.15 K",
            label="temperature",
            why="80 degC, where such cells run (common practice)",
            above=0.0,
            law="old",
            live=True,
            symbol="T",
        ),
        Param(
            "pressure",
            "pressure",
            default="1.5 bar",
            label="pressure of both gases",
            why="a little over the air around, so that they flow (common practice)",
            above=0.0,
        ),
        _coefficient(
            "air_cathodic",
            "1",
            "transfer coefficient of oxygen, taking electrons",
            "70 mV a decade at 80 degC (common practice)",
            r"\alpha_c",
        ),
        _coefficient(
            "air_anodic",
            "0.5",
            "transfer coefficient of oxygen, giving",
            _LIKE_OTHERS,
            r"\alpha_a",
        ),
        _coefficient(
            "air_order",
            "1",
            "order of oxygen at one potential",
            "the current goes with how much there is (common practice)",
            "n",
        ),
        _coefficient(
            "fuel_anodic",
            "0.5",
            "transfer coefficient of hydrogen, giving electrons",
            _LIKE_OTHERS,
            "",
        ),
        _coefficient(
            "fuel_cathodic",
            "0.5",
            "transfer coefficient of hydrogen, taking them",
            _LIKE_OTHERS,
            "",
        ),
        _coefficient(
            "fuel_order",
            "1",
            "order of hydrogen at one potential",
            "the current goes with how much there is (common practice)",
            "",
        ),
        Param(
            "sites",
            "concentration",
            default="1800 mol/m3",
            label="sites of the membrane",
            why="1980 kg/m3 over 1.1 kg/mol (common practice)",
            above=0.0,
            symbol="c_s",
        ),
        Param(
            "takes_up",
            "rate",
            default="100 1/s",
            label="rate at which ionomer takes up water",
            why="so fast that a coat of 10 um is near balance (common practice)",
            above=0.0,
            symbol="k_s",
        ),
        Param(
            "condenses",
            "rate",
            default="5e4 1/s",
            label="rate at which vapour beyond saturation condenses",
            why="so fast that hardly any stays beyond it",
            least=0.0,
            symbol="k_c",
        ),
        Param(
            "liquid",
            kind="choice",
            choices=LIQUID_WAYS,
            default=DRAINS,
            label="liquid that condenses",
            why="pores that repel it keep little, and it is found much sooner",
        ),
        Param(
            "angle",
            "angle",
            default="110 deg",
            label="contact angle of liquid in pores",
            why="carbon paper with some fluoropolymer (common practice)",
            above=1.5707963267948966,
            most=3.141592653589793,
            symbol=r"\theta",
        ),
        Param(
            "crossover",
            "current density",
            default="20 A/m2",
            label="hydrogen that crosses the membrane, as a current, at 1 bar of it",
            why="2 mA/cm2 through a thin membrane (common practice)",
            least=0.0,
        ),
        Param(
            "warms",
            kind="flag",
            default=False,
            label="its heat warms what it passes",
            why="temperatures count only where heat is solved for",
        ),
    )
    conditions = CONDITIONS
    in_solids = True
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "conduction",
            r"\nabla\cdot(\sigma_m\nabla\varphi_m)",
            "protons that come through ionomer",
            "current source",
        ),
        Term("passed", r"\pm i", "protons that reactions give and take", "current source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Source, "heat")] if settings.get("warms") else []

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        def seen(
            name: str, symbol: str, dimension: str, array: str, there: int, label: str, **more: Any
        ) -> Field:
            return Field(
                name,
                symbol,
                dimension,
                arrays=(f"{ME}.{array}",),
                label=label,
                derive=partial(_where_it_is, array, there),
                partly=True,
                **more,
            )

        found = [
            seen("hydrogen_share", "x_{H_2}", "number", "first", ON_FUEL, "Share of hydrogen"),
            seen("oxygen_share", "x_{O_2}", "number", "first", ON_AIR, "Share of oxygen"),
            seen("vapour_share", "x_w", "number", "vapour", VAPOUR, "Share of vapour"),
            seen(
                "over_pressure", "p", "pressure", "pressure", PRESSURE, "Pressure over the outlets"
            ),
            seen(
                "electrode_potential",
                r"\varphi_s",
                "voltage",
                "solid",
                SOLID,
                "Potential of solids",
            ),
            seen(
                "proton_potential",
                r"\varphi_m",
                "voltage",
                "proton",
                PROTON,
                "Potential of protons",
            ),
            seen(
                "membrane_water",
                r"\lambda",
                "number",
                "water",
                WATER,
                "Water in the membrane, per site",
            ),
            Field(
                "cell_humidity",
                r"\phi",
                "number",
                arrays=(f"{ME}.vapour",),
                label="Humidity, of saturation",
                chief=True,
                derive=_humid,
                partly=True,
                unit="%",
            ),
            Field(
                "reacts",
                "i",
                "current source",
                arrays=(f"{ME}.reacts",),
                label="Current that reacts",
            ),
            Field(
                "condenses",
                "k_c",
                "amount source",
                arrays=(f"{ME}.condenses",),
                label="Water that condenses",
            ),
            Field(
                "cell_heat",
                "q",
                "heat source",
                arrays=(f"{ME}.heat",),
                label="Heat made by the cell",
            ),
        ]
        if settings.get("liquid") == FILLS:
            words = "Share of pores that liquid fills"
            found.append(seen("liquid_share", "s", "number", "liquid", LIQUID, words))
        for vector, symbol, dimension, label in (
            ("current", "i", "current density", "Current"),
            ("speed", "u", "speed", "Speed of gas"),
        ):
            found += [
                Field(
                    f"cell_{vector}_{axis}",
                    f"{symbol}_{axis}",
                    dimension,
                    arrays=(f"{ME}.{vector}_{axis}",),
                    label=f"{label}, {axis}",
                    centred=True,
                    component=(f"cell_{vector}", k),
                )
                for k, axis in enumerate("xy")
            ]
        edges = [
            ("terminal", r"\varphi_e", "voltage", "Potential of the edge"),
            ("reversible", "E", "voltage", "Voltage of balance"),
            ("used", "u", "number", "Share of what is fed that is used"),
            *((cause, r"\eta", "voltage", f"Lost to {words}") for cause, words in LOST.items()),
        ]
        found += [
            Field(
                f"lost_to_{name}" if name in LOST else f"cell_{name}",
                symbol,
                dimension,
                where="edge",
                label=label,
                derive=partial(_of_edges, name),
            )
            for name, symbol, dimension, label in edges
        ]
        return found

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {
            "cell_charge": "current",
            **dict.fromkeys(("hydrogen", "oxygen", "water", "other_gas"), "amount flow"),
        }

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 2, 0.02 + 3e-4 * mesh.cells

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        return 100, 0.02 + 1.5e-4 * facts.mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            return Assumed(CLOSED, "nothing passes where nothing is joined")
        if on == "zone":
            if not facts.mesh.zone_cells(place).any():
                return Assumed("not here", "nothing is left of it")
            return Missing("say what it is: channel, porous layer, catalyst, membrane or collector")
        if on == "between":
            return Assumed("joined", "zones touch without a gap unless said")
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.hydrogen_cell.solver import HydrogenCellSolver

        return HydrogenCellSolver(problem)


def _where_it_is(array: str, there: int, mesh: Mesh, state: State) -> np.ndarray:
    """An unknown, where it is at all."""
    return np.where(state.fields[f"{ME}.there"][there] > 0, state.fields[f"{ME}.{array}"], np.nan)


def _humid(mesh: Mesh, state: State) -> np.ndarray:
    """Vapour over what would condense."""
    full = state.fields[f"{ME}.full"]
    vapour = _where_it_is("vapour", VAPOUR, mesh, state)
    return np.divide(vapour, full, out=np.full(vapour.shape, np.nan), where=full > 0)


def _of_edges(array: str, mesh: Mesh, state: State) -> np.ndarray:
    return np.asarray(state.fields[f"{ME}.{array}"])
