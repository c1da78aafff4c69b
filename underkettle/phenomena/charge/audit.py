"""What is worth questioning about potentials and currents before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.phenomena.charge import plates
from underkettle.phenomena.charge.naming import (
    BUTLER,
    CHARGES,
    DRIVEN,
    FORMS,
    ME,
    RESISTS,
    TAKES,
    between,
    conductors,
    ends,
    passages,
    swept,
)
from underkettle.quantities.words import headed

FIXES = "held", "swept", "through a resistance", "through a load"
WALL, PORES, SHEET = "on the wall", "in pores", "over the sheet"
MEETS = "where they meet"
LACKS = {
    BUTLER: ("exchange", "10 A/m2", "Take 10 A/m2, of a middling reaction"),
    RESISTS: ("resistance", "1 mohm m2", "Take 1 mohm m2"),
}


def _column(member: str) -> str:
    return f"{ME}.{member}"


def _where(facts: Facts, member: str, *kinds: str) -> list[str]:
    """Edges, zones and where zones meet that do one of these for a member."""
    places = [*facts.edges(), *facts.zones(), *facts.borders()]
    return [p for p in places if facts.kind(p, _column(member)) in kinds]


def _loose(facts: Facts) -> Iterator[Finding]:
    """A potential is one only against another that is known."""
    names = list(conductors(facts.settings(ME)))
    if any(_where(facts, name, *FIXES) for name in names):
        return
    joined = [(e, n) for n in names for e in _where(facts, n, *DRIVEN, "current density")]
    edges = [e for e in facts.edges() if not facts.on_axis(e)]
    place, member = joined[-1] if joined else (edges[0] if edges else "", names[0])
    yield Finding(
        "stops",
        "The potential is fixed nowhere.",
        "Currents only tell differences: hold one edge at a potential.",
        place,
        _column(member),
        cure=((f"conditions/{place}/{_column(member)}", {"kind": "held", "value": "0 V"}),),
        cure_label=f"Hold {facts.edge_label(place)} at 0 V",
    )


def _nowhere(facts: Facts) -> Iterator[Finding]:
    """A conductor fills at least one zone, a surface is somewhere."""
    settings = facts.settings(ME)
    for name in conductors(settings):
        if len(_where(facts, name, "not here")) == len(facts.zones()):
            yield Finding(
                "stops",
                f"{name.replace('_', ' ')} is nowhere.",
                "Every zone says that it is not there.",
                column=_column(name),
            )
    for name in between(settings):
        if not _where(facts, name, WALL, PORES, SHEET, MEETS):
            yield Finding(
                "doubt",
                f"{name.replace('_', ' ')} is nowhere.",
                "No wall, no zone and no place where zones meet has it, so nothing passes.",
                column=_column(name),
            )


def _ends(facts: Facts) -> Iterator[Finding]:
    """A surface stands between two conductors, or between a wall and one."""
    settings = facts.settings(ME)
    names = list(conductors(settings))
    for name, passage in between(settings).items():
        first, last = ends(settings, passage)
        unknown = [n for n in (first, last) if n and n not in names]
        if unknown or first == last:
            key = "into" if last in unknown or first == last else "out_of"
            other = next((n for n in names if n not in (first, last)), names[-1])
            yield Finding(
                "stops",
                f"{name.replace('_', ' ')} leads nowhere.",
                f"{unknown[0]} is no conductor here."
                if unknown
                else f"It leads from {first} into {last}.",
                column=_column(name),
                cure=((f"phenomena/{ME}/passages/{name}/{key}", other),),
                cure_label=f"Let it lead {'into' if key == 'into' else 'out of'} {other}",
            )


def _in_pores(facts: Facts) -> Iterator[Finding]:
    """In pores there must be both conductors."""
    settings = facts.settings(ME)
    names = conductors(settings)
    for name, passage in between(settings).items():
        both = ends(settings, passage)
        for zone in _where(facts, name, PORES, SHEET):
            if not set(both) - {""} <= set(names):
                continue
            lacking = [n for n in both if not n or facts.kind(zone, _column(n)) == "not here"]
            if lacking:
                yield Finding(
                    "contradiction",
                    f"{facts.edge_label(zone)} has a surface and only one conductor.",
                    f"{(lacking[0] or 'a second one').replace('_', ' ')} is not there, so nothing "
                    "passes.",
                    zone,
                    _column(name),
                    cure=((f"conditions/{zone}/{_column(name)}", {"kind": "nowhere"}),),
                    cure_label="No surface there",
                )


def _met(facts: Facts) -> Iterator[Finding]:
    """Where zones meet, one conductor is on one side and the other on the other."""
    settings = facts.settings(ME)
    for name, passage in passages(settings).items():
        first, last = ends(settings, passage)
        if not {first, last} <= set(conductors(settings)):
            continue
        for place in _where(facts, name, MEETS):
            here = [
                {n for n in (first, last) if facts.kind(zone, _column(n)) != "not here"}
                for zone in facts.borders()[place]
            ]
            if not any(first in a and last in b for a, b in (here, here[::-1])):
                yield Finding(
                    "contradiction",
                    f"{facts.edge_label(place)}: {name.replace('_', ' ')} lacks a conductor.",
                    f"It passes current from {first.replace('_', ' ')} on one side into "
                    f"{last.replace('_', ' ')} on the other, and these are not there.",
                    place,
                    _column(name),
                    cure=((f"conditions/{place}/{_column(name)}", {"kind": "apart"}),),
                    cure_label="No surface there",
                )


def _walls(facts: Facts) -> Iterator[Finding]:
    """What stands on a wall needs a wall of some potential."""
    settings = facts.settings(ME)
    for name, passage in passages(settings).items():
        last = ends(settings, passage)[1]
        if last not in conductors(settings):
            continue
        for edge in _where(facts, name, WALL):
            kind = facts.kind(edge, _column(last))
            if kind in ("insulated", "current density"):
                yield Finding(
                    "contradiction",
                    f"{facts.edge_label(edge)} has a surface and no potential.",
                    f"{name.replace('_', ' ')} passes current between the wall's potential and "
                    f"{last.replace('_', ' ')}: say what the wall is held at or carries.",
                    edge,
                    _column(last),
                    cure=(
                        (f"conditions/{edge}/{_column(last)}", {"kind": "held", "value": "0 V"}),
                    ),
                    cure_label="Hold the wall at 0 V",
                )


def _lacking(facts: Facts) -> Iterator[Finding]:
    """A law needs its number."""
    for name, passage in passages(facts.settings(ME)).items():
        law = str(passage.get("law"))
        key, value, words = LACKS.get(law, ("", "", ""))
        if key and passage.get(key) is None:
            yield Finding(
                "stops",
                f"{name.replace('_', ' ')} lacks its {key}.",
                f"It passes current by '{law}'.",
                column=_column(name),
                cure=((f"phenomena/{ME}/passages/{name}/{key}", value),),
                cure_label=words,
            )
        if law == CHARGES and float(passage.get("capacity") or 0.0) == 0.0:
            yield Finding(
                "stops",
                f"{name.replace('_', ' ')} neither stores nor passes anything.",
                "It is charged only, and its capacity is nought.",
                column=_column(name),
                cure=((f"phenomena/{ME}/passages/{name}/capacity", "0.1 F/m2"),),
                cure_label="Take .1 F/m2, of carbon in a watery salt (common practice)",
            )


def _unfollowed(
    name: str, key: str, given: str, known: list[str], others: list[str], does: str, instead: str
) -> Finding:
    """What a passage names, under a key, and nobody follows; others : that may be meant."""
    return Finding(
        "stops",
        f"Nobody follows {given.replace('_', ' ')}, which {name.replace('_', ' ')} {does}.",
        f"Followed: {', '.join(known) or 'nothing'}.",
        column=_column(name),
        cure=((f"phenomena/{ME}/passages/{name}/{key}", others[0] if others else None),),
        cure_label=f"Take {others[0].replace('_', ' ')}" if others else instead,
    )


def _turned(facts: Facts) -> Iterator[Finding]:
    """What a current turns is followed by somebody, and asked for by its law."""
    settings, known = facts.settings(ME), list(facts.matter())
    for name, passage in passages(settings).items():
        label, path = name.replace("_", " "), f"phenomena/{ME}/passages/{name}"
        for form in FORMS:
            given = passage.get(form)
            if not given:
                continue
            others = [n for n in known if n not in [passage.get(f) for f in FORMS]]
            if given not in known:
                yield _unfollowed(name, form, given, known, others, "turns", "Turn nothing")
            elif passage.get("law") != BUTLER:
                yield Finding(
                    "contradiction",
                    f"{headed(label)} turns {str(given).replace('_', ' ')} unasked.",
                    f"It passes current by '{passage.get('law')}', however much there is.",
                    column=_column(name),
                    cure=((f"{path}/{form}", None),),
                    cure_label="Turn nothing",
                )


def _taken(facts: Facts) -> Iterator[Finding]:
    """What a charge takes up is followed by somebody, and there is a charge."""
    settings, known = facts.settings(ME), list(facts.matter())
    for name, passage in passages(settings).items():
        given = passage.get(TAKES)
        label, path = name.replace("_", " "), f"phenomena/{ME}/passages/{name}/{TAKES}"
        if given and given not in known:
            yield _unfollowed(name, TAKES, given, known, known, "takes up", "Take nothing up")
        elif given and float(passage.get("capacity") or 0.0) == 0.0:
            yield Finding(
                "contradiction",
                f"{headed(label)} takes up {str(given).replace('_', ' ')} with no charge.",
                "Its capacity is nought.",
                column=_column(name),
                cure=((path, None),),
                cure_label="Take nothing up",
            )


def _sweeps(facts: Facts) -> Iterator[Finding]:
    """A sweep goes up from its low end, and begins within."""
    for edge, column, sweep in swept(facts):
        low, high, begins, label = sweep.low, sweep.high, sweep.begins, facts.edge_label(edge)
        path = f"conditions/{edge}/{column}"
        if low >= high:
            yield Finding(
                "stops",
                f"{label} is swept from {low:g} V to {high:g} V.",
                "The low end must be below the high end.",
                edge,
                column,
                cure=(
                    (f"{path}/low", f"{high:.6g} V"),
                    (f"{path}/high", f"{max(low, high + 1.0):.6g} V"),
                    (f"{path}/begins", None),
                ),
                cure_label="Turn them round" if low > high else "Sweep over 1 V",
            )
        elif not low <= begins <= high:
            yield Finding(
                "stops",
                f"{label} begins outside its sweep.",
                f"{begins:g} V lies outside {low:g} to {high:g} V.",
                edge,
                column,
                cure=((f"{path}/begins", f"{low:.6g} V"),),
                cure_label="Begin at the low end",
            )


def _cycles(facts: Facts) -> Iterator[Finding]:
    """What is cycled has something to charge, between two voltages."""
    settings = facts.settings(ME)
    stores = any(float(p.get("capacity") or 0.0) > 0 for p in passages(settings).values())
    for name in conductors(settings):
        column = _column(name)
        for edge in _where(facts, name, "cycled"):
            values, label = facts.values(edge, column), facts.edge_label(edge)
            low, high = float(values["low"]), float(values["high"])
            if low >= high:
                yield Finding(
                    "stops",
                    f"{label} is cycled from {low:g} V to {high:g} V.",
                    "It must go down to less than it goes up to.",
                    edge,
                    column,
                    cure=(
                        (f"conditions/{edge}/{column}/low", f"{high:.6g} V"),
                        (f"conditions/{edge}/{column}/high", f"{max(low, high + 1.0):.6g} V"),
                    ),
                    cure_label="Turn them round" if low > high else "Cycle over 1 V",
                )
            elif not stores or facts.until(ME) is None:
                yield Finding(
                    "contradiction",
                    f"{label} is cycled, and nothing charges.",
                    "No surface has a capacity." if not stores else "No stage goes through time.",
                    edge,
                    column,
                )


def _cut_short(facts: Facts) -> Iterator[Finding]:
    """A sweep takes time, and once around at least."""
    for edge, column, sweep in swept(facts):
        cycle, span = 2.0 * sweep.half, facts.until(ME)
        label = facts.edge_label(edge)
        if span is None:
            yield Finding(
                "contradiction",
                f"{label} is swept, and no stage goes through time.",
                "At rest it stays where it begins.",
                edge,
                column,
            )
        elif cycle > 0 and span < cycle * (1 - 1e-9):
            yield Finding(
                "doubt",
                f"{label} is not swept once around.",
                f"A cycle takes {cycle:.4g} s, the stages in time {span:.4g} s.",
                edge,
                column,
            )


def _swing(facts: Facts) -> Iterator[Finding]:
    """A small swing has a frequency, comes from an edge that is joined, and is told at rest."""
    settings = facts.settings(ME)
    place, frequency = settings.get("swings"), settings.get("frequency")
    if (place is None) != (frequency is None):
        lacks = "frequency" if frequency is None else "edge it comes from"
        yield Finding(
            "doubt",
            f"The small swing lacks the {lacks}.",
            "Impedance is told once both are given.",
            column=ME,
            cure=((f"phenomena/{ME}/frequency", "1 1/s"),) if frequency is None else (),
            cure_label="Swing once a second" if frequency is None else "",
        )


def _unseen(facts: Facts) -> Iterator[Finding]:
    """A small swing comes from an edge that is joined, and is told at rest."""
    settings = facts.settings(ME)
    place = settings.get("swings")
    if place is None or settings.get("frequency") is None:
        return
    joined = [facts.kind(str(place), _column(n)) for n in conductors(settings)]
    if not {"steady", "series"} & set(facts.modes(ME)):
        yield Finding(
            "doubt",
            "The small swing is told at rest only.",
            "Every stage goes through time.",
            column=ME,
        )
    elif all(kind in ("", "insulated", "current density") for kind in joined):
        label = facts.edge_label(str(place))
        yield Finding(
            "contradiction",
            f"No conductor is joined to {label}, where the swing comes from.",
            "Hold it at a potential, or let it carry a current.",
            str(place),
            ME,
        )


def _heat(facts: Facts) -> Iterator[Finding]:
    """Heat that current makes belongs to heat, where that is solved for."""
    if facts.temperatures() and not facts.settings(ME).get("warms"):
        yield Finding(
            "doubt",
            "Current warms nothing.",
            "Temperatures are solved for, and the heat it makes is not given to them.",
            column=ME,
            cure=((f"phenomena/{ME}/warms", True),),
            cure_label="Let it warm what it passes",
        )


def _at_rest(facts: Facts) -> Iterator[Finding]:
    """At rest nothing is charged any more."""
    at_rest = {"steady", "series"} & set(facts.modes(ME))
    for name, passage in passages(facts.settings(ME)).items():
        if at_rest and passage.get("law") == CHARGES:
            yield Finding(
                "doubt",
                f"{name.replace('_', ' ')} passes nothing at rest.",
                "It is charged only; a stage at rest shows what passes once that is over.",
                column=_column(name),
            )


RULES = (
    AuditRule("potential fixed nowhere", _loose),
    AuditRule("conductor or surface nowhere", _nowhere),
    AuditRule("surface leads nowhere", _ends),
    AuditRule("surface in pores of one conductor", _in_pores),
    AuditRule("surface where no two conductors meet", _met),
    AuditRule("surface on a wall without potential", _walls),
    AuditRule("surface without its number", _lacking),
    AuditRule("turned by nobody's account", _turned),
    AuditRule("taken up by nobody's account", _taken),
    AuditRule("sweep that is none", _sweeps),
    AuditRule("sweep cut short", _cut_short),
    AuditRule("cycles that are none", _cycles),
    AuditRule("swing that is not told", _swing),
    AuditRule("swing that nobody sees", _unseen),
    AuditRule("current that warms nothing", _heat),
    AuditRule("charged only, at rest", _at_rest),
    *plates.RULES,
)
