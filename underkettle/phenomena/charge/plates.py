"""What is worth questioning about battery cells between two foils before a run, and what records of
their pulses show.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding, Shown
from underkettle.phenomena.charge.circuits import found_in
from underkettle.phenomena.charge.naming import (
    FULL,
    JOINED,
    ME,
    REDUCED,
    cells,
    conductors,
    ends,
    passages,
)
from underkettle.quantities.words import headed, upper_first
from underkettle.sums.pulses import Found, Mistaken, corrected
from underkettle.sums.sum import SumError

TABS = "held", "swept", "through a resistance", *JOINED
SHEETS = "a foil", "over the sheet"
MIDDLING = {
    "rest": {"table": [["0", "3 V"], ["0.1", "3.4 V"], ["0.5", "3.65 V"], ["1", "4.15 V"]]},
    "at_once": {"table": [["0", "2.5 mohm m2"], ["1", "2.5 mohm m2"]]},
}


def _tabs_of(facts: Facts, conductor: str) -> list[str]:
    """Edges that a conductor is joined to something by."""
    column = f"{ME}.{conductor}"
    return [e for e in facts.edges() if facts.kind(e, column) in TABS]


def _lacking(facts: Facts) -> Iterator[Finding]:
    """A cell is told by records of pulses or by tables."""
    for name, cell in cells(facts.settings(ME)).items():
        lacks = [key for key in MIDDLING if cell.get(key) is None]
        if cell.get("pulses") is None and lacks:
            path = f"phenomena/{ME}/cells/{name}"
            yield Finding(
                "stops",
                f"Nothing tells what {name.replace('_', ' ')} gives.",
                "Hand it records of pulses, or tables of its voltage at rest and what resists.",
                column=f"{ME}.{name}",
                cure=tuple((f"{path}/{key}", MIDDLING[key]) for key in lacks),
                cure_label="Take a middling lithium cell (common practice)",
            )


def _unread(facts: Facts) -> Iterator[Finding]:
    """Records of pulses can be read, and a circuit found in them."""
    for name, cell in cells(facts.settings(ME)).items():
        try:
            found_in(cell)
        except SumError as fault:
            pulses, label = cell["pulses"], ""
            cure: tuple[tuple[str, Any], ...] = ()
            if isinstance(fault, Mistaken):
                text, label = corrected(pulses.text, fault.column, fault.times), MENDS[fault.column]
                cure = (
                    (f"phenomena/{ME}/cells/{name}/pulses", {"name": pulses.name, "text": text}),
                )
            yield Finding(
                "stops",
                f"The pulses of {name.replace('_', ' ')} cannot be used.",
                f"{upper_first(str(fault))}.",
                column=f"{ME}.{name}",
                cure=cure,
                cure_label=label,
            )


MENDS = {"current": "Change the sign of currents", "voltage": "Take voltages as mV"}


def _doubtful(facts: Facts) -> Iterator[Finding]:
    """A fit that misses, and a rest voltage that falls as a cell is charged."""
    for name, cell in cells(facts.settings(ME)).items():
        column, words = f"{ME}.{name}", name.replace("_", " ")
        try:
            found = found_in(cell)
        except SumError:
            continue
        if found is not None and found.off > MISSES * _swing(found):
            yield Finding(
                "doubt",
                f"The circuit of {words} misses its pulses by {1e3 * found.off:.2g} mV on average.",
                "Two delays do not tell what happens: shorter records, or a larger charge.",
                column=column,
            )
        rest = cell.get("rest") if found is None else None
        if rest is not None and (np.diff(rest.values) < 0).any():
            yield Finding(
                "doubt",
                f"{headed(words)} falls in voltage at rest as it is charged.",
                "Its table goes down somewhere: two columns may have been exchanged.",
                column=column,
            )


MISSES = 0.1  # of what a pulse moves the voltage by, that a fit may be off by on average


def _swing(found: Found) -> float:
    return min(float(np.ptp(p.voltage)) for p in found.pulses)


def _tabs(facts: Facts) -> Iterator[Finding]:
    """Current enters one foil of a cell and leaves by the other."""
    settings = facts.settings(ME)
    known = conductors(settings)
    for name, cell in cells(settings).items():
        foils = ends(settings, cell)
        if not set(foils) <= set(known) or foils[0] == foils[1]:
            continue
        tabs = {foil: _tabs_of(facts, foil) for foil in foils}
        bare = [foil for foil in foils if not tabs[foil]]
        for foil in bare:
            other = foils[1 - foils.index(foil)]
            words, theirs = foil.replace("_", " "), other.replace("_", " ")
            spare = tabs[other][1:]
            listed = " and ".join(facts.edge_label(e) for e in tabs[other])
            cure: tuple[tuple[str, Any], ...] = ()
            if spare:
                edge = spare[-1]
                cure = ((f"conditions/{edge}/{ME}.{foil}", {"kind": "held", "value": "0 V"}),)
                cure += ((f"conditions/{edge}/{ME}.{other}", None),)
            elif free := [e for e in facts.edges() if e not in tabs[other]]:
                edge = free[-1]
                cure = ((f"conditions/{edge}/{ME}.{foil}", {"kind": "held", "value": "0 V"}),)
            yield Finding(
                "stops",
                f"Both tabs are on {theirs}: {listed}." if spare else f"No tab is on {words}.",
                f"Nothing leads current through {name.replace('_', ' ')}: one edge of {words} has to "
                "be held or to carry it.",
                column=f"{ME}.{foil}",
                cure=cure,
                cure_label=f"Join {facts.edge_label(edge)} to {words}, at 0 V" if cure else "",
            )
        column = f"{ME}.{foils[1]}"
        if not bare and all(facts.kind(e, column) == "floats" for e in tabs[foils[1]]):
            yield Finding(
                "doubt",
                f"Nothing draws from {name.replace('_', ' ')}.",
                "Its tabs float: no current flows but between its own parts.",
                column=f"{ME}.{name}",
            )


def _sheet(facts: Facts) -> Iterator[Finding]:
    """A foil, and what lies once over a sheet, need a sheet with a depth."""
    settings = facts.settings(ME)
    for member in (*conductors(settings), *cells(settings)):
        column = f"{ME}.{member}"
        for zone in facts.zones():
            kind = facts.kind(zone, column)
            if kind in SHEETS and facts.round():
                yield Finding(
                    "stops",
                    f"{facts.edge_label(zone)} is no sheet.",
                    "The vessel is round: what lies once over it has no depth to lie in.",
                    zone,
                    column,
                    cure=((f"conditions/{zone}/{column}", ROUND.get(kind, {"kind": "nowhere"})),),
                    cure_label="Let it fill the zone" if kind == "a foil" else "On pores instead",
                )
            elif kind == "a foil":
                thick = float(facts.values(zone, column)["thickness"])
                if thick > facts.depth():
                    yield Finding(
                        "doubt",
                        f"The foil in {facts.edge_label(zone)} is thicker than the sheet is deep.",
                        f"{1e6 * thick:.4g} um of {1e6 * facts.depth():.4g} um.",
                        zone,
                        column,
                        cure=((f"conditions/{zone}/{column}/thickness", f"{facts.depth():.6g} m"),),
                        cure_label="As thick as the sheet",
                    )


ROUND = {
    "a foil": {"kind": "conducts"},
    "over the sheet": {"kind": "in pores", "area": "5000 1/m"},
}


def _drives(facts: Facts) -> Iterator[Finding]:
    """A rate is one of cells; one edge at most brings a power."""
    settings = facts.settings(ME)
    powers = []
    for member in conductors(settings):
        column = f"{ME}.{member}"
        for edge in facts.edges():
            kind = facts.kind(edge, column)
            if kind == "at a rate" and not cells(settings):
                yield Finding(
                    "contradiction",
                    f"{facts.edge_label(edge)} carries a share of what cells hold, and there are none.",
                    "Without a cell it carries nothing.",
                    edge,
                    column,
                    cure=((f"conditions/{edge}/{column}", {"kind": "carries", "current": "1 A"}),),
                    cure_label="Let it carry 1 A",
                )
            elif kind == "at a power":
                powers.append((edge, column))
    for edge, column in powers[1:]:
        yield Finding(
            "stops",
            f"{facts.edge_label(edge)} is a second edge that brings a power.",
            "One at most can: what others carry must be told otherwise.",
            edge,
            column,
            cure=((f"conditions/{edge}/{column}", {"kind": "held", "value": "0 V"}),),
            cure_label="Hold it at 0 V",
        )


def _emptied(facts: Facts) -> Iterator[Finding]:
    """What is drawn steadily for so long is there."""
    settings, until = facts.settings(ME), facts.until(ME)
    if until is None or facts.may_end(ME):
        return
    for member in conductors(settings):
        column = f"{ME}.{member}"
        for edge in facts.edges():
            if facts.kind(edge, column) != "at a rate":
                continue
            law = facts.values(edge, column)["rate"]
            if not isinstance(law, float):
                continue
            begun = [facts.start(z, f"{ME}.{c}") for c in cells(settings) for z in facts.zones()]
            levels = [float(b["value"]) for b in begun if isinstance(b.get("value"), float)]
            if not levels:
                continue
            end = np.mean(levels) + law * until
            if -SLACK <= end <= 1.0 + SLACK:
                continue
            lasts = (levels[0] if law < 0 else 1.0 - levels[0]) / abs(law)
            yield Finding(
                "doubt",
                f"Cells are {'empty' if law < 0 else 'full'} after {lasts:.4g} s.",
                f"Stages in time go on for {until:.4g} s: let one end where a voltage is passed, or "
                "carry less.",
                edge,
                column,
            )


SLACK = 1e-6


def _by_shapes(facts: Facts) -> Iterator[Finding]:
    """Shapes are for cells between foils, and nothing else."""
    settings = facts.settings(ME)
    if settings.get("way") != REDUCED:
        return
    if not cells(settings) or passages(settings):
        yield Finding(
            "stops",
            "Shapes do for battery cells only.",
            "There are none here."
            if not cells(settings)
            else "Other surfaces take currents that no few shapes tell.",
            column=ME,
            cure=((f"phenomena/{ME}/way", FULL),),
            cure_label="Solve in full",
        )


def connections(facts: Facts) -> Iterator[str]:
    """What each cell's foils are joined by, as far as anything is."""
    settings = facts.settings(ME)
    for name, cell in cells(settings).items():
        told = []
        for pole, foil in zip(("negative", "positive"), ends(settings, cell), strict=True):
            if foil not in conductors(settings):
                return
            column = f"{ME}.{foil}"
            joined = [
                f"{facts.edge_label(e)} ({facts.says(e, column)})" for e in _tabs_of(facts, foil)
            ]
            words = foil.replace("_", " ")
            told.append(f"{pole} on {words}, joined by {' and '.join(joined) or 'nothing'}")
        yield f"{headed(name)}: {'; '.join(told)}."


