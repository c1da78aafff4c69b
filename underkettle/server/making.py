"""Routes for making a case: what to begin from, outlines, matter, what is there at the start."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from fastapi import FastAPI, HTTPException, Request, Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from underkettle import matter
from underkettle.case.board import Offered, board
from underkettle.case.case import Case
from underkettle.case.faults import fault
from underkettle.case.materials import property_at, read_material
from underkettle.case.ready import known_sets
from underkettle.case.solve import start_field
from underkettle.case.values import read_number, read_parameters
from underkettle.formats.apart import read_apart
from underkettle.proving import case_proved, proofs
from underkettle.quantities import find_unit
from underkettle.quantities.units import unit_of
from underkettle.server import demo
from underkettle.server.answers.cases import (
    CaseFile,
    KnownSetView,
    MatterEntry,
    MatterView,
    Outlines,
    ProofView,
    Template,
)
from underkettle.server.answers.shared import Identity
from underkettle.server.opened import Opened, Raw, raw
from underkettle.server.shelf import thumb

UPLOADED = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


class OwnMatter(BaseModel):
    """A material of one's own: properties by name, each a number with its unit or a law of
    temperature, and where they are from.
    """

    label: str
    source: str = ""
    properties: dict[str, str]


def making_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/templates", operation_id="list_templates")
    def list_templates() -> list[Template]:
        """Small sound cases to begin from, each with its sheet's outline."""
        return [
            Template.model_validate(
                {
                    "name": data["name"],
                    "summary": data["summary"],
                    "data": data,
                    "sheet": thumb(Case(data, registry=kept.registry)),
                }
            )
            for data in demo.templates()
        ]

    @app.get("/api/proofs", operation_id="list_proofs")
    def list_proofs() -> list[ProofView]:
        """Cases of the literature that the program is held against."""
        return [
            ProofView(name=n, title=data["name"], summary=data.get("summary", ""))
            for n, data in ((n, case_proved(n)) for n in proofs())
        ]

    @app.get("/api/proofs/{name}", operation_id="get_proof")
    def get_proof(name: str) -> CaseFile:
        """The case file of one of them, to be opened, run and changed like any other."""
        known = proofs()
        if name not in known:
            raise fault("name", f"there is no proof '{name}'", f"Proofs: {', '.join(known)}.", name)
        return case_proved(name)

    @app.get("/api/cases/{case}/board", operation_id="get_board")
    def get_board(case: str, variant: str = "") -> list[Offered]:
        """Every phenomenon: what it would take and give in this case, and whether it matters."""
        built = kept.built(case, variant=variant)
        if "board" not in built.memo:
            built.memo["board"] = board(built)
        return built.memo["board"]

    @app.get("/api/cases/{case}/start/{column}", operation_id="get_start", response_class=Raw)
    def get_start(case: str, column: str, variant: str = "") -> Response:
        """What a column is full of at the start: header, then (ny, nx) float32, NaN if closed."""
        built = kept.built(case, variant=variant)
        try:
            name, values = start_field(built, column)
        except KeyError as error:
            raise HTTPException(404, "There is no such column.") from error
        unit = built.fields()[name][1].shown_in
        known = find_unit(unit)
        shown = (values - known.offset) / known.factor if known is not None else values
        return raw(
            {
                "rows": shown.shape[0],
                "columns": shown.shape[1],
                "name": name,
                "unit": unit,
                "low": float(np.nanmin(shown)),
                "high": float(np.nanmax(shown)),
            },
            shown,
        )

    @app.get("/api/known/{phenomenon}", operation_id="list_known")
    def list_known(phenomenon: str, key: str = "") -> list[KnownSetView]:
        """Sets of members that a case may take, of those that a phenomenon lists under a key."""
        return [KnownSetView.model_validate(asdict(s)) for s in known_sets(phenomenon, key)]

    @app.get("/api/matter", operation_id="find_matter")
    def find_matter(text: str = "") -> list[MatterEntry]:
        """Own materials, liquids, gases, solutions and humid air whose names hold every word."""
        words = text.lower().split()
        own = [
            MatterEntry(id=m["id"], label=m["label"], share="", own=True)
            for m in kept.library.materials()
            if all(w in m["label"].lower() for w in words)
        ]
        return own + [
            MatterEntry.model_validate({**asdict(m), "own": False}) for m in matter.find(text)
        ]

    @app.post("/api/matter", operation_id="keep_matter")
    def keep_matter(own: OwnMatter) -> Identity:
        """Keep a material of one's own; one of the same name is replaced."""
        read_material(own.label, own.properties)
        return Identity(id=kept.library.add_material(own.label.strip(), own.source, own.properties))

    @app.delete("/api/matter/{entry}", operation_id="drop_matter")
    def drop_matter(entry: str) -> Identity:
        if not kept.library.drop_material(entry):
            raise HTTPException(404, "There is no such material of one's own.")
        return Identity(id=entry)

    @app.get("/api/matter/{entry}", operation_id="get_matter")
    def get_matter(
        entry: str,
        temperature: str = "20 degC",
        pressure: str = "1 atm",
        share: str = "0",
        spread: str = "20 K",
    ) -> MatterView:
        """Properties at a typed state, each with its curve over temperature and a law of it."""
        none = read_parameters({})
        t = read_number(temperature, "temperature", none, "temperature")
        p = read_number(pressure, "pressure", none, "pressure")
        part = read_number(share, "number", none, "share")
        reach = abs(read_number(spread, "temperature", none, "spread"))
        own = next((m for m in kept.library.materials() if m["id"] == entry), None)
        if own is not None:
            return MatterView.model_validate(
                {
                    "phase": "",
                    "source": f"{own['label']}: {own['source'] or 'typed'}",
                    "typed": own["properties"],
                    "values": {
                        name: property_at(name, text, t, reach)
                        for name, text in own["properties"].items()
                    },
                }
            )
        try:
            found = matter.properties(entry, t, p, part)
            return MatterView.model_validate(
                {
                    "phase": found.phase,
                    "source": found.source,
                    "typed": {},
                    "values": {
                        name: _property(entry, name, value, t, p, part, reach)
                        for name, value in found.values.items()
                    },
                }
            )
        except matter.MatterError as error:
            raise fault(
                "the library", str(error), "Choose another state, or type the values."
            ) from error

    @app.post("/api/outlines", operation_id="read_outlines", openapi_extra=UPLOADED)
    async def read_outlines(request: Request, name: str, unit: str = "") -> Outlines:
        """Parts out of a drawing. `parts` is null until a unit is known, the file's or that asked
        for; `size` is in the drawing's own unit.
        """
        body = await request.body()
        return Outlines.model_validate(await run_in_threadpool(read_apart, body, name, unit))


def _property(
    entry: str, name: str, value: float, t: float, p: float, share: float, reach: float
) -> dict[str, Any]:
    unit = unit_of(name)
    at, values = matter.curve(entry, name, t - reach, t + reach, p, share)
    try:
        text, error = matter.law(at, values, unit)
    except matter.MatterError:
        text, error = "", 0.0
    return {
        "typed": f"{value:.6g} {unit}",
        "unit": unit,
        "law": text,
        "law_error": error,
        "curve": {
            "axis": "temperature",
            "axis_unit": "K",
            "unit": unit,
            "at": at.tolist(),
            "values": [v if np.isfinite(v) else None for v in values.tolist()],
        },
    }
