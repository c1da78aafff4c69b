"""What the shelf shows of each case. It is worked out when a case is opened or changed and kept
with it, so that a list of thousands works nothing out.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from underkettle import __version__
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.pictures import OF_CASE, pictures
from underkettle.server.keeps import Keeps
from underkettle.server.rows import told_row

MOST_POINTS = 120  # of one ring of a small picture
AT_ONCE = 4  # cards made while a list waits; the rest follow in the background
UNSEEN = {
    "name": "being read",
    "summary": "",
    "phenomena": [],
    "missing": 0,
    "trouble": "",
    "sheet": None,
    "look": None,
}


def thumb(case: Case) -> dict[str, Any]:
    """The outline for a small picture (m)."""
    return {
        "rings": [
            np.round(p[:: 1 + len(p) // MOST_POINTS], 7).tolist() for p, _ in case.built.rings
        ],
        "box": case.built.outline.box,
    }


def card_of(data: dict[str, Any], built: Case | None, trouble: str = "") -> dict[str, Any]:
    """built : the case worked out, None where it cannot be. What no answer can hold is shown as a
    question mark.
    """
    name, summary, trouble, *phenomena = (
        str(text).encode("utf-8", "replace").decode()
        for text in (
            data.get("name", ""),
            data.get("summary", ""),
            trouble,
            *data.get("phenomena", {}),
        )
    )
    card: dict[str, Any] = {
        "made_by": __version__,
        "name": name,
        "summary": summary,
        "phenomena": phenomena,
        "missing": 0,
        "trouble": trouble,
        "sheet": None,
        "look": None,
    }
    if built is not None:
        card["missing"] = sum(f.grade != "doubt" for f in audit(built))
        card["sheet"] = thumb(built)
        card["look"] = pictures(built, built.data.get("pictures", {})).get(OF_CASE)
    return card


def worked_card(data: dict[str, Any], build: Callable[[], Case]) -> dict[str, Any]:
    """The card of a case; where it cannot be built, with what stands in the way."""
    try:
        return card_of(data, build())
    except CaseError as error:
        return card_of(data, None, str(error))


def keep_card(kept: Keeps, case: str, data: dict[str, Any]) -> dict[str, Any]:
    """Work a case's card out and keep it."""
    card = worked_card(data, lambda: kept.built(case, data))
    kept.library.set_card(case, card, data)
    return card


def make_cards(kept: Keeps, most: int) -> None:
    """Make some of the cards that are not there, unless somebody is at it."""
    if not kept.making_cards.acquire(blocking=False):
        return
    try:
        _make_cards(kept, most)
    finally:
        kept.making_cards.release()


def _make_cards(kept: Keeps, most: int) -> None:
    for case in kept.library.without_card(most):
        data = kept.library.case(case)
        if data is not None:
            keep_card(kept, case, data)


def cards(kept: Keeps) -> list[dict[str, Any]]:
    """Every case, newest first, with its newest run."""
    make_cards(kept, AT_ONCE)
    newest, found = kept.library.newest_runs(), []
    for row in kept.library.cards():
        run = newest.get(row["id"])
        shown = {
            **(row["card"] or UNSEEN),
            "id": row["id"],
            "touched": row["touched"],
            "demo": row["demo"],
            "runs": run["count"] if run else 0,
            "last_run": None,
            "picture": None,
        }
        if run is not None:
            told = told_row(kept, run)
            shown["last_run"] = {**told, "newest": None, "adjusted": []}
            shown["picture"] = run["shown"]
            if told["last_frame"] is not None:
                shown["picture"] = {"run": run["id"], "frame": told["last_frame"]}
        found.append(shown)
    return found
