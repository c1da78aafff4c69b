"""Routes for what is read from a history: the curve, what it repeats, residence times."""

from __future__ import annotations

from dataclasses import asdict, replace

import numpy as np
from fastapi import FastAPI, HTTPException

from underkettle.case.case import Case
from underkettle.case.faults import CaseError, fault
from underkettle.case.stages import TIME, axis_of
from underkettle.quantities import find_unit, from_si
from underkettle.reading.along import along_series, goes_through_time, last_series
from underkettle.reading.histories import watched
from underkettle.reading.loops import enclosed, last_round, ways
from underkettle.reading.readouts import dimension_of_readout, label_of
from underkettle.reading.spectrum import spectrum
from underkettle.reading.stay import Moments
from underkettle.reading.tracer import tracer_field, tracer_of
from underkettle.reading.ways import two_ways
from underkettle.server.answers.reading import (
    AgainstView,
    AxisView,
    HistoryView,
    LegView,
    SpectrumView,
    StayView,
)
from underkettle.server.opened import Opened

Array = np.ndarray

MOST = 2000  # points of a curve that is sent


def history_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/runs/{run}/history/{readout}", operation_id="get_history")
    def history(run: str, readout: str) -> HistoryView:
        """A readout at every step of the transient stages; where there is none, for every value of
        the last series, in the order in which they were applied.
        """
        case, unit, time, value = _read(kept, run, readout, series_too=True)
        shown, stage = _thin(time, value), last_series(case)
        axis = TIME if goes_through_time(case) else axis_of(case, stage)
        return HistoryView(
            label=label_of(case, readout),
            unit=unit,
            axis=AxisView(name=axis.name, unit=axis.unit),
            time=[axis.shown(float(t)) for t in shown[0]],
            value=[from_si(float(v), unit) if np.isfinite(v) else None for v in shown[1]],
        )

    @app.get("/api/runs/{run}/against/{readout}", operation_id="get_against")
    def get_against(run: str, readout: str, over: str) -> AgainstView:
        """A readout against another, row by row of their histories: loops, characteristics."""
        case, unit, _, y = _read(kept, run, readout, series_too=True)
        _, other, _, x = _read(kept, run, over, series_too=True)
        if x.size != y.size:
            raise fault(
                "the curve",
                "the two readouts are not told at the same times",
                "Choose two that the run itself watched.",
            )
        both = np.isfinite(x) & np.isfinite(y)
        x, y = _thin(x[both], y[both])
        x, y = (np.array([from_si(float(v), u) for v in a]) for a, u in ((x, other), (y, unit)))
        found = last_round(x, y) if x.size else None
        return AgainstView(
            label=label_of(case, readout),
            unit=unit,
            over=AxisView(name=label_of(case, over), unit=other),
            x=x.tolist(),
            y=y.tolist(),
            legs=[LegView(**asdict(way)) for way in ways(x)],
            round=None if found is None else found.first,
            enclosed=None if found is None else enclosed(found.x, found.y),
        )

    @app.get("/api/runs/{run}/spectrum/{readout}", operation_id="get_spectrum")
    def get_spectrum(run: str, readout: str, since: str = "0 s") -> SpectrumView:
        """Amplitude against frequency of a readout's history from a time on."""
        case, unit, time, value = _read(kept, run, readout)
        at = case.number(since, "time", "since")
        try:
            found = spectrum(time, value, at)
        except ValueError as error:
            raise fault("the spectrum", str(error), "Begin earlier, or run longer.") from error
        one, none = from_si(1.0, unit), from_si(0.0, unit)
        last = min(found.frequency.size, 600)
        few = found.periods < 8
        return SpectrumView.model_validate(
            {
                "unit": unit,
                "frequency": found.frequency[1:last].tolist(),
                "amplitude": (found.amplitude[1:last] * (one - none)).tolist(),
                "peak": found.peak,
                "height": found.height * (one - none),
                "periods": found.periods,
                "mean": from_si(found.mean, unit),
                "window": found.window,
                "doubt": f"only {found.periods:.1f} periods were seen; eight tell a frequency "
                "(common practice)"
                if few
                else "",
            }
        )

    @app.get("/api/runs/{run}/stay/{readout}", operation_id="get_stay")
    def get_stay(
        run: str,
        readout: str,
        kind: str = "step",
        before: str = "",
        after: str = "",
        begin: str = "0 s",
        given: str = "",
    ) -> StayView:
        """Residence times from a readout at an outlet after a step or pulse at `begin`. before and
        after : what enters, of a step; if empty, what leaves first, and what enters in the end.
        given : the amount of a pulse, where the readout is what leaves per second.
        """
        case, _, time, value = _read(kept, run, readout)
        dimension = dimension_of_readout(case, readout)
        if kind not in ("step", "pulse"):
            raise fault("kind", "a tracer comes as a step or a pulse", "", kind)
        tracer = tracer_of(case, readout, _last(kept, run, tracer_field(case, readout)))
        typed = {
            name: case.number(text, what, name) if text else None
            for name, text, what in (
                ("before", before, dimension),
                ("after", after, dimension),
                ("given", given, "amount"),
            )
        }
        try:
            found = tracer.stay(kind, time, value, case.number(begin, "time", "begin"), **typed)
        except ValueError as error:
            if isinstance(error, CaseError):
                raise
            raise fault(
                "the residence time",
                str(error),
                "Choose another readout, kind or beginning, or run longer.",
            ) from error
        flow = case.facts.inflow()
        steps = _thin(found.time, found.cumulative)
        ages = _thin(found.time, found.exit_age)
        ways = two_ways(found.time, found.cumulative, found.exit_age)
        return StayView.model_validate(
            {
                **_moments(found.came),
                "whole": _moments(found.whole) if found.whole else None,
                "time": steps[0].tolist(),
                "cumulative": steps[1].tolist(),
                "exit_age": ages[1].tolist(),
                "ways": [asdict(way) for way in ways.ways] if ways else [],
                "fitted": _thin(found.time, ways.exit_age)[1].tolist() if ways else [],
                "misfit": ways.misfit if ways else None,
                "recovered": found.recovered,
                "sure": found.sure,
                "notes": list(found.notes),
                "volume": flow * found.best.mean if flow > 0 else None,
                "open_volume": case.facts.stream_volume(),
                "pore_volume": None if case.porosity is None else case.facts.pore_volume(),
                "flow": flow or None,
            }
        )


