"""Lid-driven cavity at Re 100 and 1000, against tabled and spectral solutions."""

import numpy as np

GHIA = "Ghia, Ghia & Shin 1982, J. Comput. Phys. 48 (from memory)"
SPECTRAL = "Botella & Peyret 1998 (from memory)"
Y = (0.9766, 0.9531, 0.8516, 0.7344, 0.6172, 0.5, 0.4531, 0.2813, 0.1719, 0.0625)
U100 = (
    0.84123,
    0.68717,
    0.23151,
    0.00332,
    -0.13641,
    -0.20581,
    -0.21090,
    -0.15662,
    -0.10150,
    -0.04192,
)
Y1000 = (0.9766, 0.9531, 0.8516, 0.7344, 0.6172, 0.5, 0.4531, 0.2813, 0.1719, 0.0625)
U1000 = (
    0.65928,
    0.46604,
    0.33304,
    0.18719,
    0.05702,
    -0.06080,
    -0.10648,
    -0.27805,
    -0.38289,
    -0.20196,
)


def middle(run, field, along):
    """The profile through the middle, with its wall values, as a function."""
    start, end = ((0.5, 0.0), (0.5, 1.0)) if along == "y" else ((0.0, 0.5), (1.0, 0.5))
    line = run.profile(field, start, end)
    last = 1.0 if along == "y" else 0.0
    return (
        np.concatenate([[0.0], line[along], [1.0]]),
        np.concatenate([[0.0], line["value"], [last]]),
    )


def extreme(run, field, along, sign):
    """The largest (sign 1) or smallest value of a profile, from the parabola at its top."""
    s, v = middle(run, field, along)
    k = int(np.argmax(sign * v[1:-1])) + 1
    a, b, c = np.polyfit(s[k - 1 : k + 2] - s[k], v[k - 1 : k + 2], 2)
    return c - b * b / (4 * a)


def checks(prove):
    lowest = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        lowest.append(extreme(run, "velocity_x", "y", -1))
    s, v = middle(run, "velocity_x", "y")
    prove.check(
        "Re 100, largest difference of u to the table, 128 cells",
        float(np.abs(np.interp(Y, s, v) - U100).max()),
        0.0,
        "",
        0.012,
        GHIA,
        "engine target; the table itself is good to about .005",
    )
    rate = np.log2((lowest[0] - lowest[1]) / (lowest[1] - lowest[2]))
    prove.at_least(
        "Re 100, order of the lowest u over three grids",
        rate,
        1.0,
        "limited differences; the lid's corners are singular",
    )
    run = prove.run(grid=2.0, set={"reynolds": "1000"})
    s, v = middle(run, "velocity_x", "y")
    prove.check(
        "Re 1000, largest difference of u to the table, 128 cells",
        float(np.abs(np.interp(Y1000, s, v) - U1000).max()),
        0.0,
        "",
        0.012,
        GHIA,
        "engine target",
    )
    for what, field, along, sign, value in (
        ("lowest u", "velocity_x", "y", -1, -0.38857),
        ("highest v", "velocity_y", "x", 1, 0.37694),
        ("lowest v", "velocity_y", "x", -1, -0.52708),
    ):
        prove.check(
            f"Re 1000, {what}, 128 cells",
            extreme(run, field, along, sign),
            value,
            "m/s",
            0.01,
            SPECTRAL,
            "engine target: 1 % of the spectral extremes",
        )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
