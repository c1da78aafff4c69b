"""Flow between plates with a viscosity that varies across, against its own quadrature."""

import numpy as np
from scipy.integrate import cumulative_trapezoid, trapezoid

SOURCE = "developed flow, (mu u')' = dp/dx, integrated here"
GAP, THICK, STEEP, WARM = 10e-3, 50e-3, 0.04, 50.0


def developed(mass):
    """Pressure gradient (Pa/m), place (m) and value (m/s) of the fastest stream; mass in kg/s."""
    y = np.linspace(0, GAP, 20001)
    viscosity = THICK * np.exp(-STEEP * WARM * y / GAP)
    a = cumulative_trapezoid(y / viscosity, y, initial=0)
    b = cumulative_trapezoid(1 / viscosity, y, initial=0)
    shape = a[-1] / b[-1] * b - a  # speed per gradient
    gradient = mass / 1000.0 / float(trapezoid(shape, y))
    return gradient, float(y[np.argmax(shape)]), gradient * float(shape.max())


def checks(prove):
    errors = []
    for grid in (0.25, 0.5, 1.0):
        run = prove.run(grid=grid)
        told = run.readouts
        gradient, place, fastest = developed(told["stream"].value)
        ours = (told["before"].value - told["after"].value) / 0.02
        errors.append(abs(ours / gradient - 1))
    prove.check(
        "pressure gradient, 16 cells across",
        ours,
        gradient,
        "Pa/m",
        0.002,
        SOURCE,
        "engine target for developed flow: .2 % at 32 cells, met with half as many",
    )
    line = run.profile("velocity_x", (0.06, 0), (0.06, GAP))
    prove.check(
        "largest speed",
        float(line["value"].max()),
        fastest,
        "m/s",
        0.003,
        SOURCE,
        "the largest of 16 cells lies up to half a cell beside it",
    )
    prove.check(
        "where it is",
        float(line["y"][np.argmax(line["value"])]),
        place,
        "m",
        0.03,
        SOURCE,
        "half a cell",
    )
    prove.at_least("order of the pressure gradient", prove.order(errors), 1.7, SOURCE)
    prove.closes(
        "heat in against heat out",
        run,
        "heat",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
