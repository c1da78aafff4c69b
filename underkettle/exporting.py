"""What of a kept run goes out as one file: frames, readouts, pictures, films."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.api import Run, open_run
from underkettle.case.case import Case
from underkettle.case.faults import fault
from underkettle.case.stages import axis_of
from underkettle.engine.contract import Entry
from underkettle.formats.film import Film
from underkettle.formats.picture import Look, Picture, png
from underkettle.formats.table import table
from underkettle.quantities import from_si
from underkettle.reading.readouts import shown_units
from underkettle.store.runfile import Frame, RunFile

ENDINGS = {
    "vtk": "zip",
    "hdf": "vtkhdf",
    "zarr": "zarr.zip",
    "csv": "csv",
    "png": "png",
    "mp4": "mp4",
    "gif": "gif",
    "histories": "csv",
    "listings": "csv",
}


def exported(path: Path, to: str, field: str = "", per_second: float = 10.0) -> bytes:
    """A run file as one of `ENDINGS`. field : what pictures show, by default what the case is
    about. Raises CaseError.
    """
    run = open_run(path)
    if to == "csv":
        return readouts(run).encode()
    if to == "histories":
        return table(histories(run.case, run.file)).encode()
    if to == "listings":
        return table(listings(run.case, run.file)).encode()
    if to in ("vtk", "hdf", "zarr"):
        return run.exported(to)
    drawn = pictures(run, field)
    if to == "png":
        *_, last = drawn
        return png(last)
    film: Film | None = None
    for image in drawn:
        film = film or Film(image.width, image.height, per_second, to)
        film.add(np.asarray(image))
    assert film is not None
    return film.finish()


def readouts(run: Run) -> str:
    rows: list[list[Any]] = [["readout", "value", "margin", "unit", "paper"]]
    rows += [
        [n, r["value"], r.get("margin"), r["unit"], r.get("paper")]
        for n, r in run.result["readouts"].items()
    ]
    return table(rows)


def histories(case: Case, file: RunFile) -> list[list[Any]]:
    """Every kept row of the histories: stage, time, and what the case asks for."""
    units = shown_units(case)
    rows: list[list[Any]] = [
        ["stage", "step", "time [s]", *(f"{n} [{u or '1'}]" for n, u in units.items())]
    ]
    rows += [
        [w["stage"], w["step"], w["time"], *(w["readouts"].get(n, "") for n in units)]
        for w in file.watches(most=10**9)
    ]
    return rows


def listings(case: Case, file: RunFile, frame: int | None = None) -> list[list[Any]]:
    """Things followed one by one, in the units they are shown in: a row for each in every frame, or
    in one. Raises CaseError where the case follows none.
    """
    if not case.listings:
        raise fault("listings", "nothing is followed one by one in this case")
    rows: list[list[Any]] = []
    for name in case.listings:
        listing = case.listing(name)
        units = [e.shown_in for e in listing.entries]
        heads = [f"{e.says} [{u or '1'}]" for e, u in zip(listing.entries, units, strict=True)]
        rows += [[listing.says], ["stage", "step", _axis_head(case), *heads]]
        for one in file.frames():
            held = file.listing(one.id, name) if frame in (None, one.id) else None
            for row in [] if held is None else held.astype(float):
                told = [_word(e, v) for e, v in zip(listing.entries, row, strict=True)]
                rows.append([one.stage, one.step, axis_of(case, one.stage).shown(one.value), *told])
    return rows


def _axis_head(case: Case) -> str:
    """The head of the column that says where on its axis a frame stands."""
    axes = {axis_of(case, stage) for stage in case.model.stages}
    only = axes.pop() if len(axes) == 1 else None
    return "time or value" if only is None else f"{only.name} [{only.unit or '1'}]"


def _word(entry: Entry, value: float) -> Any:
    if entry.words:
        return entry.words[int(value)] if 0 <= value < len(entry.words) else ""
    return from_si(value, entry.shown_in)


def pictures(run: Run, field: str = "") -> Iterator[Any]:
    """Every frame as a picture of one field, all on the scale of the whole run."""
    fields, frames = run.case.fields(), run.frames
    if not frames:
        raise fault("the run", "it has kept no frame yet", "Wait, or fire it again.")
    held = run.file.field_names(frames[-1].id)
    chief = [n for n in held if fields[n][1].chief]
    name = field or (chief or held)[-1 if chief else 0]
    if name not in held:
        raise fault("--field", f"the frames have no '{name}'", f"Fields: {', '.join(held)}.")
    shown, (low, high) = fields[name][1], run.file.ranges(name) or (0.0, 1.0)
    if shown.centred:
        low, high = -max(abs(low), abs(high)), max(abs(low), abs(high))
    unit = shown.shown_in
    picture = Picture(
        run.case,
        Look(shown.says, unit, from_si(low, unit), from_si(high, unit), centred=shown.centred),
    )
    one, none = from_si(1.0, unit), from_si(0.0, unit)
    for k, frame in enumerate(frames):
        if name in run.file.field_names(frame.id):
            values = run.field(name, k) * (one - none) + none
            yield picture.draw(values, _words(run, frame), run.case.at(frame))


def _words(run: Run, frame: Frame) -> str:
    stage = run.case.model.stages.get(frame.stage)
    settled = stage is not None and stage.mode == "steady"
    at = "settled" if settled else axis_of(run.case, frame.stage).says(frame.value)
    return f"{run.case.model.name}, {frame.stage} {at}"
