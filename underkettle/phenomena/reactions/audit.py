"""What is worth questioning about reactions before a run."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.matter.reaction import (
    ReactionError,
    atoms_of,
    balanced,
    gained,
    is_known,
)
from underkettle.phenomena.reactions.mechanism import (
    gives_heat,
    read_counts,
    read_step,
    taking_part,
    unfollowed,
    wanted,
    written,
)
from underkettle.phenomena.reactions.papers import waits
from underkettle.phenomena.reactions.places import ON_WALL
from underkettle.quantities.words import upper_first

ME = "reactions"
RESTS = ("", "rests", "inert")
ON_AREAS = ("on a surface", ON_WALL)
SLOW = 0.1  # times eddies take, over the time of a law: below it that alone holds a reaction back
FLAMES = 1e5  # J/mol given off, from which a reaction burns


def _each(facts: Facts) -> Iterator[tuple[str, Mapping[str, Any]]]:
    yield from facts.settings(ME)[ME].items()


def _path(name: str, setting: str) -> str:
    return f"phenomena/{ME}/{ME}/{name}/{setting}"


def _unreadable(facts: Facts) -> Iterator[Finding]:
    """Equation, orders, constant and the way back must make sense."""
    for name, values in _each(facts):
        column = f"{ME}.{name}"
        try:
            read_step(values)
        except ReactionError as error:
            yield Finding(
                "stops",
                f"Reaction {name} cannot be read.",
                f"{upper_first(str(error))}.",
                column=column,
            )


def _nobody(facts: Facts) -> Iterator[Finding]:
    """Who takes part must be followed, or be said not to be."""
    known, left = facts.matter(), unfollowed(facts.settings(ME))
    missing: dict[str, list[str]] = {}
    for name, values in _each(facts):
        for n in taking_part(values):
            if n not in (*known, *left):
                missing.setdefault(n, []).append(name)
    can = {n: edits for n in missing if (edits := facts.following([n]))}
    others = [n for n in missing if n not in can]
    if can:
        yield _unfollowed(facts, {n: missing[n] for n in can}, facts.following(can), "Follow")
    if others:
        cure = ((f"phenomena/{ME}/unfollowed", ", ".join(dict.fromkeys((*left, *others)))),)
        yield _unfollowed(facts, {n: missing[n] for n in others}, cure, "Leave unfollowed:")


def _unfollowed(
    facts: Facts, missing: Mapping[str, list[str]], cure: tuple[tuple[str, Any], ...], does: str
) -> Finding:
    first = next(iter(missing.values()))[0]
    naming = len({name for names in missing.values() for name in names})
    more = f" and {naming - 1} more" if naming > 1 else ""
    told = _listed(missing)
    return Finding(
        "stops",
        f"Nobody follows {told}.",
        f"Reaction {first}{more} names {'them' if len(missing) > 1 else 'it'}; followed are "
        f"{', '.join(facts.matter()) or 'none'}. What there is plenty of may take part unfollowed.",
        column=f"{ME}.{first}",
        cure=cure,
        cure_label=f"{does} {told}",
    )


def _listed(names: Iterable[str]) -> str:
    *most, last = names
    return f"{', '.join(most)} and {last}" if most else last


def _elements(facts: Facts) -> Iterator[Finding]:
    """No atom may be made or lost."""
    known = facts.matter()
    for name, values in _each(facts):
        reaction = written(values)
        if reaction is None:
            continue
        atoms = {n: (known[n].atoms if n in known else atoms_of(n)) or {} for n in reaction.names}
        unsaid = [n for n, counts in atoms.items() if not counts]
        if unsaid:
            if len(unsaid) < len(atoms):
                yield Finding(
                    "doubt",
                    f"Whether reaction {name} keeps its elements is not known.",
                    f"Nobody says what {' and '.join(unsaid)} consists of.",
                    column=f"{ME}.{name}",
                )
            continue
        wrong = gained(reaction, atoms)
        if wrong:
            says = ", ".join(
                f"{abs(n):g} {e} {'made' if n > 0 else 'lost'}" for e, n in wrong.items()
            )
            mended = balanced(reaction, atoms)
            yield Finding(
                "stops",
                f"Reaction {name} does not keep its elements.",
                f"As it is written, {says} each time.",
                column=f"{ME}.{name}",
                cure=((_path(name, "written"), mended),) if mended else (),
                cure_label=f"Write {mended}" if mended else "",
            )


def _units(facts: Facts) -> Iterator[Finding]:
    """The constant's unit must fit the orders, and whether it runs in a volume or on an area."""
    left = unfollowed(facts.settings(ME))
    for name, values in _each(facts):
        column = f"{ME}.{name}"
        try:
            step = read_step(values, left)
        except ReactionError:
            continue
        kinds = {facts.kind(z, column) for z in (*facts.zones(), *facts.edges())}
        laws = [("rate constant", step.dimension, step.order)]
        if step.few is not None:
            laws.append(("rate constant where M is scarce", step.few.dimension, step.order + 1))
        for kind in sorted(k for k in kinds if k not in RESTS):
            for called, dimension, order in laws:
                right = wanted(order, kind in ON_AREAS)
                if dimension != right:
                    yield Finding(
                        "stops",
                        f"The {called} of {name} has another unit than its orders want.",
                        f"With orders of {order:g} together it must be in {right.si or '1'} for a "
                        f"rate {'per area' if kind in ON_AREAS else 'per volume'}; it is in "
                        f"{dimension.si or '1'}.",
                        column=column,
                    )


