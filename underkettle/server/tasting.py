"""Routes for what is seen before a run: tastes, and side sums with the hand relations among them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fastapi import FastAPI, HTTPException, Response
from pydantic import BaseModel

from underkettle.case.sums import work_out
from underkettle.paper.all import RELATIONS
from underkettle.quantities.units import unit_of
from underkettle.runs.taste import shown
from underkettle.server.answers.cases import SumAnswer, SumView, TasteView
from underkettle.server.opened import Opened, Raw, raw
from underkettle.sums import SUMS


class Asked(BaseModel):
    """Entries of a side sum as typed; tables are rows of text."""

    entries: dict[str, Any] = {}
    case: str = ""
    variant: str = ""


def tasting_routes(app: FastAPI, kept: Opened) -> None:
    @app.post("/api/cases/{case}/taste", operation_id="taste")
    def taste(case: str, variant: str = "") -> TasteView:
        """A coarse solve of the case as it stands, within seconds; none of it is kept. Status:
        settled, cut short, failed, or taken back by an edit or another taste.
        """
        built = kept.built(case, variant=variant)
        found = kept.taster.taste(built.source, variant)
        if found.fields:
            kept.tastes.keep(case, (built, found))
        return TasteView.model_validate(
            {
                "status": found.status,
                "says": found.says,
                "factor": found.factor,
                "cells": found.cells,
                "seconds": found.seconds,
                "chief": found.chief,
                "x": found.x,
                "y": found.y,
                "readouts": found.readouts,
                "fields": list(found.fields),
            }
        )

    @app.get("/api/sums", operation_id="list_sums")
    def list_sums() -> list[SumView]:
        """Side sums and hand relations: what each takes and gives."""
        return [
            SumView.model_validate(
                {
                    "name": s.name,
                    "label": s.label,
                    "group": s.group,
                    "summary": s.summary,
                    "source": s.source,
                    "tex": s.tex,
                    "range": s.range,
                    "relation": s.name in RELATIONS,
                    "entries": [{**asdict(e), "unit": unit_of(e.dimension)} for e in s.entries],
                    "gives": [{**asdict(g), "unit": unit_of(g.dimension)} for g in s.gives],
                }
            )
            for s in SUMS.values()
        ]

    @app.post("/api/sums/{name}", operation_id="work_out_sum")
    def work_out_sum(name: str, asked: Asked) -> SumAnswer:
        """Numbers and a curve from typed entries; they may name parameters of a case."""
        if name not in SUMS:
            raise HTTPException(404, "There is no such side sum.")
        built = kept.built(asked.case, variant=asked.variant) if asked.case else None
        return SumAnswer.model_validate(work_out(SUMS[name], asked.entries, built))

    @app.get("/api/cases/{case}/taste/{name}", operation_id="get_taste", response_class=Raw)
    def get_taste(case: str, name: str) -> Response:
        """A field of the newest taste: header, then (ny, nx) float32, NaN where closed."""
        known = kept.tastes.get(case)
        if known is None or name not in known[1].fields:
            raise HTTPException(404, "There is no such taste.")
        return raw(*shown(*known, name))
