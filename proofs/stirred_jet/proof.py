"""How fast turbulent jets grow, plane and round: where their speed is half of that in their middle."""

import numpy as np

SOURCE = (
    "Wilcox, Turbulence Modeling for CFD (from memory): .109 with the constants that the model has "
    "away from walls; measured .100 to .110. (The same constants overrate round jets by a third.)"
)
REALIZABLE = (
    "Shih, Liou, Shabbir, Yang & Zhu 1995 (from memory): plane .105, round .094; measured .100 to "
    ".110 and .086 to .096"
)
OVERRATED = "the known anomaly of the constants of k-epsilon: about .12; measured .086 to .096"
GRIDS = (0.5, 0.71, 1.0)
NEAR, AFAR = 35.0, 65.0  # slot widths


def grows(run):
    """Rise of the half-width over the length, fitted."""
    grid = run.case.grid
    x, y = (0.5 * (a[1:] + a[:-1]) for a in (grid.x, grid.y))
    u = run.field("velocity_x")
    there = np.flatnonzero((x > NEAR) & (x < AFAR))
    widths = [np.interp(-0.5 * u[0, i], -u[:, i], y) for i in there]
    return float(np.polyfit(x[there], widths, 1)[0])


def checks(prove):
    for name, variant, published, tolerance, source, reason in (
        ("a plane jet", None, 0.109, 0.05, SOURCE, "engine target: the model's own figure"),
        (
            "a plane jet, realizable",
            "realizable",
            0.105,
            0.05,
            REALIZABLE,
            "scatter of what is measured",
        ),
        (
            "a round jet, realizable",
            "round",
            0.094,
            0.05,
            REALIZABLE,
            "scatter of what is measured",
        ),
        ("a round jet, k-epsilon", "round, k-epsilon", 0.12, 0.05, OVERRATED, "two figures given"),
    ):
        found = [grows(prove.run(grid=grid, variant=variant)) for grid in GRIDS]
        prove.check(
            f"growth of the half-width over the length of {name}, finest grid",
            found[-1],
            published,
            "",
            tolerance,
            source,
            reason,
        )
        prove.check(
            f"change from the middle grid, {name}",
            found[-1],
            found[-2],
            "",
            0.03,
            "grid refinement",
            "three grids",
        )