def _helpers(facts: Facts) -> Iterator[Finding]:
    """Who helps must be known: all there is, and those who count more often."""
    known = facts.matter()
    for name, values in _each(facts):
        reaction = written(values)
        if reaction is None or not reaction.helped:
            continue
        try:
            counts = read_counts(values.get("counts"))
        except ReactionError:
            continue
        nobody = [n for n in counts if n not in known]
        if nobody:
            left = ", ".join(f"{n} {times:g}" for n, times in counts.items() if n not in nobody)
            yield Finding(
                "doubt",
                f"Nobody follows {' and '.join(nobody)}, which reaction {name} counts.",
                "Whoever is not followed counts once among the molecules that help.",
                column=f"{ME}.{name}",
                cure=((_path(name, "counts"), left or None),),
                cure_label="Count only those who are followed",
            )
        if known and all(stuff.mole is None for stuff in known.values()):
            yield Finding(
                "doubt",
                f"Reaction {name} is helped by those alone who are followed.",
                "Nobody tells how much there is in all: M counts followed amounts only. A mixture by "
                "mass fraction tells the whole gas.",
                column=f"{ME}.{name}",
            )


def _temperatures(facts: Facts) -> dict[str, float]:
    """Temperatures (K) that the case brings, by where."""
    found = {}
    for column in facts.temperatures():
        for edge in facts.edges():
            value = facts.values(edge, column).get("value")
            held = facts.kind(edge, column) == "held temperature"
            if value is not None and (held or facts.carries(edge, column) == "in"):
                found[facts.edge_label(edge)] = float(value)
    if not facts.temperatures():
        own = facts.settings(ME).get("temperature")
        if own:
            found["the whole vessel"] = float(own)
    return found


def _no_temperature(facts: Facts) -> Iterator[Finding]:
    """A law of temperature needs one."""
    if facts.temperatures() or facts.settings(ME).get("temperature"):
        return
    for name, values in _each(facts):
        if values.get("activation") or values.get("exponent") or values.get("reverses"):
            yield Finding(
                "stops",
                "Nothing tells how warm it is.",
                f"Reaction {name} follows temperature; solve for heat, or say how warm it is.",
                column=f"{ME}.{name}",
                cure=((f"phenomena/{ME}/temperature", "293.15 K"),),
                cure_label="Take 20 degC",
            )
            return


