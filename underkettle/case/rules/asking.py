"""What is to be solved, for how long, and what is to be read."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from underkettle.case.keeping import kept_part
from underkettle.case.rules.rule import CaseRule
from underkettle.engine.contract import Apart, Carrier, Finding
from underkettle.reading.readouts import label_of, problems
from underkettle.reading.spans import drawn, outline_of

if TYPE_CHECKING:
    from underkettle.case.case import Case

MANY_FRAMES = 2000
MOST_STEPS = 1e9
MOST_FRAMES = 1e5
LONG = 3600.0  # s
LARGE = 2e9  # bytes
TWO_STREAMS = 2
RANKING = ("unevenness", "spread", "max", "min")  # readouts that tell how well streams have mixed


def _nothing_on(case: Case) -> Iterator[Finding]:
    if not case.phenomena:
        yield Finding(
            "stops", "No phenomenon is switched on.", "Without one there is nothing to solve."
        )


def _no_stage(case: Case) -> Iterator[Finding]:
    if case.phenomena and not case.model.stages:
        yield Finding(
            "stops",
            "Nothing is to be solved yet.",
            f"Add a stage that solves {', '.join(case.phenomena)}.",
            cure=(("stages/go", {"solve": list(case.phenomena), "mode": "steady"}),),
            cure_label="Solve all, steady",
        )


def _never_solved(case: Case) -> Iterator[Finding]:
    solved = {p for s in case.model.stages.values() for p in s.solve}
    for name, phenomenon in case.phenomena.items():
        if case.model.stages and name not in solved:
            stage = _with_whom_it_meets(case, name)
            yield Finding(
                "doubt",
                f"{phenomenon.label} is switched on but no stage solves it.",
                "Its fields will keep their starting values.",
                column=name,
                cure=((f"stages/{stage}/solve", [*case.model.stages[stage].solve, name]),),
                cure_label=f"Solve it in {stage}",
            )


def _with_whom_it_meets(case: Case, name: str) -> str:
    """The first stage that solves what this one takes from or gives to; else the last one."""
    mine = case.meetings[name]

    def meets(other: str) -> bool:
        theirs = case.meetings[other]
        return any(mine.makes(need.kind) for need in theirs.needs) or any(
            theirs.makes(need.kind) for need in mine.needs
        )

    stages = case.model.stages
    return next((s for s, model in stages.items() if any(map(meets, model.solve))), [*stages][-1])


def _held_unsolved(case: Case) -> Iterator[Finding]:
    solved: set[str] = set()
    for name, stage in case.model.stages.items():
        for held in stage.hold:
            if held not in solved:
                yield Finding(
                    "doubt",
                    f"{case.label(name)} holds {held} before anything solved it.",
                    "It stays as it is at the start.",
                    column=held,
                )
        solved |= set(stage.solve)


def _solved_and_held(case: Case) -> Iterator[Finding]:
    for name, stage in case.model.stages.items():
        for both in set(stage.solve) & set(stage.hold):
            rest = [h for h in stage.hold if h != both]
            yield Finding(
                "contradiction",
                f"{case.label(name)} both solves and holds {both}.",
                "Only one of them can be.",
                column=both,
                cure=((f"stages/{name}/hold", rest),),
                cure_label="Solve it",
            )


def _frames(case: Case) -> Iterator[Finding]:
    for name, stage in case.model.stages.items():
        if stage.mode != "transient" or not stage.frame_every:
            continue
        until = case.number(stage.until, "time", f"stages / {name} / until")
        every = case.number(stage.frame_every, "time", f"stages / {name} / frame_every")
        if every > until:
            yield Finding(
                "doubt",
                f"{case.label(name)} ends before its first frame is due.",
                f"A frame is kept every {every:.4g} s and the stage ends at {until:.4g} s.",
                column=name,
                cure=((f"stages/{name}/frame_every", f"{until / 20:.3g} s"),),
                cure_label="Keep twenty",
            )
        elif until / every > MANY_FRAMES:
            yield Finding(
                "doubt",
                f"{case.label(name)} keeps {until / every:.0f} frames.",
                f"More than {MANY_FRAMES} are slow to look through.",
                column=name,
                cure=((f"stages/{name}/frame_every", f"{until / 200:.3g} s"),),
                cure_label="Keep two hundred",
            )


def _costly(case: Case) -> Iterator[Finding]:
    """Long runs and large files, once there is a grid and stages to tell from."""
    from underkettle.case.cost import estimate

    if not case.model.stages:
        return
    cost = estimate(case)
    if cost.steps > MOST_STEPS or cost.frames > MOST_FRAMES:
        yield Finding(
            "contradiction",
            f"The run would take {cost.steps:.2g} steps and keep {cost.frames:.2g} frames.",
            "No machine gets through that: end it earlier, "
            "keep fewer frames, or give a coarser grid.",
        )
        return
    if cost.seconds > LONG:
        times = min(4.0, (cost.seconds / LONG) ** 0.5 + 0.1)
        size = case.number(case.model.grid.size, "length", "grid / size") * times
        yield Finding(
            "doubt",
            f"The run takes about {cost.seconds / 3600:.2g} hours.",
            f"Cells {times:.2g} times as wide take less, and show if it is worth it.",
            cure=(("grid/size", f"{size * 1e3:.3g} mm"),),
            cure_label="Coarser cells",
        )
    if cost.disk > LARGE:
        yield Finding(
            "doubt",
            f"The run fills about {cost.disk / 1e9:.2g} GB.",
            "Keep fewer frames, or a coarser grid.",
        )


def _nothing_asked(case: Case) -> Iterator[Finding]:
    if case.model.stages and not case.model.readouts:
        yield Finding(
            "doubt", "Nothing is asked for.", "Without a readout a run ends in pictures only."
        )


def _unreadable(case: Case) -> Iterator[Finding]:
    for name in case.model.readouts:
        trouble = problems(case, name)
        if trouble:
            yield Finding(
                "stops",
                f"{label_of(case, name)} cannot be read: {trouble}.",
                "A readout needs a place and a field that exist.",
                column=name,
                cure=((f"readouts/{name}", None),),
                cure_label="Drop readout",
            )


def _outside(case: Case) -> Iterator[Finding]:
    """Points to be read at that lie in no open cell."""
    import shapely

    for name, readout in case.model.readouts.items():
        if readout.kind != "point" or problems(case, name):
            continue
        x, y = (case.number(v, "length", f"readouts / {name}") for v in (readout.x, readout.y))
        if not case.built.space.intersects(shapely.Point(x, y)):
            yield Finding(
                "stops",
                f"{label_of(case, name)} is read outside the vessel.",
                f"({x * 1e3:.4g}, {y * 1e3:.4g}) mm is not open.",
                column=name,
                cure=((f"readouts/{name}", None),),
                cure_label="Drop readout",
            )


def _drawn_outside(case: Case) -> Iterator[Finding]:
    """Boxes, lines and arcs that touch nothing open."""
    for name, readout in case.model.readouts.items():
        shape = drawn(readout)
        if shape and not case.built.space.intersects(outline_of(case, readout)):
            yield Finding(
                "stops",
                f"{label_of(case, name)} is read outside the vessel.",
                f"Its {shape} touches nothing open.",
                column=name,
                cure=((f"readouts/{name}", None),),
                cure_label="Drop readout",
            )


def _nothing_kept(case: Case) -> Iterator[Finding]:
    rows, _ = kept_part(case)
    if rows.stop == 0:
        yield Finding(
            "stops",
            "Frames would hold nothing.",
            "No cell of the vessel lies in the box that is kept.",
            cure=(("keep/box", None),),
            cure_label="Keep the whole vessel",
        )


def _never_passes(case: Case) -> Iterator[Finding]:
    """A flow-weighted mean where no stream passes."""
    for name, readout in case.model.readouts.items():
        if (
            readout.weight != "flow"
            or readout.place is None
            or problems(case, name)
            or readout.place in case.zones
        ):
            continue
        if case.facts.through(str(readout.place)) == "":
            yield Finding(
                "doubt",
                f"{label_of(case, name)} is weighted by a flow that is not there.",
                f"No stream passes {case.label(str(readout.place))}.",
                str(readout.place),
                name,
                cure=((f"readouts/{name}/weight", "area"),),
                cure_label="By area",
            )


def _ranks_nothing(case: Case) -> Iterator[Finding]:
    """What leaves is on average what came in, whatever lies between: no arrangement is better."""
    facts = case.facts
    outlets = [e for e in facts.edges() if facts.through(e) == "out"]
    inlets = [e for e in facts.edges() if facts.through(e) == "in"]
    if not case.model.variants or len(outlets) != 1 or len(inlets) < TWO_STREAMS:
        return
    ranking = {
        r.field for r in case.model.readouts.values() if r.kind in RANKING and r.place in outlets
    }
    for name, readout in case.model.readouts.items():
        by_flow = readout.kind == "mean" and readout.weight == "flow" and readout.place in outlets
        if not by_flow or problems(case, name) or readout.field in ranking:
            continue
        field = case.fields()[str(readout.field)][1]
        column = next(iter(facts.columns_for(str(readout.field))), "")
        walls = [p for p in (*facts.edges(), *facts.zones()) if p not in (*inlets, *outlets)]
        if not column or facts.carries(outlets[0], column) != "out" or facts.given(column):
            continue  # what others make or use up is no longer what came in
        if all(facts.assumed(place, column) for place in walls):
            what = field.says.lower()
            yield Finding(
                "doubt",
                f"{label_of(case, name)} is the same in every arrangement.",
                f"All {what} that enters leaves here, so its mean by flow is fixed by what enters "
                "and ranks nothing. How unevenly it leaves does.",
                outlets[0],
                name,
                cure=(
                    (
                        f"readouts/{name}_unevenness",
                        {
                            "kind": "unevenness",
                            "field": readout.field,
                            "place": outlets[0],
                            "weight": "flow",
                            "label": f"Unevenness of {what}",
                        },
                    ),
                ),
                cure_label="Ask how unevenly it leaves",
            )


def _averaged_over_nothing(case: Case) -> Iterator[Finding]:
    spans = [
        case.number(s.until, "time", "stages")
        for s in case.model.stages.values()
        if s.mode == "transient" and s.until is not None
    ]
    for name, derived in case.model.derived.items():
        if derived.since is None:
            continue
        since = case.number(derived.since, "time", "derived")
        if since >= sum(spans):
            yield Finding(
                "doubt",
                f"{derived.label or name} is averaged over nothing.",
                f"It begins after {since:.4g} s; stages that go through time last {sum(spans):.4g} s."
                if spans
                else "No stage goes through time.",
                column=name,
                cure=(((f"derived/{name}/since", f"{0.5 * sum(spans):.4g} s"),) if spans else ()),
                cure_label="Begin half-way" if spans else "",
            )


def _same_edge(case: Case) -> Iterator[Finding]:
    for name, readout in case.model.readouts.items():
        if readout.kind == "difference" and readout.place == readout.to:
            yield Finding(
                "doubt",
                f"{label_of(case, name)} is of {readout.place} and itself.",
                "It will be nought.",
                str(readout.place),
                name,
                cure=((f"readouts/{name}", None),),
                cure_label="Drop readout",
            )


def _same_label(case: Case) -> Iterator[Finding]:
    seen: dict[str, str] = {}
    for name in case.model.readouts:
        label = label_of(case, name)
        if label in seen:
            yield Finding(
                "doubt",
                f"Two readouts are called {label}.",
                f"{seen[label]} and {name} cannot be told apart in a table.",
                column=name,
            )
        seen.setdefault(label, name)


def _blends(case: Case) -> Iterator[Finding]:
    """What a stream carries that knows nothing of its being two fluids."""
    if not case.makers(Apart):
        return
    for name, phenomenon in case.phenomena.items():
        kinds = {need.kind for need in case.meetings[name].needs}
        if phenomenon.does == "carries" and Carrier in kinds and Apart not in kinds:
            yield Finding(
                "doubt",
                f"{phenomenon.label} goes through the interface of two fluids.",
                "It is carried and spreads as in one stream: nothing keeps it in its fluid, and its "
                "numbers are those of both. Switch on what knows of two fluids instead.",
                column=name,
            )


ASKING = (
    CaseRule("nothing switched on", _nothing_on),
    CaseRule("no stage", _no_stage),
    CaseRule("never solved", _never_solved),
    CaseRule("held before it is solved", _held_unsolved),
    CaseRule("solved and held", _solved_and_held),
    CaseRule("frames that do not fit", _frames),
    CaseRule("long or large", _costly),
    CaseRule("nothing asked for", _nothing_asked),
    CaseRule("cannot be read", _unreadable),
    CaseRule("read outside the vessel", _outside),
    CaseRule("drawn outside the vessel", _drawn_outside),
    CaseRule("nothing kept", _nothing_kept),
    CaseRule("weighted by no flow", _never_passes),
    CaseRule("mean that ranks nothing", _ranks_nothing),
    CaseRule("averaged over nothing", _averaged_over_nothing),
    CaseRule("difference of one edge", _same_edge),
    CaseRule("two of one name", _same_label),
    CaseRule("carried through an interface", _blends),
)
