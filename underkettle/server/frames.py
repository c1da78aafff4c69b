"""What the frames of one run tell: fields they hold, and what follows from those by formula.

Derived fields and readouts that were added to the case after the run was fired are read from its
frames, so that nothing has to be run again for them.
"""

from __future__ import annotations

import numpy as np
from fastapi import HTTPException

from underkettle.case.case import Case
from underkettle.case.derived import from_frame, own_names
from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.quantities import from_si, parse
from underkettle.reading.kinds import KINDS, Look
from underkettle.reading.kinds.formula import by_formula
from underkettle.reading.readouts import problems
from underkettle.store.runfile import Frame, RunFile

Array = np.ndarray

LOOKED_AT = 24  # frames that tell the range of a field that was added later
MOST = 200  # frames that a history of what was added later is read from


class Frames:
    """The frames of one run, read with its case as it was, and what was added to it since."""

    def __init__(self, file: RunFile, case: Case) -> None:
        self.file, self.case = file, case
        self._ranges: dict[tuple[str, int], tuple[float, float] | None] = {}

    # ------------------------------------------------------------ frames and fields

    def all(self) -> list[Frame]:
        return self.file.frames()

    def one(self, frame: int) -> Frame:
        found = self.file.frame(frame)
        if found is None:
            raise HTTPException(404, "There is no such frame.")
        return found

    def names(self, frame: int) -> list[str]:
        """Fields of a frame: those it holds, then those that follow from them."""
        held = [n for n in self.file.field_names(frame) if n in self.case.fields()]
        later = [n for n in self.case.model.derived if n not in held and self._follows(n, held)]
        return [*held, *later]

    def _follows(self, name: str, held: list[str]) -> bool:
        """Whether a derived field can be worked out from the fields that are held."""
        model = self.case.model.derived.get(name)
        if model is None or model.since is not None:
            return name in held
        fields = self.case.fields()
        named = parse(model.formula, own_names(self.case, fields)).names
        return all(self._follows(fields.key(n), held) for n in named if n in fields)

    def field(self, name: str) -> Field:
        """Raises 404 where the case has no such field."""
        return self.case.fields()[self.key(name)][1]

    def key(self, name: str) -> str:
        """The name a field is kept under. Raises 404 where the case has no such field."""
        try:
            return self.case.fields().key(name)
        except KeyError:
            raise HTTPException(404, "This frame has no such field.") from None

    def values(self, frame: Frame, name: str) -> Array:
        """(ny, nx) in SI, NaN where closed. Raises 404 where the frame does not tell it."""
        found = self.tell(frame, name)
        if found is None:
            raise HTTPException(404, "This frame has no such field.")
        return found

    def held(self, frame: int, name: str) -> tuple[Array, tuple[float, float]] | None:
        """A field that is shown as it is kept, with its ends: nothing is worked out for it."""
        unit = self.field(name).shown_in
        if name in self.case.model.derived or (from_si(1.0, unit), from_si(0.0, unit)) != (1, 0):
            return None
        found = self.file.field(frame, self.key(name))
        if found is None or found[1] is None or found[2] is None:
            return None
        return found[0], (found[1], found[2])

    def case_at(self, frame: Frame) -> Case:
        """The case as it stood when the frame was kept."""
        return self.case.at(frame)

    def tell(self, frame: Frame, name: str) -> Array | None:
        time = frame.value if frame.axis == "time" else 0.0
        return from_frame(
            self.case_at(frame),
            name,
            lambda n: self._stored(frame.id, n),
            lambda n: self.readout(frame, n),
            time,
        )

    def _stored(self, frame: int, name: str) -> Array | None:
        found = self.file.field(frame, self.case.fields().kept(name))
        return None if found is None else found[0].astype(float)

    def shown(self, name: str, values: Array) -> Array:
        """Values in the unit the field is shown in."""
        unit = self.field(name).shown_in
        one, none = from_si(1.0, unit), from_si(0.0, unit)
        return values if (one, none) == (1.0, 0.0) else values * (one - none) + none

    def range(self, name: str) -> tuple[float, float] | None:
        """Lowest and highest over all frames, as shown; over some of them if added later."""
        if (held := self.file.ranges(self.key(name))) is not None:
            low, high = self.shown(name, np.array(held))
            return float(low), float(high)
        count = self.file.frame_count()
        if (name, count) not in self._ranges:
            frames = self.all()
            some = frames[:: max(1, -(-len(frames) // LOOKED_AT))]
            ends = (
                [
                    self.ends(self.shown(name, v))
                    for f in {f.id: f for f in (*some, frames[-1])}.values()
                    if (v := self.tell(f, name)) is not None
                ]
                if frames
                else []
            )
            known = [e for e in ends if e is not None]
            self._ranges[name, count] = (
                (min(e[0] for e in known), max(e[1] for e in known)) if known else None
            )
        return self._ranges[name, count]

    @staticmethod
    def ends(values: Array) -> tuple[float, float] | None:
        finite = values[np.isfinite(values)]
        return (float(finite.min()), float(finite.max())) if finite.size else None

    # ------------------------------------------------------------ readouts

    def readout(self, frame: Frame, name: str) -> float | None:
        """A number at a frame, in SI: as it was kept, or read from the fields now."""
        if name in frame.readouts:
            return frame.readouts[name]
        model = self.case.model.readouts.get(name)
        if model is None or problems(self.case, name):
            return None
        if model.kind == "formula":
            found = by_formula(
                self.case_at(frame),
                str(model.formula),
                lambda n: self.readout(frame, n),
                frame.value if frame.axis == "time" else 0.0,
            )
            return None if found is None or not np.isfinite(found) else found
        if not self.is_kept_with_frames(name):
            return None
        case, state, values = self.case_at(frame), State(), np.empty(0)
        if model.listing is not None:
            rows = self.file.listing(frame.id, case.listings.key(model.listing))
            if rows is not None:
                state.tables[case.listings[model.listing].array] = rows.astype(float)
        else:
            told = self.tell(frame, str(model.field))
            if told is None:
                return None
            values = told
        look = Look(
            case, name, model, state, lambda field: values, lambda n: self.readout(frame, n)
        )
        found = KINDS[model.kind].value(look)
        return None if found is None or not np.isfinite(found) else float(found)

    def is_kept_with_frames(self, name: str) -> bool:
        """Whether a readout follows from what a frame holds."""
        kind = KINDS[(model := self.case.model.readouts[name]).kind]
        return kind.of_listing or (kind.of_field and model.weight == "area")

    def is_late(self, name: str, first: Frame) -> bool:
        """Whether a readout was added after the run had been fired."""
        return name not in first.readouts

    def history(self, name: str) -> list[tuple[float, float | None]]:
        """A readout over the frames in time, thinned; SI."""
        frames = [f for f in self.all() if f.axis == "time"]
        some = frames[:: max(1, -(-len(frames) // MOST))]
        return [(f.value, self.readout(f, name)) for f in some]
