"""Mass transfer where a thin layer begins: a pipe's active stretch in developed flow."""

import numpy as np

SOURCE = (
    "Leveque 1928, mean Sh 1.615 Gz^(1/3), with Newman 1969's corrections for the curved "
    "wall, -1.2 - 0.28 Gz^(-1/3) (from memory)"
)
D, SPEED, LENGTH, DIFFUSIVITY = 10e-3, 20e-3, 10e-3, 1e-8


def checks(prove):
    graetz = SPEED * D / DIFFUSIVITY * D / LENGTH
    number = 1.6151 * graetz ** (1 / 3) - 1.2 - 0.28 * graetz ** (-1 / 3)
    exact = number * DIFFUSIVITY / D * np.pi * D * LENGTH * 1e9
    found = []
    for grid in (0.5, 0.75, 1.0):
        run = prove.run(grid=grid)
        found.append(run.readouts["given_off"].value)
    prove.check(
        "given off, about 20 cells in the layer",
        run.readouts["given_off"].value,
        exact,
        "nmol/s",
        0.01,
        SOURCE,
        "spreading along the stream at the lip adds a little",
    )
    prove.check(
        "the finer two of three grids against each other",
        found[1],
        found[2],
        "nmol/s",
        0.003,
        "grid refinement",
        "a share of what the source allows",
    )
    prove.closes(
        "given off against carried out",
        run,
        "acid",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