def fit_shown(settings: Mapping[str, Any]) -> Shown | None:
    """Records of pulses one after the other, and the circuit's voltage over them. Raises SumError."""
    found = found_in(settings)
    if found is None:
        return None
    circuit, middle = found.circuit, len(found.circuit.levels) // 2
    value, sure = circuit.values[middle], found.sure[middle]
    parts = [
        f"{label} {factor * value[k]:.3g} ± {factor * sure[k]:.2g} {unit}"
        for k, label, factor, unit in (
            (1, "at once", 1e3, "mohm"),
            (2, "soon", 1e3, "mohm"),
            (3, "within", 1.0, "s"),
            (4, "later", 1e3, "mohm"),
            (5, "within", 1.0, "s"),
        )
    ]
    says = (
        f"{len(found.pulses)} pulses; the fit is {1e3 * found.off:.2g} mV off on average, "
        f"{1e3 * found.worst:.2g} mV at most.",
        f"At a level of {circuit.levels[middle]:.3g}: {', '.join(parts)} (95 % sure).",
    )
    return Shown(found.curve(), says, found.left())


RULES = (
    AuditRule("cell that nothing tells", _lacking),
    AuditRule("pulses that cannot be used", _unread),
    AuditRule("circuit in doubt", _doubtful),
    AuditRule("cell without its tabs", _tabs),
    AuditRule("foil without a sheet", _sheet),
    AuditRule("load that is none", _drives),
    AuditRule("drawn beyond its charge", _emptied),
    AuditRule("shapes for what bends", _by_shapes),
)
