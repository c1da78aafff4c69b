"""Developed laminar heat transfer between plates and in a pipe."""

import numpy as np

SOURCE = "Shah & London 1978: Nu_T 7.541 (plates), 3.657 (pipe); Nu_H 8.235, 4.364 (from memory)"
REASON = "engine target for ducts: 0.5 %"
HALF, SPEED, INLET, WALL = 5e-3, 10e-3, 293.15, 313.15
CAPACITY, CONDUCTIVITY, FLUX = 4e6, 8.0, 2000.0


def bulk(run, x, round_):
    """Mixing-cup temperature (K) at a place along the duct."""
    line = run.profile("temperature", (x, 0.0), (x, HALF))
    y, t = line["y"], line["value"]
    h = np.full(y.size, y[1] - y[0])
    speed = 2 * (1 - (y / HALF) ** 2) if round_ else 1.5 * (1 - (y / HALF) ** 2)
    weight = speed * h * (y if round_ else 1.0)
    return float((weight * t).sum() / weight.sum())


def held(run, round_):
    """Nusselt number from how the bulk approaches the wall between two places far downstream."""
    a, b = 0.18, 0.20
    near, far = WALL - bulk(run, a, round_), WALL - bulk(run, b, round_)
    size, share = (2 * HALF, 4.0) if round_ else (4 * HALF, 4.0)
    return np.log(near / far) / (b - a) * SPEED * CAPACITY * size / share * size / CONDUCTIVITY


def flux(run, round_):
    x = 0.20
    line = run.profile("temperature", (x, 0.0), (x, HALF))
    h = line["y"][1] - line["y"][0]
    bend = (line["value"][-1] - 2 * line["value"][-2] + line["value"][-3]) / h**2
    wall = line["value"][-1] + FLUX * (h / 2) / CONDUCTIVITY - bend * h * h / 8
    size = 2 * HALF if round_ else 4 * HALF
    return FLUX * size / CONDUCTIVITY / (wall - bulk(run, x, round_))


def checks(prove):
    for what, round_, variant, number, read in (
        ("plates, walls held warm", False, None, 7.541, held),
        ("pipe, wall held warm", True, "pipe", 3.657, held),
        ("plates, given flux", False, "flux", 8.235, flux),
        ("pipe, given flux", True, "pipe_flux", 4.364, flux),
    ):
        errors = []
        for grid in (0.75, 1.5, 3.0):
            run = prove.run(grid=grid, variant=variant)
            errors.append(abs(read(run, round_) / number - 1))
        prove.check(
            f"Nu, {what}, 48 cells across", read(run, round_), number, "", 0.005, SOURCE, REASON
        )
        prove.at_least(
            f"{what}: finer is nearer (coarsest error over finest)",
            errors[0] / max(errors[-1], 1e-12),
            1.0,
            SOURCE,
        )
        prove.closes(
            f"{what}: heat in against heat out",
            run,
            "heat",
            1e-6,
            "conservation",
            "engine target for steady runs",
        )
