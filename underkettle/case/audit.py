"""The audit: what is missing, contradictory or suspicious, in the modeller's words."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.gridding import BYTES_PER_CELL, Gridding
from underkettle.engine.contract import Finding
from underkettle.engine.marching.order import providers
from underkettle.reading.readouts import label_of, problems

GROWTH_LIMIT = 1.3
STRETCH_LIMIT = 20.0
_RANK = {"stops": 0, "contradiction": 1, "doubt": 2}


def audit(case: Case) -> list[Finding]:
    """All findings, gravest first."""
    found = [*_stages(case), *_ledger(case), *_capabilities(case), *_readouts(case),
             *_lost(case)]
    for phenomenon in case.phenomena.values():
        for rule in phenomenon.audit:
            found += rule.check(case.facts)
    found += _grid(case)
    return sorted(found, key=lambda f: _RANK[f.grade])


def can_run(findings: list[Finding]) -> bool:
    return not any(f.grade in ("stops", "contradiction") for f in findings)


def _ledger(case: Case) -> Iterator[Finding]:
    for column in case.columns:
        for on, place in case.rows():
            cell = case.cell(on, place, column.id)
            if cell.state == "missing":
                yield Finding("stops", f"{case.label(place)} says nothing about "
                              f"{column.label.lower()}.", cell.why, place, column.id,
                              cure_label="Give value")
            if cell.ruled_by == "contradiction":
                typed = dict(cell.typed)
                condition = case.phenomena[column.phenomenon].condition(on, cell.kind)
                twice = [n for n in (condition.one_of if condition else ()) if n in typed]
                yield Finding(
                    "contradiction",
                    f"{case.label(place)} is told {column.label.lower()} twice.",
                    f"{cell.text} and {cell.ruled_text}: the last one typed would rule.",
                    place, column.id,
                    cure=((f"conditions/{place}/{column.id}/{twice[0]}", None),),
                    cure_label=f"Strike {typed[twice[0]]}")


def _stages(case: Case) -> Iterator[Finding]:
    if not case.phenomena:
        yield Finding("stops", "No phenomenon is switched on.",
                      "Without one there is nothing to solve.")
    elif not case.model.stages:
        yield Finding("stops", "Nothing is to be solved yet.", "Add a stage that solves "
                      f"{', '.join(case.phenomena)}.")
    solved = {p for s in case.model.stages.values() for p in s.solve}
    for name in case.phenomena:
        if case.model.stages and name not in solved:
            yield Finding("doubt", f"{name.capitalize()} is switched on but no stage solves it.",
                          "Its fields will keep their starting values.", column=name)


def _capabilities(case: Case) -> Iterator[Finding]:
    for name, phenomenon in case.phenomena.items():
        for need in phenomenon.needs:
            if not need.optional and not providers(need.capability, case.phenomena):
                yield Finding("stops", f"{phenomenon.label} needs a {need.capability} and nothing "
                              "switched on offers one.", "Switch on what provides it.",
                              column=name)
    for capability in {p for q in case.phenomena.values() for p in q.provides}:
        if capability.startswith(("force", "source:")):
            continue
        who = providers(capability, case.phenomena)
        if len(who) > 1:
            yield Finding("contradiction", f"{' and '.join(who)} both offer {capability}.",
                          "Only one can hold in a place; switch one off.", column=who[-1])


def _readouts(case: Case) -> Iterator[Finding]:
    for name in case.model.readouts:
        trouble = problems(case, name)
        if trouble:
            yield Finding("stops", f"{label_of(case, name)} cannot be read: {trouble}.",
                          "A readout needs a place and a field that exist.",
                          cure=((f"readouts/{name}", None),), cure_label="Drop readout")


def _lost(case: Case) -> Iterator[Finding]:
    for place in case.lost_places():
        yield Finding("doubt", f"Conditions are given for {place}, which is not drawn now.",
                      "They are kept, and hold again if the place comes back.",
                      cure=((f"conditions/{place}", None),), cure_label="Forget them")


def _grid(case: Case) -> Iterator[Finding]:
    import numpy as np

    try:
        grid = case.grid
    except CaseError as error:
        yield Finding("stops", f"{error.faults[0].says[:1].upper()}{error.faults[0].says[1:]}.",
                      error.faults[0].cure, column="")
        return
    for axis, nodes in (("x", grid.x), ("y", grid.y)):
        h = np.diff(nodes)
        if h.size > 1:
            ratio = np.maximum(h[1:] / h[:-1], h[:-1] / h[1:])
            if ratio.max() > GROWTH_LIMIT + 1e-9:
                k = int(ratio.argmax())
                yield Finding("doubt", f"Cells change quickly along {axis}.",
                              f"Neighbours differ by {ratio.max():.2f} at {axis} = "
                              f"{nodes[k + 1] * 1e3:.3g} mm; {GROWTH_LIMIT} is usual (common "
                              "practice).")
    stretch = max(np.diff(grid.x).max() / np.diff(grid.y).min(),
                  np.diff(grid.y).max() / np.diff(grid.x).min())
    if stretch > STRETCH_LIMIT:
        yield Finding("doubt", f"Some cells are stretched {stretch:.0f} to 1.",
                      f"Beyond {STRETCH_LIMIT:.0f} to 1 solvers slow down and fronts blur.")
    if case.mesh.pocket.max() > 1:
        yield Finding("doubt", "A pocket of open space is cut off from the rest.",
                      f"The vessel falls into {int(case.mesh.pocket.max())} parts that share no "
                      "opening.")
    need = grid.count * BYTES_PER_CELL
    limit = Gridding(case).memory_limit()
    if need > 0.7 * limit:
        yield Finding("doubt", "The grid nearly fills the memory allowed.",
                      f"It needs about {need / 1e9:.2f} GB of "
                      f"{limit / 1e9:.2f} GB.")
