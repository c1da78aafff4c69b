"""What the audit asks of a mixture: whether it sums to one, and whether the others know of it."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.contract.questions import asked
from underkettle.matter.thermo import substances
from underkettle.matter.warming import COLDEST
from underkettle.phenomena.mixture.gases import HEAT, NAMES, heat_capacity, own_heat, told

ROUNDING = 1e-9
OWN = f"mixture.{HEAT}"  # the column of its heat
LIGHTS = 900.0  # K
LOWEST = 200.0  # K, from which heat capacities were fitted


def _components(facts: Facts) -> list[str]:
    """Columns of the components."""
    return [c for c in facts.columns("mixture") if c != OWN or not _warm(facts)]


def _warm(facts: Facts) -> bool:
    return own_heat(facts.settings("mixture"))


def _sums(facts: Facts) -> Iterator[Finding]:
    """Fractions brought, held or there at the start must leave room for the rest."""
    columns = _components(facts)
    for place, label, values in asked(facts):
        shares = {c: values(place, c).get("value") for c in columns}
        given = {c: v for c, v in shares.items() if v is not None}
        low = next((c for c, v in given.items() if v < -ROUNDING), None)
        if low is not None:
            yield Finding(
                "stops",
                f"{label} has a mass fraction below zero.",
                f"{low.partition('.')[2]} is {given[low]:g}.",
                place,
                low,
            )
        elif sum(given.values()) > 1 + ROUNDING:
            yield Finding(
                "stops",
                f"The composition of {label} does not sum to one.",
                f"The fractions given sum to {sum(given.values()):.4g}, which leaves "
                "less than nothing for the rest.",
                place,
                next(iter(given)),
            )


def _two_densities(facts: Facts) -> Iterator[Finding]:
    own, mine = facts.settings("mixture")["density"], facts.columns("mixture")[0]
    for column in facts.carriers():
        stream = facts.settings(column).get("density")
        if stream is None or facts.law(column, "density"):
            continue
        if abs(stream / own - 1) > 1e-6:
            yield Finding(
                "contradiction",
                "The stream has two densities.",
                f"The mixture reckons with {own:g} kg/m3 and {column} with {stream:g} kg/m3.",
                column=mine,
                cure=(("phenomena/mixture/density", f"{stream:g} kg/m3"),),
                cure_label=f"Take {stream:g} kg/m3",
            )


def _unaware(facts: Facts) -> Iterator[Finding]:
    """Where the mixture can tell what the stream consists of, the stream should ask it."""
    if not told(facts.settings("mixture")):
        return
    column = facts.columns("mixture")[0]
    cures, lacks = [], []
    for others, wanted in (
        (facts.carriers(), ("density", "viscosity")),
        (facts.temperatures(), ("conductivity",)),
    ):
        for other in others:
            for setting in wanted:
                if setting in facts.settings(other) and not _follows(facts, other, setting):
                    cures.append((f"phenomena/{other}/{setting}", NAMES[setting]))
                    lacks.append(setting)
    if cures:
        yield Finding(
            "doubt",
            "The stream does not know what it is made of.",
            f"The mixture tells its {', '.join(NAMES)} from its make-up and temperature; "
            f"{' and '.join(lacks)} {'is' if len(lacks) == 1 else 'are'} given otherwise.",
            column=column,
            cure=tuple(cures),
            cure_label="Take them from the mixture",
        )


def _follows(facts: Facts, column: str, setting: str) -> bool:
    return bool({NAMES[setting], f"mixture.{NAMES[setting]}"} & facts.law(column, setting))


def _out_of_touch(facts: Facts) -> Iterator[Finding]:
    """A temperature is solved for, and the gas does not follow it."""
    if not told(facts.settings("mixture")) or facts.law("mixture", "temperature") or _warm(facts):
        return
    for column in facts.temperatures():
        fixed = facts.settings("mixture")["temperature"]
        yield Finding(
            "contradiction",
            "The gas does not feel the heat.",
            f"Its density and viscosity are taken at {fixed - 273.15:.4g} degC, and a temperature "
            "is solved for.",
            column=facts.columns("mixture")[0],
            cure=(("phenomena/mixture/temperature", "temperature"),),
            cure_label=f"Let it follow the temperature of {column}",
        )
        return


def _two_capacities(facts: Facts) -> Iterator[Finding]:
    """Heat must count with what the mixture holds."""
    held = heat_capacity(facts.settings("mixture"))
    if held is None:
        return
    for column in facts.temperatures():
        law = facts.law(column, "heat_capacity")
        own = facts.settings(column).get("heat_capacity")
        if own is None or (not law and abs(own / held - 1) < 1e-3):
            continue
        says = "a law" if law else f"{own:.4g} J/(kg K)"
        yield Finding(
            "contradiction" if law else "doubt",
            "The stream has two heat capacities.",
            f"The mixture's components bring their own, {held:.4g} J/(kg K) where it is all rest; "
            f"{column} has {says}, which then does not count.",
            column=column,
            cure=((f"phenomena/{column}/heat_capacity", f"{held:.5g} J/(kg K)"),),
            cure_label=f"Take {held:.5g} J/(kg K)",
        )


def _cannot_tell(facts: Facts) -> Iterator[Finding]:
    """Heat with formation included asks what everything is made of."""
    settings, column = facts.settings("mixture"), facts.columns("mixture")[0]
    if not own_heat(settings):
        return
    members = settings["members"]
    if HEAT in members:
        yield Finding(
            "stops",
            f"A component is called {HEAT}.",
            "The mixture keeps account of its heat under that name; call the component otherwise.",
            column=f"mixture.{HEAT}",
        )
    unsaid = [n for n, m in members.items() if m.get("gas") is None]
    known = {n: n for n in unsaid if n in substances()}
    if unsaid:
        yield Finding(
            "stops",
            "The mixture cannot keep account of its heat.",
            f"Nobody says what {' and '.join(unsaid)} is made of.",
            column=column,
            cure=tuple((f"phenomena/mixture/members/{n}/gas", n) for n in unsaid)
            if len(known) == len(unsaid)
            else (("phenomena/mixture/own_heat", False),),
            cure_label="Go by what they are called"
            if len(known) == len(unsaid)
            else "Leave its heat out",
        )


def _comes_cold(facts: Facts) -> Iterator[Finding]:
    """Matter that is given without a stream brings no enthalpy."""
    if not _warm(facts):
        return
    for column in _components(facts):
        label = column.partition(".")[2]
        for edge in facts.edges():
            if facts.kind(edge, column) in ("flux", "film", "held value"):
                yield Finding(
                    "doubt",
                    f"{label} comes through {facts.edge_label(edge)} without its heat.",
                    "What enters or leaves by itself, without a stream, takes no enthalpy along; "
                    "let a stream bring it.",
                    edge,
                    column,
                )
        for zone in facts.zones():
            values = facts.values(zone, column)
            if values.get("source") or values.get("loss"):
                yield Finding(
                    "doubt",
                    f"{label} is made in {facts.edge_label(zone)} without its heat.",
                    "Only what reactions change keeps its enthalpy.",
                    zone,
                    column,
                )


def _beyond_fits(facts: Facts) -> Iterator[Finding]:
    """Temperatures must lie where heat capacities are known."""
    if not _warm(facts) or not told(facts.settings("mixture")):
        return
    gases = [m["gas"] for m in facts.settings("mixture")["members"].values()]
    gases.append(facts.settings("mixture")["rest_gas"])
    top = min(substances()[s].top for g in gases for s, _ in g.moles)
    for place, label, values in asked(facts):
        for value in (values(place, OWN).get(n) for n in ("value", "ambient")):
            if value is None or LOWEST <= float(value) <= top:
                continue
            yield Finding(
                "doubt" if float(value) > COLDEST else "stops",
                f"{label} is outside what heat capacities were fitted to.",
                f"It is at {float(value) - 273.15:.4g} degC; fits hold from {LOWEST - 273.15:.4g} "
                f"to {top - 273.15:.4g} degC.",
                place,
                OWN,
            )


def _unlit(facts: Facts) -> Iterator[Finding]:
    """At rest a gas that begins cold stays cold: something has to light it."""
    if not (_warm(facts) and facts.given(HEAT) and "steady" in facts.modes("mixture")):
        return
    warm = {
        label: float(value)
        for place, label, values in asked(facts)
        if (value := values(place, OWN).get("value")) is not None
    }
    if not warm or max(warm.values()) >= LIGHTS:
        return
    where = max(warm, key=lambda label: warm[label])
    starts = [z for z in facts.zones() if facts.start(z, OWN).get("value") is not None]
    yield Finding(
        "doubt",
        "Nothing lights what burns.",
        f"The warmest is {where}, {warm[where] - 273.15:.4g} degC, and gases seldom kindle below "
        f"{LIGHTS - 273.15:.0f} degC (common practice): at rest it may settle cold, though it could "
        "burn. Let it begin hot.",
        starts[0] if starts else "",
        OWN,
        cure=tuple((f"start/{z}/{OWN}/value", "1800 K") for z in starts),
        cure_label="Let it begin at 1800 K",
    )


RULES = (
    AuditRule("flame that nothing lights", _unlit),
    AuditRule("heat of what is not told", _cannot_tell),
    AuditRule("matter without its heat", _comes_cold),
    AuditRule("temperature outside the fits", _beyond_fits),
    AuditRule("two heat capacities", _two_capacities),
    AuditRule("composition does not sum to one", _sums),
    AuditRule("two densities", _two_densities),
    AuditRule("stream unaware of its mixture", _unaware),
    AuditRule("gas does not feel the heat", _out_of_touch),
)
