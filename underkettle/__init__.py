"""Under Kettle: predict what happens inside a piece of process equipment, and how far to trust it.

>>> import underkettle as uk
>>> case = uk.load("demo/salt-lance.json")
>>> run = uk.run(case, set={"speed": "8 mm/s"})
>>> run.readouts["pressure_drop"].value
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"
__all__ = ["__version__", "known_sets", "load", "run", "side_sum"]

# vectors here are short: where runs share the cores, threads that wait for each other cost more
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

if TYPE_CHECKING:
    from underkettle.api import load, run
    from underkettle.case.ready import known_sets
    from underkettle.sums import side_sum


def __getattr__(name: str) -> Any:
    if name in ("load", "run"):
        from underkettle import api

        return getattr(api, name)
    if name == "known_sets":
        from underkettle.case import ready

        return ready.known_sets
    if name == "side_sum":
        from underkettle import sums

        return sums.side_sum
    raise AttributeError(name)
