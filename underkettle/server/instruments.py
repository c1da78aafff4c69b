"""Routes of instruments laid on a picture: boxes and what passes their sides, edges, distributions,
measured curves.
"""

from __future__ import annotations

import numpy as np
from fastapi import FastAPI, HTTPException
from pydantic import BaseModel

from underkettle.case.faults import fault
from underkettle.engine.marching.state import State
from underkettle.quantities import dimension_of, find_unit, from_si
from underkettle.quantities.units import unit_of
from underkettle.reading.boxes import box_balance, in_box, ordered, part_of
from underkettle.reading.distribution import QUANTILES, by_volume
from underkettle.reading.edges import edge_mean
from underkettle.reading.measured import misfit, read_curve
from underkettle.reading.readouts import quantities
from underkettle.server.answers.reading import (
    BoxBalanceView,
    BoxView,
    DistributionView,
    EdgeView,
    LaidView,
)
from underkettle.server.answers.shared import Metres
from underkettle.server.frames import Frames
from underkettle.server.opened import Opened

Array = np.ndarray


class Laid(BaseModel):
    """A measured table as text, and the computed curve it is laid over; units as shown there."""

    text: str
    x: list[float]
    y: list[float | None]
    x_unit: str = ""
    y_unit: str = ""


def instrument_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/runs/{run}/box", operation_id="get_box")
    def box(run: str, frame: int, x0: Metres, y0: Metres, x1: Metres, y1: Metres) -> BoxView:
        """Mean, extremes and integral of every field in a box (m), and the open volume there."""
        read = kept.frames(run)
        part, one = _part(read, (x0, y0, x1, y1)), read.one(frame)
        values = {}
        for name in read.names(frame):
            told = in_box(read.values(one, name), part)
            if told is None:
                continue
            field, unit = read.field(name), read.field(name).shown_in
            whole = dimension_of(field.dimension) * dimension_of("volume")
            values[name] = {
                "label": field.says,
                "unit": unit,
                "mean": from_si(told.mean, unit),
                "low": from_si(told.low, unit),
                "high": from_si(told.high, unit),
                "total": told.total,
                "total_unit": unit_of(whole.name),
            }
        return BoxView.model_validate({"volume": float(part.sum()), "values": values})

    @app.get("/api/runs/{run}/balance", operation_id="get_box_balance")
    def balance(run: str, x0: Metres, y0: Metres, x1: Metres, y1: Metres) -> BoxBalanceView:
        """What passes the sides of a box (m) at the end of the run, for everything balanced; the
        box is moved to the nearest grid lines, so that it closes.
        """
        file, case = kept.run(run), kept.run_case(run)
        saved = file.checkpoint()
        if saved is None:
            raise fault("the balance", "this run has no checkpoint yet", "Wait a little.")
        state, found, fell = State.from_bytes(saved), {}, None
        flows = quantities(case)
        for quantity, dimension in flows.items():
            crossing = case.crossing(quantity, state)
            if crossing is None:
                continue
            b = box_balance(crossing, case.grid.x, case.grid.y, ordered((x0, y0, x1, y1)))
            fell = b.box
            found[quantity] = {
                "unit": unit_of(dimension),
                "inflow": b.inflow,
                "outflow": b.outflow,
                "given": b.given,
                "taken": b.taken,
                "left": b.left,
                "relative": b.relative,
            }
        last = case.model.stages[list(case.model.stages)[-1]] if case.model.stages else None
        return BoxBalanceView.model_validate(
            {
                "box": list(fell or ()),
                "balance": found,
                "rests": last is not None and last.mode != "transient",
            }
        )

    @app.get("/api/runs/{run}/edge", operation_id="get_edge")
    def edge(run: str, frame: int, edge: str) -> EdgeView:
        """Mean, extremes and integral of every field along an edge, and what passed it at the end."""
        read = kept.frames(run)
        case, one = read.case, read.one(frame)
        if edge not in case.places("edge"):
            raise fault(
                "edge", f"there is no edge '{edge}'", f"Edges: {', '.join(case.places('edge'))}."
            )
        values, area = {}, 0.0
        for name in read.names(frame):
            field, mesh = case.field(name)
            if edge not in mesh.edges:
                continue
            rows = mesh.pieces.of(mesh.edge_index(edge))
            area = float(mesh.pieces.area[rows].sum())
            here = read.values(one, name)[mesh.pieces.j[rows] - 1, mesh.pieces.i[rows] - 1]
            mean, here = edge_mean(mesh, read.values(one, name), edge), here[np.isfinite(here)]
            if mean is None or not here.size:
                continue
            unit = field.shown_in
            whole = dimension_of(field.dimension) * dimension_of("area")
            values[name] = {
                "label": field.says,
                "unit": unit,
                "mean": from_si(mean, unit),
                "low": from_si(float(here.min()), unit),
                "high": from_si(float(here.max()), unit),
                "total": mean * area,
                "total_unit": unit_of(whole.name),
            }
        told = (kept.run(run).get("result") or {}).get("balance", {})
        passed = {
            q: {"out": b["outflow"].get(edge, 0.0) - b["inflow"].get(edge, 0.0), "unit": b["unit"]}
            for q, b in told.items()
        }
        return EdgeView.model_validate({"area": area, "values": values, "passed": passed})

    @app.get("/api/runs/{run}/distribution/{name}", operation_id="get_distribution")
    def distribution(
        run: str,
        name: str,
        frame: int,
        x0: Metres | None = None,
        y0: Metres | None = None,
        x1: Metres | None = None,
        y1: Metres | None = None,
        bins: int = 40,
    ) -> DistributionView:
        """How a field is distributed over the open volume, of a box (m) or the whole vessel."""
        read = kept.frames(run)
        values = read.shown(name, read.values(read.one(frame), name))
        ends = [x0, y0, x1, y1]
        known = [v for v in ends if v is not None]
        part = _part(read, tuple(known) if len(known) == 4 else None)
        try:
            d = by_volume(values, part, min(max(bins, 2), 400))
        except ValueError as error:
            raise fault("the distribution", str(error), "Draw the box where it is open.") from error
        return DistributionView(
            label=read.field(name).says,
            unit=read.field(name).shown_in,
            ends=d.ends.tolist(),
            share=d.share.tolist(),
            below=d.below.tolist(),
            mean=d.mean,
            deviation=d.deviation,
            quantiles={f"{100 * q:.0f}": v for q, v in zip(QUANTILES, d.quantiles, strict=True)},
            volume=d.volume,
        )

    @app.post("/api/measured", operation_id="lay_measured")
    def measured(laid: Laid) -> LaidView:
        """Measured points in the units of a computed curve, and how far that lies from them."""
        try:
            curve = read_curve(laid.text)
        except ValueError as error:
            raise fault(
                "what was measured", str(error), "Give two columns of numbers, as a file or pasted."
            ) from error
        x = _turned(curve.x, curve.x_unit, laid.x_unit, "first")
        y = _turned(curve.y, curve.y_unit, laid.y_unit, "second")
        try:
            apart = misfit(
                np.array(laid.x, float),
                np.array([np.nan if v is None else v for v in laid.y], float),
                x,
                y,
            )
        except ValueError as error:
            raise fault(
                "what was measured", str(error), "Check the units of its columns."
            ) from error
        return LaidView.model_validate(
            {
                "x": x.tolist(),
                "y": y.tolist(),
                "misfit": apart,
                "units": (curve.x_unit or laid.x_unit, curve.y_unit or laid.y_unit),
                "assumed": (
                    bool(not curve.x_unit and laid.x_unit),
                    bool(not curve.y_unit and laid.y_unit),
                ),
            }
        )


def _turned(values: Array, typed: str, wanted: str, column: str) -> Array:
    """Measured values in the unit of the curve; as they are where their head names none."""
    if not typed or typed == wanted:
        return values
    mine, other = find_unit(typed), find_unit(wanted) if wanted else None
    if mine is None:
        raise fault(
            "what was measured",
            f"the unit of the {column} column is not known",
            f"Write one such as {wanted or '%'}, or none.",
            typed,
        )
    if (other is None and not mine.dimension.is_number) or (
        other is not None and other.dimension != mine.dimension
    ):
        raise fault(
            "what was measured",
            f"the {column} column is in {typed}, the curve in {wanted or 'plain numbers'}",
            "These do not measure the same.",
        )
    return np.array([from_si(mine.to_si(v), wanted) for v in values])


def _part(read: Frames, box: tuple[float, ...] | None) -> Array:
    """Open volume (m3) of each cell in a box (m), or in the whole vessel."""
    grid, volume = read.case.grid, read.case.mesh.open_volume
    if box is None:
        return volume
    if len(box) != 4:
        raise HTTPException(422, "A box has four ends.")
    return part_of(volume, grid.x, grid.y, ordered(box))
