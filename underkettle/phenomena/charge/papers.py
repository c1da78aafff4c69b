"""Hand estimates for potentials and currents."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.questions import across, apart
from underkettle.paper import charge
from underkettle.phenomena.charge.circuits import circuit_of
from underkettle.phenomena.charge.naming import (
    BUTLER,
    ME,
    RESISTS,
    cells,
    conductors,
    ends,
    passages,
    swept,
)
from underkettle.sums.sum import SumError

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
        thick, _ = across(facts, zone)
        slowest = max(slowest, charge.pore_delay(solid, liquid, thick, capacity))
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


def _drawn(facts: Facts) -> tuple[str, Any, float, float] | None:
    """The one cell there is, its circuit, its area (m2) and the current (A/m2) that a steady load
    charges it by, where an edge tells that.
    """
    settings = facts.settings(ME)
    if len(cells(settings)) != 1:
        return None
    ((name, cell),) = cells(settings).items()
    area = 0.0
    for zone in facts.zones():
        kind, column = facts.kind(zone, f"{ME}.{name}"), f"{ME}.{name}"
        if kind == "over the sheet" and not facts.round():
            area += facts.zone_volume(zone) / facts.depth()
        elif kind == "in pores" and isinstance(facts.values(zone, column)["area"], float):
            area += facts.zone_volume(zone) * facts.values(zone, column)["area"]
    for member in conductors(settings):
        for edge in facts.edges():
            told, kind = facts.values(edge, f"{ME}.{member}"), facts.kind(edge, f"{ME}.{member}")
            law = told.get({"at a rate": "rate", "carries": "current"}.get(kind, ""))
            if not isinstance(law, float) or law == 0.0 or area <= 0:
                continue
            per = float(cell["holds"]) if kind == "at a rate" else 1.0 / area
            try:
                return name, circuit_of(cell), area, law * per
            except (SumError, KeyError, ValueError):
                return None
    return None


def _begun(facts: Facts, name: str) -> float | None:
    """The level that a cell begins at, where it is one."""
    told = [facts.start(zone, f"{ME}.{name}").get("value") for zone in facts.zones()]
    levels = {float(v) for v in told if isinstance(v, float)}
    return levels.pop() if len(levels) == 1 else None


def _left(facts: Facts, readout: Any) -> Estimate | None:
    """How far a cell is charged at the end, by what was drawn."""
    drawn, until = _drawn(facts), facts.until(ME)
    if drawn is None or until is None or facts.may_end(ME) or readout.kind != "mean":
        return None
    name, _, _, i = drawn
    begun = _begun(facts, name)
    if readout.field != f"{name}_level" or begun is None:
        return None
    holds = float(cells(facts.settings(ME))[name]["holds"])
    return Estimate(begun + i * until / holds, note="at the end of all stages in time")


def _under_load(facts: Facts, readout: Any) -> Estimate | None:
    """The voltage of a cell under a load that goes on, foils apart."""
    drawn = _drawn(facts)
    if drawn is None or readout.kind != "on":
        return None
    name, circuit, _, i = drawn
    settings = facts.settings(ME)
    begun, until = _begun(facts, name), facts.until(ME) or 0.0
    at, until = ("at the start", 0.0) if facts.may_end(ME) else ("at the end", until)
    last = ends(settings, cells(settings)[name])[1]
    if readout.field != f"{last}_terminal" or begun is None:
        return None
    level = min(max(begun + i * until / float(cells(settings)[name]["holds"]), 0.0), 1.0)
    rest, once, soon, _, later, _ = circuit.rows[round(level * (len(circuit.rows) - 1))]
    return Estimate(float(rest + i * (once + soon + later)), note=f"foils apart, {at}, delays over")


def _evenness(facts: Facts, readout: Any) -> Estimate | None:
    """What foils resist along a plate, over what its cell does across."""
    drawn = _drawn(facts)
    if drawn is None:
        return None
    settings = facts.settings(ME)
    sheet = 0.0  # ohm of a square of both foils
    for foil in ends(settings, cells(settings)[drawn[0]]):
        best = 0.0
        for zone in facts.zones():
            told, kind = facts.values(zone, f"{ME}.{foil}"), facts.kind(zone, f"{ME}.{foil}")
            along = told.get("along", conductors(settings)[foil].get("conductivity"))
            if kind in ("", "not here") or not isinstance(along, float):
                continue
            thick = told["thickness"] if kind == "a foil" else facts.depth()
            best = max(best, along * float(thick))
        if best <= 0:
            return None
        sheet += 1.0 / best
    row = drawn[1].rows[len(drawn[1].rows) // 2]
    length = max(facts.size())
    return Estimate(sheet * length**2 / float(row[1] + row[2] + row[4]))


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
    Paper(
        "What is left of a charge",
        r"s=s_0+\textstyle\int i\,dt/Q",
        "conservation of charge",
        "one cell, a steady load",
        "number",
        _left,
    ),
    Paper(
        "Voltage under load",
        r"E(s)+i\,(R_0+R_1+R_2)",
        "a cell as a circuit, its delays over",
        "one cell, a steady load",
        "voltage",
        _under_load,
    ),
    Paper(
        "Foils over cell",
        r"\sum\frac{1}{\sigma t}\,L^2/R",
        "a plate as two foils with a resistance between",
        "one cell, a steady load",
        "number",
        _evenness,
        regime="foils/cell",
        verdict=lambda v: (
            "even current" if v < 0.2 else "most near the tabs" if v > 5 else "uneven in part"
        ),
    ),
)
