"""What is followed one by one, counted or summed up: drops, bubbles, pockets, parcels."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from underkettle.engine.contract import Field, Listing
from underkettle.quantities import Dimension, dimension_of
from underkettle.quantities.dimension import NUMBER
from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.seen import Asked, Seen

HOW_MANY = "how many"
SUMS: dict[str, Callable[[np.ndarray], float]] = {
    "total": np.sum,
    "mean": np.mean,
    "deviation": np.std,
    "largest": np.max,
    "smallest": np.min,
}


class Listed(ReadoutKind):
    """How many there are, or a sum over what an `entry` tells of each. only : words that their entries
    must have, with commas between them.
    """

    name, says = "listed", "of what is followed one by one"
    sentence = "{sums} of {listing}, {entry}, only {only}"
    needs = ("listing",)
    asks = ("listing", "sums", "entry", "only")
    edges, zones, divides = False, False, False
    of_field, of_listing = False, True
    nothing = "there are none"

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        if model.sums == HOW_MANY:
            return NUMBER
        entry = fields.get(f"{model.listing}.{model.entry}")
        return None if entry is None else dimension_of(entry.dimension)

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        known = [n for n, one in case.listings.items() if not one.line]
        if model.listing not in known:
            there = ", ".join(known) or "none"
            return f"nothing is followed under '{model.listing}'; there are {there}"
        listing = case.listings[model.listing]
        numbers = [e.name for e in listing.entries if e.counts]
        if model.sums != HOW_MANY and model.entry not in numbers:
            return f"'{model.entry}' is no number of each; choose from {', '.join(numbers)}"
        words = {word: None for e in listing.entries for word in e.words}
        for word in wanted(model):
            if word not in words:
                return f"none is called '{word}'; choose from {', '.join(words)}"
        return ""

    def value(self, look: Look) -> float | None:
        model, listing = look.model, look.case.listings[look.model.listing]
        rows = look.state.tables.get(listing.array)
        if rows is None:
            return None
        rows = rows[having(listing, rows, wanted(model))]
        if model.sums == HOW_MANY:
            return float(len(rows))
        at = [e.name for e in listing.entries].index(str(model.entry))
        values = rows[:, at][np.isfinite(rows[:, at])]
        if not values.size:
            return 0.0 if model.sums == "total" else None
        return float(SUMS[str(model.sums)](values))


def wanted(model: Asked) -> list[str]:
    """Words that rows must have."""
    return [word.strip() for word in str(model.only or "").split(",") if word.strip()]


def having(listing: Listing, rows: np.ndarray, words: list[str]) -> np.ndarray:
    """Which rows have every one of the words, each in whichever entry knows it."""
    found = np.ones(len(rows), bool)
    for word in words:
        has = np.zeros(len(rows), bool)
        for k, entry in enumerate(listing.entries):
            if word in entry.words:
                has |= rows[:, k] == entry.words.index(word)
        found &= has
    return found


KINDS = (Listed(),)
