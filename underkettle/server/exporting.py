"""Routes that hand out files: tables as CSV, frames as VTK, HDF5 and Zarr."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import FastAPI, HTTPException, Query, Response
from fastapi.responses import PlainTextResponse

from underkettle.api import Run
from underkettle.exporting import histories, listings
from underkettle.formats.table import table
from underkettle.quantities import from_si
from underkettle.reading.readouts import shown_units
from underkettle.server.answers.shared import Metres
from underkettle.server.opened import Opened, Raw
from underkettle.server.reading import profile, wall

KINDS = {"vtk": "frames.zip", "hdf": "frames.vtkhdf", "zarr": "frames.zarr.zip"}


def export_routes(app: FastAPI, kept: Opened) -> None:
    def csv(rows: list[list[Any]], name: str) -> PlainTextResponse:
        return PlainTextResponse(
            table(rows),
            media_type="text/csv",
            headers={"Content-Disposition": f'attachment; filename="{name}"'},
        )

    @app.get(
        "/api/runs/{run}/export/profile.csv",
        operation_id="export_profile",
        response_class=PlainTextResponse,
    )
    def export_profile(
        run: str,
        frame: int,
        name: str,
        x0: Metres,
        y0: Metres,
        x1: Metres,
        y1: Metres,
        radius: Metres = 0.0,
    ) -> PlainTextResponse:
        line, unit = profile(kept.frames(run), frame, name, (x0, y0), (x1, y1), radius)
        rows: list[list[Any]] = [["distance [mm]", "x [mm]", "y [mm]", f"{name} [{unit or '1'}]"]]
        for d, x, y, v in zip(line["distance"], line["x"], line["y"], line["value"], strict=True):
            value = from_si(float(v), unit) if np.isfinite(v) else ""
            rows.append([d * 1e3, x * 1e3, y * 1e3, value])
        return csv(rows, "profile.csv")

    @app.get(
        "/api/runs/{run}/export/wall.csv",
        operation_id="export_wall",
        response_class=PlainTextResponse,
    )
    def export_wall(
        run: str, frame: int, quantity: str, edge: str, readout: str = ""
    ) -> PlainTextResponse:
        line, values, unit = wall(kept, run, frame, quantity, edge, readout)
        rows: list[list[Any]] = [
            ["distance [mm]", "x [mm]", "y [mm]", f"{readout or quantity} [{unit or '1'}]"]
        ]
        rows += [
            [d * 1e3, x * 1e3, y * 1e3, from_si(float(v), unit)]
            for d, x, y, v in zip(line["distance"], line["x"], line["y"], values, strict=True)
        ]
        return csv(rows, "wall.csv")

    @app.get(
        "/api/runs/{run}/export/field.csv",
        operation_id="export_field",
        response_class=PlainTextResponse,
    )
    def export_field(
        run: str, frame: int, names: Annotated[list[str] | None, Query()] = None
    ) -> PlainTextResponse:
        """One row per open cell: position and fields."""
        read = kept.frames(run)
        one, wanted = read.one(frame), names or read.names(frame)
        arrays = {n: read.shown(n, read.values(one, n)) for n in wanted}
        grid = read.case.grid
        xc, yc = 0.5 * (grid.x[1:] + grid.x[:-1]), 0.5 * (grid.y[1:] + grid.y[:-1])
        rows: list[list[Any]] = [
            ["x [mm]", "y [mm]", *(f"{n} [{read.field(n).shown_in or '1'}]" for n in wanted)]
        ]
        for j, i in np.argwhere(np.isfinite(arrays[wanted[0]])) if wanted else ():
            rows.append([xc[i] * 1e3, yc[j] * 1e3, *(a[j, i] for a in arrays.values())])
        return csv(rows, "field.csv")

    @app.get(
        "/api/runs/{run}/export/readouts.csv",
        operation_id="export_readouts",
        response_class=PlainTextResponse,
    )
    def export_readouts(run: str) -> PlainTextResponse:
        """Readouts of the whole run, then their history frame by frame."""
        read = kept.frames(run)
        case = read.case
        result = kept.run(run).get("result") or {"readouts": {}}
        rows: list[list[Any]] = [
            ["readout", "value", "margin", "unit", "paper", "measured from", "to"]
        ]
        for name, r in result["readouts"].items():
            rows.append(
                [
                    name,
                    "" if r["value"] is None else r["value"],
                    r.get("margin", ""),
                    r["unit"],
                    r.get("paper", ""),
                    *r.get("measured", ()),
                ]
            )
        units = shown_units(case)
        rows += [[], ["stage", "time [s]", *(f"{n} [{u or '1'}]" for n, u in units.items())]]
        for f in read.all():
            told = {n: read.readout(f, n) for n in units}
            rows.append(
                [
                    f.stage,
                    f.value,
                    *("" if v is None else from_si(v, units[n]) for n, v in told.items()),
                ]
            )
        return csv(rows, "readouts.csv")

    @app.get(
        "/api/runs/{run}/export/histories.csv",
        operation_id="export_histories",
        response_class=PlainTextResponse,
    )
    def export_histories(run: str) -> PlainTextResponse:
        """Readouts over the steps of the run, as often as they were kept."""
        return csv(histories(kept.run_case(run), kept.run(run)), "histories.csv")

    @app.get(
        "/api/runs/{run}/export/listings.csv",
        operation_id="export_listings",
        response_class=PlainTextResponse,
    )
    def export_listings(run: str, frame: int | None = None) -> PlainTextResponse:
        """Things followed one by one, in all frames or in one."""
        return csv(listings(kept.run_case(run), kept.run(run), frame), "listings.csv")

    @app.get("/api/runs/{run}/export/frames/{to}", operation_id="export_frames", response_class=Raw)
    def export_frames(run: str, to: str) -> Response:
        """Every frame: VTK XML (vtk), VTKHDF (hdf), Zarr (zarr)."""
        if to not in KINDS:
            raise HTTPException(404, f"Frames go out as {', '.join(KINDS)}.")
        return Response(
            Run(kept.run(run), kept.run_case(run), {}).exported(to),
            media_type="application/octet-stream",
            headers={"Content-Disposition": f'attachment; filename="{KINDS[to]}"'},
        )
