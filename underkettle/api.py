"""The Python face: load a case, run it, read it. Same numbers as the app and the command line."""

from __future__ import annotations

import json
import shutil
import tempfile
import weakref
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.case.audit import audit, can_run, refusals
from underkettle.case.case import Case
from underkettle.case.faults import CaseError, fault
from underkettle.case.further import further as moved_out
from underkettle.case.model import read_json
from underkettle.engine.marching.march import Listener
from underkettle.engine.marching.state import State
from underkettle.formats.hdf import export_hdf
from underkettle.formats.vtk import export_vtk
from underkettle.formats.zarr import export_zarr
from underkettle.quantities.units import find_unit
from underkettle.reading.along import along_series, goes_through_time
from underkettle.reading.histories import watched
from underkettle.reading.kinds.transfer import local_transfer
from underkettle.reading.margin import COARSER
from underkettle.reading.readouts import dimension_of_readout
from underkettle.reading.sections import along_line, at_points
from underkettle.reading.walls import along_edge, state_of
from underkettle.runs.execute import case_of, execute, prepare
from underkettle.runs.margins import with_further, with_margins
from underkettle.store.runfile import Frame, RunFile

Array = np.ndarray

ALL = 10**9  # rows of the histories


@dataclass(frozen=True)
class Number:
    """A readout: value in its unit, and in the same unit what paper says, the margin, and the value
    with what is open further off.
    """

    value: float
    unit: str
    paper: float | None = None
    margin: float | None = None
    further: float | None = None


class Refused(CaseError):
    """The audit does not let the case run."""


class Run:
    """A finished run: `readouts`, `balance`, fields and profiles of its frames. A file that was
    not asked for lasts as long as the run does.
    """

    def __init__(
        self, file: RunFile, case: Case, result: dict[str, Any], folder: str | None = None
    ) -> None:
        self.file, self.case, self.result = file, case, result
        if folder is not None:
            weakref.finalize(self, shutil.rmtree, folder, ignore_errors=True)

    @property
    def status(self) -> str:
        return str(self.result["status"])

    @property
    def readouts(self) -> dict[str, Number]:
        return {
            n: Number(r["value"], r["unit"], r.get("paper"), r.get("margin"), r.get("further"))
            for n, r in self.result["readouts"].items()
            if r["value"] is not None
        }

    @property
    def balance(self) -> dict[str, Any]:
        return dict(self.result["balance"])

    @property
    def frames(self) -> list[Frame]:
        return self.file.frames()

    def field(self, name: str, frame: int = -1) -> Array:
        """A field of one frame, (ny, nx) in SI, NaN where closed. Raises KeyError."""
        found = self.file.field(self.frames[frame].id, self.case.fields().kept(name))
        if found is None:
            raise KeyError(name)
        return found[0].astype(float)

    def history(self, readout: str) -> tuple[Array, Array]:
        """A readout at every step that was kept of the stages in time, with the time (s); where nothing
        goes through time, for every value of the last series, as they were applied. SI; NaN where it
        is not told. Raises KeyError.
        """
        unit = self.case.readout_unit(readout, dimension_of_readout(self.case, readout))
        if not goes_through_time(self.case):
            return along_series(self.case, self.frames, readout)
        return watched(self.file.watches(most=ALL), readout, find_unit(unit) if unit else None)

    def listing(self, name: str, frame: int = -1) -> dict[str, Array]:
        """Things followed one by one in one frame: entry -> a value for each, in SI. Raises
        KeyError.
        """
        found = self.file.listing(self.frames[frame].id, self.case.listings.key(name))
        if found is None:
            raise KeyError(name)
        entries = self.case.listings[name].entries
        return {e.name: found[:, k].astype(float) for k, e in enumerate(entries)}

    def exported(self, to: str) -> bytes:
        """Every frame as VTK XML ("vtk", zipped with a collection of times), VTKHDF ("hdf") or Zarr
        ("zarr", zipped). Raises KeyError for anything else.
        """
        write = {"vtk": export_vtk, "hdf": export_hdf, "zarr": export_zarr}[to]
        stood = [self.case.at(f) for f in self.frames if f.far]
        return write(self.case, ((f.value, self._fields(f)) for f in self.frames), stood)

    def _fields(self, frame: Frame) -> dict[str, Array]:
        found = {n: self.file.field(frame.id, n) for n in self.file.field_names(frame.id)}
        return {n: f[0] for n, f in found.items() if f is not None}

    def probe(self, name: str, x: float, y: float, frame: int = -1) -> float:
        """The field at one point (m), between cell centres."""
        grid = self.case.grid
        return float(
            at_points(
                self.field(name, frame),
                0.5 * (grid.x[1:] + grid.x[:-1]),
                0.5 * (grid.y[1:] + grid.y[:-1]),
                np.array([x]),
                np.array([y]),
            )[0]
        )

    def profile(
        self,
        name: str,
        start: tuple[float, float],
        end: tuple[float, float],
        frame: int = -1,
        count: int | None = None,
    ) -> dict[str, Array]:
        """The field along a line (m): distance, x, y, value."""
        grid = self.case.grid
        return along_line(self.field(name, frame), grid.x, grid.y, start, end, count)

    def along_edge(self, quantity: str, edge: str, frame: int = -1) -> dict[str, Array]:
        """Flux of a quantity into the vessel along an edge (SI), with the value at the wall and
        what conducts there: distance, x, y, area, flux, value, conducts.
        """
        return along_edge(self._case_at(frame), self._at(quantity, frame), quantity, edge)

    def along_transfer(self, readout: str, frame: int = -1) -> dict[str, Array]:
        """A transfer readout place by place along its edge: adds `transfer`. Raises KeyError."""
        model = self.case.model.readouts[readout]
        quantity, edge = str(model.quantity), str(model.place)
        case, state = self._case_at(frame), self._at(quantity, frame)
        line = along_edge(case, state, quantity, edge)
        return {**line, "transfer": local_transfer(case, readout, line, state)}

    def _case_at(self, frame: int) -> Case:
        """The case as it stood at a frame."""
        return self.case.at(self.frames[frame])

    def _at(self, quantity: str, frame: int) -> State:
        kept = self.frames[frame]
        fields = {n: self.field(n, frame) for n in self.file.field_names(kept.id)}
        return state_of(
            self._case_at(frame), fields, quantity, kept.value if kept.axis == "time" else 0.0
        )


