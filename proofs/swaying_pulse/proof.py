"""What is carried in a stream that changes is second order in time: a pulse in a swaying stream."""

import itertools

import numpy as np

from underkettle.case.model import merge_patch

SPEED, MIDDLE, HALF, TOP, TIME, D, PERIOD = 10e-3, 30e-3, 10e-3, 10.0, 1.7, 2e-6, 1.0
SOURCE = "Gaussian solution of convection and diffusion, moved by the integral of the speed"
MOVED = SPEED * (TIME + 0.8 * PERIOD / (2 * np.pi) * (1 - np.cos(2 * np.pi * TIME / PERIOD)))


def checks(prove):
    """Four steps on one grid, all shorter than the stream asks for where it is quickest; what
    differs between them is the error in time.
    """
    whole, found = prove.case, {"pulse": [], "fed": []}
    for step in (20, 10, 5, 2.5):
        prove.case = merge_patch(whole, {"stages": {"sway": {"longest_step": f"{step} ms"}}})
        run = prove.run()
        for name, values in found.items():
            values.append(run.field(name)[0])
    prove.case = whole
    for name, values in found.items():
        change = [float(np.abs(a - b).max()) for a, b in itertools.pairwise(values)]
        prove.at_least(
            f"order in time of the {name}, steps of 20, 10, 5 and 2.5 ms",
            float(np.log2(change[0] / change[-1]) / 2),
            1.9,
            "stages that take convection and diffusion together, the stream as it is at each",
        )
    run = prove.run(grid=4.0)
    line = run.profile("pulse", (0.0, 2e-3), (0.1, 2e-3))
    weight = float(line["value"].sum())
    centre = float((line["value"] * line["x"]).sum()) / weight
    prove.check(
        "place of the middle",
        centre * 1e3,
        (MIDDLE + MOVED) * 1e3,
        "mm",
        5e-4,
        SOURCE,
        "carried exactly but for the limiter",
    )
    width = np.sqrt(HALF**2 + 4 * D * TIME)
    exact = TOP * HALF / width * np.exp(-(((line["x"] - MIDDLE - MOVED) / width) ** 2))
    prove.check(
        "profile error (share of the pulse)",
        float(np.abs(line["value"] - exact).sum() / exact.sum()),
        0.0,
        "",
        0.01,
        SOURCE,
        "as for a steady stream",
    )
    for name in ("pulse", "fed"):
        prove.closes(
            f"{name} in against out",
            run,
            name,
            1e-9,
            "conservation",
            "round-off over all steps",
        )
