"""A bar warmed by its current: hottest spot after Kohlrausch, current, energy in against heat out."""

import numpy as np
from scipy.integrate import quad

VOLTAGE, LAMBDA, SIGMA, FALLS, COLD, L = 0.2, 50.0, 1e6, 0.003, 300.0, 0.05
AREA = 5e-3 * 4e-3
SOURCE = "Kohlrausch 1900: V2/8 is the integral of lambda/sigma over temperature; exact"


def hottest():
    """K: lambda/sigma0 (rise + falls rise2/2) = V2/8."""
    given = VOLTAGE**2 / 8.0 * SIGMA / LAMBDA
    return COLD + (np.sqrt(1.0 + 2.0 * FALLS * given) - 1.0) / FALLS


def current():
    """A. Potential p from the hottest place: lambda/sigma0 (rise + falls rise2/2) = V2/8 - p2/2, and
    i = sigma dp/dx.
    """

    def resists(p):
        left = (VOLTAGE**2 / 8.0 - 0.5 * p * p) * SIGMA / LAMBDA
        return (np.sqrt(1.0 + 2.0 * FALLS * max(left, 0.0))) / SIGMA

    through = quad(lambda p: 1.0 / resists(p), -VOLTAGE / 2, VOLTAGE / 2, epsabs=0, epsrel=1e-12)[0]
    return AREA * through / L


def checks(prove):
    runs = [prove.run(grid=grid) for grid in (0.5, 1.0, 2.0)]
    exact, amps = hottest() - COLD, current()
    errors = [abs((r.readouts["hottest"].value - COLD) / exact - 1.0) for r in runs]
    last = runs[-1]
    prove.check(
        "rise of the hottest spot, 40 cells along",
        last.readouts["hottest"].value - COLD,
        exact,
        "K",
        2e-3,
        SOURCE,
        "second order",
    )
    prove.at_least("order of it", prove.order(errors), 1.8, "second")
    prove.check("current", last.readouts["current"].value, amps, "A", 1e-3, SOURCE, "second order")
    power = VOLTAGE * last.readouts["current"].value
    prove.check(
        "heat that leaves at both ends over voltage times current",
        2.0 * last.readouts["lost"].value / power,
        1.0,
        "",
        1e-8,
        "conservation of energy",
        "what current makes in each cell sums to what edges give",
    )
    late = prove.run(variant="in time")
    prove.check(
        "the same through 240 s: rise of the hottest spot",
        late.readouts["hottest"].value - COLD,
        runs[1].readouts["hottest"].value - COLD,
        "K",
        1e-4,
        "the same at rest",
        "fifteen times what heat takes along the bar",
    )