def load(path: str | Path) -> dict[str, Any]:
    """Read a case file. Raises CaseError when it is not JSON, or not there."""
    try:
        text = Path(path).read_bytes()
    except OSError as error:
        raise fault(
            str(path), f"the file cannot be read: {error.strerror}", "Check the name."
        ) from error
    return read_json(text, str(path))


def run(
    data: Mapping[str, Any] | str | Path,
    set: Mapping[str, Any] | None = None,
    variant: str | None = None,
    grid: float = 1.0,
    until: str | None = None,
    out: str | Path | None = None,
    listeners: Sequence[Listener] = (),
    margin: bool = False,
    start: str | Path | None = None,
    further: bool = False,
) -> Run:
    """Solve a case in this process.

    data : a case (see `load`) or a file name. set : parameters given other values.
    grid : how many times finer per direction. until : end of the last transient stage.
    out : run file to keep; without one it is temporary. margin : also run on two coarser grids and
    give every readout a margin. start : the file of a run of a like case: steady stages begin from
    what it has found. further : also run it with what is open 1.5 times as far off, and tell every
    readout of that. Raises CaseError, Refused.
    """
    if start is not None:
        _run_file(start).close()  # refused here where there is none
    if isinstance(data, str | Path):
        data = load(data)
    source = shortened(data, until)
    case = Case(source, set, variant, grid)
    findings = audit(case)
    if not can_run(findings):
        raise Refused(refusals(case, findings))
    moved, edges = moved_out(case) if further else ({}, [])
    folder = None if out else tempfile.mkdtemp(prefix="underkettle-")
    path = Path(out) if out else Path(str(folder)) / "run.sqlite"
    if out and path.exists():
        raise fault(str(path), "there is a file of this name already", "Choose another name.")
    file = RunFile(path, new=True)
    begins = None if start is None else Path(start)
    prepare(file, json.loads(json.dumps(source)), dict(set or {}), variant, grid, begins)
    result = execute(file, case, listeners)
    if margin and result["status"] == "finished":
        others = [
            run(source, set, variant, grid * times, listeners=listeners, start=path).result
            for times in COARSER
        ]
        if all(o["status"] == "finished" for o in others):
            result = with_margins(result, others)
            file.set(result=result)
    if moved and result["status"] == "finished":
        other = run(moved, set, variant, grid, listeners=listeners, start=path).result
        if other["status"] == "finished":
            result = with_further(result, other, edges)
            file.set(result=result)
    return Run(file, case, result, folder)


def open_run(path: str | Path) -> Run:
    """A run kept in a file. Raises CaseError when there is none."""
    file = _run_file(path)
    return Run(
        file,
        case_of(file),
        file.get("result") or {"status": file.get("status"), "readouts": {}, "balance": {}},
    )


def _run_file(path: str | Path) -> RunFile:
    if not Path(path).exists():
        raise fault(str(path), "there is no such run file", "Check the name.")
    file = RunFile(path)
    if file.get("data") is None:
        raise fault(str(path), "this is not a run file")
    return file


def shortened(data: Mapping[str, Any], until: str | None) -> dict[str, Any]:
    """The case with the last transient stage ending at `until`."""
    result = json.loads(json.dumps(data))
    if until is None:
        return dict(result)
    transient = [s for s in result.get("stages", {}).values() if s.get("mode") == "transient"]
    if not transient:
        raise fault("until", "the case has no transient stage to end", "", until)
    transient[-1]["until"] = until
    return dict(result)