def _moments(found: Moments) -> dict[str, float | None]:
    return {
        "mean": found.mean,
        "variance": found.variance,
        "deviation": found.deviation,
        "skewness": found.skewness,
        "peak": found.peak,
        "tanks": found.tanks,
        "peclet": found.peclet,
    }


def _last(kept: Opened, run: str, field: str) -> Array | None:
    """A field as the last frame has it; None where it has none."""
    read = kept.frames(run)
    frames = read.all()
    return read.tell(frames[-1], field) if frames and field else None


def _read(
    kept: Opened, run: str, readout: str, series_too: bool = False
) -> tuple[Case, str, Array, Array]:
    """The run's case, the readout's unit, and its history in SI; series_too : along a series, where
    nothing goes through time.
    """
    read = kept.frames(run)
    case = read.case
    if readout not in case.model.readouts:
        raise HTTPException(404, "There is no such readout.")
    unit = case.readout_unit(readout, dimension_of_readout(case, readout))
    time, value = watched(kept.run(run).watches(), readout, find_unit(unit) if unit else None)
    if time.size and np.isnan(value).all():  # added since: frames tell it, more coarsely
        late = [(t, np.nan if v is None else v) for t, v in read.history(readout)]
        time, value = np.array(late, float).reshape(-1, 2).T
    if time.size == 0 and series_too and last_series(case):
        frames = [replace(f, readouts={readout: read.readout(f, readout)}) for f in read.all()]
        along = along_series(case, frames, readout)
        if along[0].size:
            return case, unit, *along
    if time.size == 0:
        raise fault(
            "the history",
            "this run has no transient stage, so nothing changes in time",
            "Read the number itself, or add a transient stage.",
        )
    return case, unit, time, value


def _thin(time: Array, value: Array) -> tuple[Array, Array]:
    step = max(1, time.size // MOST)
    return time[::step], value[::step]