def _out_of_range(facts: Facts) -> Iterator[Finding]:
    """Laws hold within the temperatures that their source tells. What is colder hardly reacts where
    there is something warm enough, too.
    """
    warmest = max((*_temperatures(facts).values(), *facts.begins_warm()), default=0.0)
    for name, values in _each(facts):
        low, high = values.get("coldest"), values.get("hottest")
        for place, warm in _temperatures(facts).items():
            if (low and warmest < low) or (high and warm > high):
                ends = [f"from {low - 273.15:.4g} degC"] if low else []
                ends += [f"to {high - 273.15:.4g} degC"] if high else []
                yield Finding(
                    "doubt",
                    f"Reaction {name} is used outside its range.",
                    f"Its law holds {' '.join(ends)}; {place} is at {warm - 273.15:.4g} degC.",
                    column=f"{ME}.{name}",
                )
                break


def _brought(facts: Facts, column: str) -> bool:
    for edge in facts.edges():
        values = facts.values(edge, column)
        if facts.state(edge, column) == "missing":
            return True
        if (
            any(values.get(n) for n in ("value", "flux", "ambient"))
            and facts.kind(edge, column) != "carried out"
        ):
            return True
    for zone in facts.zones():
        if facts.values(zone, column).get("source") or facts.start(zone, column).get("value"):
            return True
    return False


def _never_met(facts: Facts) -> Iterator[Finding]:
    """Whatever is used up must come from somewhere."""
    known = facts.matter()
    made = {
        n for _, v in _each(facts) if (r := written(v)) for n, moles in r.net().items() if moles > 0
    }
    for name, values in _each(facts):
        reaction = written(values)
        for used, _ in reaction.left if reaction else ():
            if used not in known or used in made or known[used].follows:
                continue
            if not _brought(facts, known[used].column):
                yield Finding(
                    "doubt",
                    f"{used} never comes to reaction {name}.",
                    "No edge brings it, nothing makes it and none is there at the start.",
                    column=f"{ME}.{name}",
                )


def _runs_nowhere(facts: Facts) -> Iterator[Finding]:
    for name, _ in _each(facts):
        column = f"{ME}.{name}"
        if all(facts.kind(p, column) in RESTS for p in (*facts.zones(), *facts.edges())):
            yield Finding(
                "doubt",
                f"Reaction {name} runs nowhere.",
                "It rests in every zone and on every wall.",
                column=column,
            )


def _held_where_it_reacts(facts: Facts) -> Iterator[Finding]:
    """A wall that holds an amount has as much of it, whatever runs there."""
    known = facts.matter()
    for name, values in _each(facts):
        for edge in facts.edges():
            if facts.kind(edge, f"{ME}.{name}") != ON_WALL:
                continue
            for n in taking_part(values):
                column = known[n].column if n in known else ""
                told = facts.values(edge, column) if column else {}
                if facts.state(edge, column) == "given" and {"value", "ambient"} & set(told):
                    yield Finding(
                        "doubt",
                        f"{facts.edge_label(edge)} holds the {n} that reaction {name} changes there.",
                        "What a wall holds is as much as told, however fast it reacts: what is made or "
                        "used up comes out of the wall.",
                        column=column,
                        place=edge,
                        cure=((f"conditions/{edge}/{column}", None),),
                        cure_label="Let it hold none",
                    )


def _cold(facts: Facts) -> Iterator[Finding]:
    """Heat that reactions give off has to go somewhere."""
    settings = facts.settings(ME)
    if facts.temperatures() or not gives_heat(settings):
        return
    yield Finding(
        "doubt",
        "Reactions give off or take heat, and no temperature is solved for.",
        "What they do to the temperature, and it to them, is left out.",
        column=f"{ME}.{next(iter(settings[ME]))}",
    )


