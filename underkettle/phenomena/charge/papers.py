"""Hand estimates for potentials and currents."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.questions import apart
from underkettle.paper import charge
from underkettle.phenomena.charge.naming import (
    BUTLER,
    ME,
    RESISTS,
    conductors,
    ends,
    passages,
    swept,
)

HELD = "held", "through a resistance"


def _ends_of(facts: Facts, member: str) -> list[str]:
    """Edges that current enters or leaves a conductor by."""
    column = f"{ME}.{member}"
    found = (e for e in facts.edges() if not facts.on_axis(e))
    return [e for e in found if facts.kind(e, column) not in ("", "insulated")]


def _current(facts: Facts, readout: Any) -> Estimate | None:
    """Ohm's law between two edges that are held."""
    settings, member = facts.settings(ME), readout.quantity or ""
    if readout.kind != "through" or member not in conductors(settings) or passages(settings):
        return None
    edges = _ends_of(facts, member)
    gap = apart(facts, edges)
    if gap is None or readout.place not in edges:
        return None
    if any(facts.kind(e, f"{ME}.{member}") not in HELD for e in edges):
        return None
    told, areas = (
        [facts.values(e, f"{ME}.{member}") for e in edges],
        list(map(facts.edge_area, edges)),
    )
    conducts = float(conductors(settings)[member]["conductivity"])
    resists = charge.plate(conducts, gap, 0.5 * sum(areas))
    for values, area in zip(told, areas, strict=True):
        resists += float(values.get("resistance", 0.0)) / area
    here = edges.index(readout.place)
    falls = float(told[here]["value"]) - float(told[1 - here]["value"])
    inward = {"in": 1.0, "out": -1.0}[readout.counts]
    return Estimate(inward * falls / resists, note="one conductivity, as wide all along")


def _capacity(facts: Facts, name: str) -> list[float]:
    """F that a surface has in each zone of its pores."""
    passage = passages(facts.settings(ME))[name]
    column = f"{ME}.{name}"
    return [
        float(passage.get("capacity") or 0.0)
        * float(facts.values(zone, column)["area"])
        * facts.zone_volume(zone)
        for zone in facts.zones()
        if facts.kind(zone, column) == "in pores"
    ]


def _charging(facts: Facts, readout: Any) -> Estimate | None:
    """A swept edge charges what stands in pores, one after the other."""
    settings, member = facts.settings(ME), readout.quantity or ""
    if readout.kind != "through" or member not in conductors(settings):
        return None
    place, column = readout.place or "", f"{ME}.{member}"
    if place not in facts.edges() or facts.kind(place, column) != "swept":
        return None
    if any(passage.get("law") == BUTLER for passage in passages(settings).values()):
        return None
    each = [c for name in passages(settings) for c in _capacity(facts, name)]
    if not each or min(each) <= 0:
        return None
    whole = 1.0 / sum(1.0 / c for c in each)
    rate = float(facts.values(place, column)["rate"])
    return Estimate(
        whole * rate,
        note="on the way up, leaks apart; electrodes one after the other",
    )


def _delay(facts: Facts, readout: Any) -> Estimate | None:
    """How long the slowest porous electrode takes to charge through, over a sweep."""
    settings = facts.settings(ME)
    half = [sweep.half for *_, sweep in swept(facts)]
    found = [_of_pores(facts, name) for name in passages(settings)]
    slowest = max((f for f in found if f is not None), default=0.0)
    if not half or slowest <= 0 or min(half) <= 0:
        return None
    return Estimate(slowest / min(half))


def _of_pores(facts: Facts, name: str) -> float | None:
    """s, of what stands in pores; along the shorter side of its zone."""
    settings = facts.settings(ME)
    passage, column = passages(settings)[name], f"{ME}.{name}"
    both = [conductors(settings).get(n) for n in ends(settings, passage)]
    slowest = 0.0
    for zone in facts.zones():
        if facts.kind(zone, column) != "in pores" or None in both:
            continue
        solid, liquid = (float(c["conductivity"]) for c in both if c is not None)
        capacity = float(passage.get("capacity") or 0.0) * float(facts.values(zone, column)["area"])
        cells = facts.mesh.zone_cells(zone)[0]
        grid = facts.mesh.grid
        wide = grid.widths(0)[cells.any(axis=0)].sum(), grid.widths(1)[cells.any(axis=1)].sum()
        slowest = max(slowest, charge.pore_delay(solid, liquid, float(min(wide)), capacity))
    return slowest


def _wagner(facts: Facts, readout: Any) -> Estimate | None:
    """How evenly current spreads over a wall where a surface passes it."""
    settings = facts.settings(ME)
    for name, passage in passages(settings).items():
        last = ends(settings, passage)[1]
        walls = [e for e in facts.edges() if facts.kind(e, f"{ME}.{name}") == "on the wall"]
        if not walls or last not in conductors(settings):
            continue
        if passage.get("law") == BUTLER and passage.get("exchange") is not None:
            both = float(passage["anodic"]) + float(passage["cathodic"])
            resists = charge.charge_resistance(
                float(passage["exchange"]), both, float(passage["temperature"])
            )
        elif passage.get("law") == RESISTS and passage.get("resistance") is not None:
            resists = float(passage["resistance"])
        else:
            continue
        length = max(map(facts.edge_length, walls))
        conducts = float(conductors(settings)[last]["conductivity"])
        return Estimate(charge.wagner(conducts, resists, length), note="near balance")
    return None


PAPERS = (
    Paper(
        "Ohm's law between two edges",
        r"I=\kappa A\,\Delta\varphi/L",
        "Ohm 1827",
        "two held edges across from each other, as wide all along",
        "current",
        _current,
    ),
    Paper(
        "What a sweep charges",
        r"I=C\,v,\quad 1/C=\textstyle\sum 1/C_i",
        "a capacity whose voltage rises steadily",
        "a sweep so slow that all of it charges",
        "current",
        _charging,
    ),
    Paper(
        "Charging through, over a sweep",
        r"aCL^2(1/\sigma+1/\kappa)\,v/\Delta\varphi",
        "a transmission line (de Levie 1963)",
        "surfaces in pores, a sweep",
        "number",
        _delay,
        regime="tau/t",
        verdict=lambda v: (
            "slow: all of it charges"
            if v < 0.05
            else "fast: only what is near charges"
            if v > 0.5
            else "what is deep lags"
        ),
    ),
    Paper(
        "Wagner number",
        r"Wa=\kappa R/L",
        "Wagner 1951",
        "a surface on a wall, near balance",
        "number",
        _wagner,
        regime="Wa",
        verdict=lambda v: (
            "even current" if v > 5 else "current at edges" if v < 0.2 else "uneven in part"
        ),
    ),
)
