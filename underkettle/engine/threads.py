"""Two things at once, where a run has the machine to itself.

Serial unless asked for: threads that share cores with another run cost more than they bring. What
is computed is the same to the last bit, since the two parts touch nothing in common.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from typing import Any

ASKED = "UNDERKETTLE_THREADS"
WORTH = 200 * 200  # cells below which handing over costs more than it brings


def threads() -> int:
    """How many a run may use: what the environment says, else one."""
    text = os.environ.get(ASKED, "1")
    return max(1, int(text)) if text.isdigit() else 1


@cache
def _second() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(1, thread_name_prefix="kernels")


def beside(
    cells: int, first: Callable[[], Any], second: Callable[[], Any], worth: int = WORTH
) -> None:
    """Call both, at the same time if that is asked for and worth it: from so many cells on."""
    if threads() < 2 or cells < worth:
        first()
        second()
        return
    other = _second().submit(second)
    first()
    other.result()
