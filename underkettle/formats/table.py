"""Tables as comma-separated values (RFC 4180)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np


def table(rows: Iterable[Sequence[Any]]) -> str:
    """Rows as text. Numbers keep all their digits; texts that a spreadsheet would run as a formula
    are defused.
    """
    return "\r\n".join(",".join(_quoted(c) for c in row) for row in rows) + "\r\n"


def _quoted(cell: Any) -> str:
    if cell is None:
        return ""
    if isinstance(cell, float | np.floating):
        return repr(float(cell))
    text = str(cell)
    if text[:1] in ("=", "+", "-", "@", "\t"):
        text = "'" + text
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text
