"""Routes for what is seen before a run: tastes, and side sums with the hand relations among them.
"""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, HTTPException, Response

from underkettle.runs.taste import shown
from underkettle.server.opened import Opened, raw


def tasting_routes(app: FastAPI, kept: Opened) -> None:
    @app.post("/api/cases/{case}/taste", operation_id="taste")
    def taste(case: str, variant: str = "") -> dict[str, Any]:
        """A coarse solve of the case as it stands, within seconds; none of it is kept. Status:
        settled, cut short, failed, or taken back by an edit or another taste.
        """
        built = kept.built(case, variant=variant)
        found = kept.taster.taste(built.source, variant)
        if found.fields:
            kept.tastes[case] = (built, found)
        return {"status": found.status, "says": found.says, "factor": found.factor,
                "cells": found.cells, "seconds": found.seconds, "chief": found.chief,
                "x": found.x, "y": found.y, "readouts": found.readouts,
                "fields": list(found.fields)}

    @app.post("/api/cases/{case}/taste/stop", operation_id="stop_taste")
    def stop_taste(case: str) -> dict[str, str]:
        """Take back a taste that is being made."""
        kept.taster.take_back()
        return {"case": case}

    @app.get("/api/cases/{case}/taste/{name}", operation_id="get_taste")
    def get_taste(case: str, name: str) -> Response:
        """A field of the newest taste: header, then (ny, nx) float32, NaN where closed."""
        try:
            built, found = kept.tastes[case]
            return raw(*shown(built, found, name))
        except KeyError as error:
            raise HTTPException(404, "There is no such taste.") from error