def _heat_unsaid(facts: Facts) -> Iterator[Finding]:
    """A temperature is solved for, and nobody knows a reaction's heat."""
    if not facts.temperatures():
        return
    for name, values in _each(facts):
        reaction = written(values)
        if reaction is not None and values.get("heat") is None and not is_known(reaction):
            yield Finding(
                "doubt",
                f"The heat of reaction {name} is not told.",
                "Enthalpies of those who take part are not known here, so it counts as none.",
                column=f"{ME}.{name}",
                cure=((_path(name, "heat"), "0 kJ/mol"),),
                cure_label="It gives off none",
            )


def _nothing_mixes(facts: Facts) -> Iterator[Finding]:
    """Who waits for eddies needs some."""
    for name, values in _each(facts):
        if values.get("mixing") and not facts.stirred():
            yield Finding(
                "stops",
                f"Nothing stirs what reaction {name} waits for.",
                "It runs no faster than eddies mix, and no eddies are followed: switch turbulence on, "
                "or let its law alone tell how fast it runs.",
                column=f"{ME}.{name}",
                cure=((_path(name, "mixing"), None),),
                cure_label="Let its law tell",
            )


def _too_fast(facts: Facts) -> Iterator[Finding]:
    """In eddies that are not followed, a flame is as fast as they mix."""
    if not (facts.stirred() and facts.temperatures()):
        return
    numbers = waits(facts)
    for name, values in _each(facts):
        try:
            step = read_step(values)
        except ReactionError:
            continue
        burns = step.activation and len(step.reaction.left) > 1 and step.heat > FLAMES
        number = numbers.get(name)
        if burns and not values.get("mixing") and (number is None or number > SLOW):
            told = (
                ""
                if number is None
                else f" Here eddies take {number:.2g} times as long as its law."
            )
            yield Finding(
                "doubt",
                f"Reaction {name} does not wait until eddies have mixed what reacts.",
                "Its law takes every cell for mixed; between eddies fuel and air lie side by side, so "
                "that a hot flame is as fast as they mix (Magnussen & Hjertager 1976, from memory)."
                f"{told}",
                column=f"{ME}.{name}",
                cure=((_path(name, "mixing"), 4),),
                cure_label="Let it wait: no faster than 4 times what they mix",
            )


def _waits_for_nothing(facts: Facts) -> Iterator[Finding]:
    """Eddies that mix much faster than a reaction runs do not hold it back."""
    waiting = {name: values for name, values in _each(facts) if values.get("mixing")}
    numbers = waits(facts) if waiting else {}
    for name, values in waiting.items():
        number = numbers.get(name, 1.0)
        if number < SLOW / float(values["mixing"]):
            yield Finding(
                "doubt",
                f"Reaction {name} waits for eddies that mix faster than it runs.",
                f"At its warmest, eddies as they come in take {number:.2g} of the time of its law, "
                "which alone tells how fast it runs.",
                column=f"{ME}.{name}",
                cure=((_path(name, "mixing"), None),),
                cure_label="Let its law tell",
            )


RULES = (
    AuditRule("waits for eddies that are not there", _nothing_mixes),
    AuditRule("does not wait for eddies", _too_fast),
    AuditRule("waits for eddies that mix faster", _waits_for_nothing),
    AuditRule("reaction that cannot be read", _unreadable),
    AuditRule("nobody follows it", _nobody),
    AuditRule("elements are not kept", _elements),
    AuditRule("unit of a rate constant", _units),
    AuditRule("who helps a reaction", _helpers),
    AuditRule("no temperature for a law", _no_temperature),
    AuditRule("law outside its range", _out_of_range),
    AuditRule("reactant that never comes", _never_met),
    AuditRule("reaction that runs nowhere", _runs_nowhere),
    AuditRule("wall that holds what reacts on it", _held_where_it_reacts),
    AuditRule("heat of reaction left out", _cold),
    AuditRule("heat of a reaction not told", _heat_unsaid),
)
