"""How many margins hold: python -m tests.margins [PROOF ...].

Over the proofs' own cases on grids coarser than theirs, each readout's margin is worked out from
that grid and two coarser ones still, as a user would ask for it, and compared with what the finest
grid of all says. Aim: 95 of 100.
"""

import sys
import time

import underkettle as uk
from underkettle.proving import FOLDER
from underkettle.reading.margin import COARSER
from underkettle.runs.margins import with_margins

OWN = (0.5, 0.71)  # grids whose margins are tried
FINEST = 2.0
STEADY = (
    "poiseuille",
    "pipe",
    "entrance",
    "leveque",
    "slug_plate",
    "side_heated",
    "warm_slab",
    "warm_walls",
    "reacting_wall",
    "conjugate_wall",
    "tilted_channel",
    "cylinders",
    "turning_cylinders",
    "rod_array",
    "heated_gas",
    "drawing_jet",
    "flat_plate",
)


def tried(name: str) -> list[tuple[str, float, float]]:
    """Readout, margin and true distance to the finest grid, for every margin of a proof's case."""
    data = uk.load(FOLDER / name / "case.json")
    solved = {}

    def on(grid: float) -> dict:
        key = round(grid, 3)
        if key not in solved:
            solved[key] = uk.run(data, grid=grid).result
        return solved[key]

    truth, found = on(FINEST)["readouts"], []
    for grid in OWN:
        told = with_margins(on(grid), [on(grid * times) for times in COARSER])["readouts"]
        for readout, number in told.items():
            true = truth[readout]["value"]
            if "margin" in number and true is not None and number["value"] is not None:
                found.append(
                    (f"{name} {grid:g} {readout}", number["margin"], abs(number["value"] - true))
                )
    return found


def main() -> int:
    began, held, count = time.monotonic(), 0, 0
    for name in sys.argv[1:] or STEADY:
        try:
            rows = tried(name)
        except uk.CaseError as error:
            print(f"{name}: {error}")
            continue
        for what, margin, away in rows:
            small = 1e-9 * max(abs(margin), abs(away)) + 1e-12  # round-off of what cancels
            holds = away <= margin + small
            held, count = held + holds, count + 1
            print(
                f"{'holds ' if holds else 'MISSES'} {what}: +/- {margin:.3g}, off by {away:.3g}",
                flush=True,
            )
    print(f"{held} of {count} margins hold, {time.monotonic() - began:.0f} s")
    return 0 if count and held >= 0.95 * count else 1


if __name__ == "__main__":
    sys.exit(main())
