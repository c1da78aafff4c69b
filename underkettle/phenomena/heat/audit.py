"""What is worth questioning about heat before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding

HELD = ("held temperature", "film")
ZERO = 273.15  # K
COLDEST = 150.0  # K: below it degC are mostly meant
HARDLY_FELT = 1e5  # Biot number of a contact from which on nobody would notice it
WIDE = 100.0  # K
WATER_EXPANSION = 2.1e-4  # 1/K, at 20 degC


def _all_lagged(facts: Facts) -> Iterator[Finding]:
    walls = [e for e in facts.edges() if facts.kind(e, "heat") == "lagged"]
    others = [e for e in facts.edges() if facts.kind(e, "heat") in (*HELD, "heat flux")]
    made = any(facts.kind(z, "heat") == "made" for z in facts.zones())
    if walls and not others and not made and all(facts.assumed(e, "heat") for e in walls):
        yield Finding(
            "doubt",
            "Every wall is at its assumed 'no loss'.",
            "The stream will leave as warm as it enters.",
            walls[0],
            "heat",
        )


def _cannot_settle(facts: Facts) -> Iterator[Finding]:
    if "steady" not in facts.modes("heat"):
        return
    unsaid = [e for e in facts.edges() if facts.state(e, "heat") == "missing"]
    if not unsaid and not any(
        facts.kind(e, "heat") in (*HELD, "carried out") for e in facts.edges()
    ):
        yield Finding(
            "stops",
            "Heat can settle nowhere.",
            "A steady state needs an edge that holds a temperature, loses heat to its "
            "surroundings or lets a stream out.",
            column="heat",
        )


def _two_densities(facts: Facts) -> Iterator[Finding]:
    own = facts.settings("heat")["density"]
    for column in facts.carriers():
        if facts.law(column, "density"):
            continue  # heat then follows the stream's
        stream = facts.settings(column).get("density")
        if stream is not None and abs(stream / own - 1) > 1e-6:
            yield Finding(
                "contradiction",
                "The stream has two densities.",
                f"Heat reckons with {own:g} kg/m3 and {column} with {stream:g} kg/m3.",
                column="heat",
                cure=(("phenomena/heat/density", f"{stream:g} kg/m3"),),
                cure_label=f"Take {stream:g} kg/m3",
            )


def _solid_or_not(facts: Facts) -> Iterator[Finding]:
    for zone in facts.zones():
        if facts.kind(zone, "heat") != "solid" or facts.blocked(zone):
            continue
        for column in facts.carriers():
            yield Finding(
                "contradiction",
                f"{facts.edge_label(zone)} is solid to heat only.",
                f"Heat has a solid there, and {column} lets the stream pass.",
                zone,
                "heat",
                cure=((f"conditions/{zone}/{column}/kind", "solid"),),
                cure_label="Keep the stream out",
            )


def _closed_carrier(facts: Facts) -> Iterator[Finding]:
    for edge in facts.edges():
        kind = facts.kind(edge, "heat")
        if kind in ("carried in", "carried out") and facts.through(edge) == "":
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} is closed, yet heat is {kind} there.",
                "No stream passes it, so no heat will.",
                edge,
                "heat",
            )


def _below_zero(facts: Facts) -> Iterator[Finding]:
    for edge in facts.edges():
        for name, value in facts.values(edge, "heat").items():
            if name in ("value", "ambient") and value <= 0.0:
                yield Finding(
                    "stops",
                    f"{facts.edge_label(edge)} is below absolute zero.",
                    f"It reads {value:g} K; write 20 degC as '20 degC' or '293.15 K'.",
                    edge,
                    "heat",
                )


def _slow(facts: Facts) -> Iterator[Finding]:
    until, s = facts.until("heat"), facts.settings("heat")
    if until is None or facts.carried() or s["conductivity"] <= 0:
        return
    span = min(facts.size()) ** 2 * s["density"] * s["heat_capacity"] / s["conductivity"]
    if span > 3 * until:
        yield Finding(
            "doubt",
            "Heat has no time to cross the vessel.",
            f"It takes about {span:.3g} s and the run ends after {until:.3g} s.",
            column="heat",
        )


def _temperatures(facts: Facts) -> dict[str, float]:
    """Every temperature given at an edge or at the start (K), by place."""
    found = {}
    for edge in facts.edges():
        for name, value in facts.values(edge, "heat").items():
            if name in ("value", "ambient"):
                found[edge] = float(value)
    for zone in facts.zones():
        begins = facts.start(zone, "heat")
        if "value" in begins:
            found.setdefault(zone, float(begins["value"]))
    return found


def _mistaken_unit(facts: Facts) -> Iterator[Finding]:
    for place, value in _temperatures(facts).items():
        if 0 < value < COLDEST:
            yield Finding(
                "doubt",
                f"{facts.edge_label(place)} is at {value:.4g} K.",
                f"That is {value - ZERO:.4g} degC; is degC meant?",
                place,
                "heat",
            )


def _wide_span(facts: Facts) -> Iterator[Finding]:
    known = _temperatures(facts)
    if not known or facts.law("heat", "conductivity"):
        return
    span = max(known.values()) - min(known.values())
    for column in facts.carriers():
        if span > WIDE and not facts.law(column, "viscosity"):
            yield Finding(
                "doubt",
                f"Properties stay the same over {span:.0f} K.",
                "Viscosity and conductivity mostly do not; let them follow temperature, "
                "from the library.",
                max(known, key=lambda p: known[p]),
                "heat",
            )


def _would_rise(facts: Facts) -> Iterator[Finding]:
    """Warm and cold in one stream, and nothing makes the warm rise."""
    known = _temperatures(facts)
    columns = facts.carriers()
    if len(known) < 2 or not columns or facts.buoyant():
        return
    stream = facts.settings(columns[0])
    total = facts.inflow()
    if total <= 0:
        return
    span = max(known.values()) - min(known.values())
    gas = stream["density"] < 50.0
    expansion = 1.0 / max(known.values()) if gas else WATER_EXPANSION
    size = min(facts.size())
    speed = total / facts.section(0.0, size)
    ratio = 9.81 * expansion * span * size / speed**2
    if ratio > 1.0:
        yield Finding(
            "doubt",
            "The warm would rise, and nothing here makes it.",
            f"Gr/Re^2 is about {ratio:.2g} on {size * 1e3:.3g} mm, with an expansion of "
            f"{expansion:.2g} 1/K ({'ideal gas' if gas else 'water at 20 degC'}).",
            column="heat",
        )


def _odd_number(facts: Facts) -> Iterator[Finding]:
    s = facts.settings("heat")
    for column in facts.carriers():
        if s["conductivity"] <= 0:
            continue
        number = facts.settings(column)["viscosity"] * s["heat_capacity"] / s["conductivity"]
        if not 1e-3 < number < 1e5:
            yield Finding(
                "doubt",
                f"Pr is {number:.2g}.",
                "Liquid metals lie near 0.01, gases near 0.7, water near 7, syrups "
                "below 1e5: is one of the units right?",
                column="heat",
            )


def _idle_contact(facts: Facts) -> Iterator[Finding]:
    """A contact so good, or so bad, that it might as well not be there, or be all there is."""
    reach = max(facts.size())
    for place, sides in facts.borders().items():
        if facts.kind(place, "heat") != "contact":
            continue
        conducts = min(
            facts.values(side, "heat").get("conductivity", facts.settings("heat")["conductivity"])
            for side in sides
        )
        felt = facts.values(place, "heat")["film"] * reach / conducts if conducts > 0 else 1.0
        if felt > HARDLY_FELT:
            yield Finding(
                "doubt",
                f"The contact {facts.edge_label(place).lower()} is hardly felt.",
                f"Over {reach * 1e3:.3g} mm its Biot number is {felt:.2g}; is the unit right?",
                place,
                "heat",
                cure=((f"conditions/{place}/heat", {"kind": "joined", "film": None}),),
                cure_label="Join them",
            )


RULES = (
    AuditRule("mistaken unit", _mistaken_unit),
    AuditRule("same properties over a wide span", _wide_span),
    AuditRule("nothing rises", _would_rise),
    AuditRule("unlikely Prandtl number", _odd_number),
    AuditRule("every wall lagged", _all_lagged),
    AuditRule("nowhere to settle", _cannot_settle),
    AuditRule("two densities", _two_densities),
    AuditRule("solid to heat only", _solid_or_not),
    AuditRule("carried through a closed edge", _closed_carrier),
    AuditRule("below absolute zero", _below_zero),
    AuditRule("no time to cross", _slow),
    AuditRule("contact hardly felt", _idle_contact),
)
