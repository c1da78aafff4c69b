"""Proofs: literature cases solved through the public path and laid beside published numbers.

A proof is a folder with `case.json` and `proof.py`; the latter has `checks(prove)`.
"""

from __future__ import annotations

import importlib.util
import multiprocessing
import os
import time
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from underkettle import api
from underkettle.case.faults import fault

FOLDER = Path(__file__).resolve().parent.parent / "proofs"


@dataclass(frozen=True)
class Check:
    """error : |ours / published - 1|, or |ours| where nothing is published but zero."""

    what: str
    ours: float
    published: float
    unit: str
    error: float
    tolerance: float
    source: str
    reason: str
    passed: bool


class Prove:
    """What a proof may do: run its own case, and check numbers."""

    def __init__(self, folder: Path) -> None:
        self.case = case_proved(folder.name)
        self.done: list[Check] = []

    def run(
        self, grid: float = 1.0, set: Mapping[str, Any] | None = None, variant: str | None = None
    ) -> api.Run:
        return api.run(self.case, set=set, variant=variant, grid=grid)

    def check(
        self,
        what: str,
        ours: float,
        published: float,
        unit: str,
        tolerance: float,
        source: str,
        reason: str,
    ) -> None:
        error = abs(ours / published - 1) if published else abs(ours)
        self.done.append(
            Check(
                what,
                float(ours),
                float(published),
                unit,
                float(error),
                tolerance,
                source,
                reason,
                bool(error <= tolerance),
            )
        )

    def closes(
        self, what: str, run: api.Run, quantity: str, tolerance: float, source: str, reason: str
    ) -> None:
        """That a run's balance of a quantity closes: the gap over what moved."""
        gap = run.balance[quantity]["relative"]
        self.check(what, gap, 0.0, "", tolerance, source, reason)

    def keeps_elements(
        self,
        made: Mapping[str, float],
        elements: Mapping[str, Mapping[str, float]],
        fuel: str,
        at: str,
    ) -> None:
        """That what reactions made (mol, or per s, by substance) has no atoms more or fewer, over what
        they made of the fuel. elements : atoms in a molecule of each, by element.
        """
        for element, atoms in elements.items():
            more = sum(many * made[n] for n, many in atoms.items()) / made[fuel]
            source, reason = "conservation of elements", "reactions run as a whole"
            what = f"{element} made, over what burns, {at}"
            self.check(what, more, 0.0, "", 1e-10, source, reason)

    def over(
        self, grids: Sequence[float], readout: str, exact: float, **how: Any
    ) -> tuple[api.Run, list[float]]:
        """The last of runs over grids, and how far every one's readout was from what is exact, over
        that. how : as of `run`.
        """
        runs = [self.run(grid=grid, **how) for grid in grids]
        return runs[-1], [abs(run.readouts[readout].value / exact - 1.0) for run in runs]

    def at_least(self, what: str, ours: float, least: float, source: str) -> None:
        """A number that must reach a bound, such as an order; the error is how far it falls short."""
        short = max(0.0, least - ours)
        self.done.append(
            Check(
                what,
                float(ours),
                least,
                "at least",
                float(short),
                0.0,
                source,
                "a bound, not a value",
                bool(short == 0.0),
            )
        )

    @staticmethod
    def order(errors: Sequence[float]) -> float:
        """Observed order: slope of log(error) over grids that each halve the cells."""
        steps = np.arange(len(errors)) * np.log(2.0)
        return float(-np.polyfit(steps, np.log(np.maximum(errors, 1e-300)), 1)[0])


def proofs(quick: bool = False) -> list[str]:
    """Names of all proofs, or of those that take seconds (QUICK = True in their file)."""
    names = sorted(p.parent.name for p in FOLDER.glob("*/proof.py"))
    return [n for n in names if getattr(_module(n), "QUICK", False)] if quick else names


def case_proved(name: str) -> dict[str, Any]:
    """The case file of a proof."""
    return api.load(FOLDER / name / "case.json")


def _module(name: str) -> Any:
    spec = importlib.util.spec_from_file_location(f"proof_{name}", FOLDER / name / "proof.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def check_names(names: Sequence[str]) -> None:
    """Raises CaseError for the first that is no proof's."""
    there = proofs()
    for name in names:
        if name not in there:
            cure = f"Proofs: {', '.join(there)}."
            raise fault(f"proofs / {name}", "there is no such proof", cure)


def prove(name: str) -> dict[str, Any]:
    """Run one proof. Raises CaseError when there is none of that name."""
    check_names([name])
    module = _module(name)
    proof = Prove(FOLDER / name)
    began = time.perf_counter()
    broke = ""
    try:
        module.checks(proof)
    except Exception as error:  # one that breaks is told, and the others still run
        broke = f"{type(error).__name__}: {error}"
    return {
        "name": name,
        "title": proof.case["name"],
        "about": (module.__doc__ or "").strip(),
        "passed": not broke and bool(proof.done) and all(c.passed for c in proof.done),
        "checks": [asdict(c) for c in proof.done],
        "broke": broke,
        "wall_s": round(time.perf_counter() - began, 2),
    }


def prove_all(names: Sequence[str], at_once: int = 0) -> Iterator[dict[str, Any]]:
    """Results of proofs as they end, some at once in processes of their own.

    at_once : how many; 0 is as many as there are cores. Raises CaseError as `prove` does.
    """
    at_once = min(at_once or os.cpu_count() or 1, len(names))
    if at_once <= 1:
        yield from map(prove, names)
        return
    fresh = multiprocessing.get_context("spawn")  # threads of kernels do not survive a fork
    with ProcessPoolExecutor(at_once, mp_context=fresh) as workers:
        for ended in as_completed([workers.submit(prove, name) for name in names]):
            yield ended.result()
