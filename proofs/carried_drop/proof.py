"""A drop a thousand times as heavy as the gas around it flies on: energy and shape."""

import numpy as np

SOURCE = "nothing slows it: momentum goes along with mass; targets of earlier trials of this method"


def checks(prove):
    for grid in (1.0, 2.0):
        run = prove.run(grid=grid)
        _, energy = run.history("energy")
        first, last = (np.asarray(run.field("drop", k)) for k in (0, -1))
        shape = float(np.abs(last - first).sum() / first.sum())
        cells = f"{12.8 * grid:.3g} cells across, two lengths on"
        prove.check(f"energy, {cells}", float(energy[-1] / energy[1]), 1.0, "", 1e-2, SOURCE, "")
        prove.check(f"shape off by, {cells}", shape, 0.0, "", 0.12, SOURCE, "")
        prove.closes(f"volume of the drop, {cells}", run, "drop", 1e-9, "conservation", "")
