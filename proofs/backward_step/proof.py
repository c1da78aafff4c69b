"""Where the eddies behind a backward step end, Re 800 on the channel and the mean inlet speed."""

import numpy as np

SOURCE = "Gartling 1990 (from memory): lower eddy 6.10, upper eddy 4.85 to 10.48 channel heights"


def shear(run, lid):
    """x and the slope of the x velocity at a wall, from the two cells next to it."""
    grid = run.case.grid
    field, h = run.field("velocity_x"), float(grid.y[1] - grid.y[0])
    first, second = (field[-1], field[-2]) if lid else (field[0], field[1])
    x = 0.5 * (grid.x[1:] + grid.x[:-1])
    return x, (9 * first - second) / (3 * h)


def crossings(x, slope):
    """Where the slope changes its sign, with the direction it takes."""
    k = np.flatnonzero(slope[1:] * slope[:-1] < 0)
    at = x[k] - slope[k] * (x[k + 1] - x[k]) / (slope[k + 1] - slope[k])
    return [(float(a), bool(slope[i] < 0)) for a, i in zip(at, k, strict=True)]


def lengths(run):
    lower = [a for a, ends in crossings(*shear(run, False)) if ends and a > 1.0]
    upper = crossings(*shear(run, True))
    begins = [a for a, ends in upper if not ends and a > 1.0]
    ends = [a for a, e in upper if e and a > 6.0]
    return lower[0], begins[0], ends[0]


def checks(prove):
    """24 and 40 cells across, and what they point to if the error falls with their square."""
    coarse = lengths(prove.run(grid=0.6))
    run = prove.run()
    fine = lengths(run)
    for k, (what, published) in enumerate(
        (("lower eddy ends", 6.10), ("upper eddy begins", 4.85), ("upper eddy ends", 10.48))
    ):
        limit = fine[k] + (fine[k] - coarse[k]) / ((1 / 0.6) ** 2 - 1)
        prove.check(
            f"{what}, extrapolated",
            limit,
            published,
            "channel heights",
            0.01,
            SOURCE,
            "the source gives three figures; its outlet is at the same distance",
        )
        prove.check(
            f"{what}, 40 cells across",
            fine[k],
            published,
            "channel heights",
            0.04,
            SOURCE,
            "the difference between the two grids says 3 %",
        )
    prove.at_least(
        "lower eddy: finer is nearer (coarser error over finer)",
        abs(coarse[0] - 6.10) / max(abs(fine[0] - 6.10), 1e-12),
        1.0,
        SOURCE,
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
