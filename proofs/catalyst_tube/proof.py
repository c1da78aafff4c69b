"""A catalyst on the wall of a tube: limited by transfer (Graetz), by the reaction, and between."""

import numpy as np
from scipy.linalg import eigh

SOURCE = "Graetz 1885 with a wall that reacts: eigenfunctions computed here on 1500 points"
RADIUS, SPAN, SPEED, DIFFUSIVITY = 5e-3, 60e-3, 0.1, 2e-5
POINTS = 1500
RATE = 4e-3  # m/s
LEVELS = ((4e-5, "slow reaction"), (4e-3, "both matter"), (4.0, "slow diffusion"))
TWO, BROUGHT = 1e-3, (1.0, 2.0)  # m4/(mol s); mol/m3 of A and B


def left_by(rate):
    """What the stream still holds at the outlet of what it brought, on average by flow."""
    h = RADIUS / POINTS
    r, faces = (np.arange(POINTS) + 0.5) * h, np.arange(POINTS + 1) * h
    link = DIFFUSIVITY / h * faces
    film = 2.0 * DIFFUSIVITY / h
    link[-1] = RADIUS * film * rate / (film + rate)
    speed = 2.0 * SPEED * (1.0 - (r / RADIUS) ** 2)
    hold = np.diag(link[:-1] + link[1:]) - np.diag(link[1:-1], 1) - np.diag(link[1:-1], -1)
    carry = speed * r * h
    root = np.sqrt(carry)
    decays, modes = eigh(hold / root[:, None] / root[None, :])
    first = modes.T @ root
    return float((first**2 * np.exp(-decays * SPAN)).sum() / carry.sum())


def left_of_two():
    """A left of A + B -> C on the wall, everything across the tube being mixed at once."""
    a, b = BROUGHT
    fades = np.exp(-(b - a) * TWO * 2.0 / RADIUS * SPAN / SPEED)
    return a * (b - a) * fades / (b - a * fades)


def checks(prove):
    for rate, name in LEVELS:
        exact, given = left_by(rate), {"times": f"{rate / RATE:g}"}
        label = f"{name}, k R/D {rate * RADIUS / DIFFUSIVITY:g}"
        run, errors = prove.over((1.0, 2.0, 4.0), "left", exact, set=given)
        prove.check(
            f"{label}: share left",
            run.readouts["left"].value,
            exact,
            "mol/m3",
            5e-4,
            SOURCE,
            "ten times better than the engine's target for ducts",
        )
        prove.at_least(
            f"{label}: order over three grids", prove.order(errors), 1.8, "of second order"
        )
        prove.check(
            f"{label}: left and made together",
            run.readouts["left"].value + run.readouts["made"].value,
            1.0,
            "mol/m3",
            1e-8,
            "conservation",
            "to what rest is told by",
        )
    run = prove.run(variant="of_two", grid=2.0)
    prove.check(
        "A left of A + B -> C",
        run.readouts["left"].value,
        left_of_two(),
        "mol/m3",
        2e-3,
        "Levenspiel 1999: plug flow of second order, from memory",
        "a thousand times as fast across the tube as the wall reacts",
    )
