"""Porous electrodes under a triangular voltage, slow to fast, beside a transmission line's answer."""

import numpy as np

SOLID, LIQUID, LAYER, LENGTH, GAP, FREE = 10.0, 0.3, 1e7, 2e-4, 5e-5, 1.0
AREA, SWING = 4e-5 * 0.01, 1.0
SOURCE = (
    "impedance of a porous electrode that conducts in both (de Levie 1963, Paasch et al. 1993), times "
    "the Fourier series of a triangle"
)


def impedance(omega):
    """Ohm: the separator and two electrodes, current collected on the solid's far side."""
    nu = LENGTH * np.sqrt(1j * omega * LAYER * (1.0 / SOLID + 1.0 / LIQUID))
    ratio = SOLID / LIQUID + LIQUID / SOLID
    small = np.exp(-nu)  # so that nothing overflows
    cosh_over_sinh, one_over_sinh = (1 + small**2) / (1 - small**2), 2 * small / (1 - small**2)
    electrode = (
        LENGTH / (SOLID + LIQUID) * (1.0 + (2.0 * one_over_sinh + ratio * cosh_over_sinh) / nu)
    )
    return (GAP / FREE + 2.0 * electrode) / AREA


def exact(rate, part, many=20000):
    """Current (A) of a cycle that repeats, a part of a cycle after the middle of its way up."""
    cycle = 2.0 * SWING / rate
    n = np.arange(1, 2 * many, 2)
    omega = 2.0 * np.pi * n / cycle
    amplitude = 4.0 * SWING / (np.pi * n) ** 2 * np.sin(np.pi * n / 2.0)
    wave = np.exp(1j * omega * part * cycle)
    return float(np.imag(amplitude / impedance(omega) * wave).sum())


def by_cycle(rate):
    """F, by all that passes one way or the other in a cycle."""
    parts = (np.arange(2000) + 0.5) / 2000
    return float(np.mean([abs(exact(rate, part, 2000)) for part in parts])) / rate


def checks(prove):
    capacity = 0.5 * LAYER * LENGTH * AREA
    for rate, cycles in ((0.01, 3), (0.1, 3), (1.0, 5), (4.0, 12)):
        errors = []
        for grid in (0.5, 1.0, 2.0) if rate in (0.1, 4.0) else (1.0,):
            run = prove.run(grid=grid, set={"rate": f"{rate} V/s", "cycles": f"{cycles}"})
            ours, told = run.readouts["current"].value, exact(rate, 0.0)
            errors.append(abs(ours / told - 1.0))
        prove.check(
            f"current in the middle of the way up over C v, {rate:g} V/s",
            ours / (capacity * rate),
            told / (capacity * rate),
            "",
            0.002,
            SOURCE,
            "target of the design",
        )
        if len(errors) > 1:
            prove.at_least("order of it", prove.order(errors), 1.8, "second")
        if rate == 0.01:
            prove.check(
                "capacitance by what passes in a cycle, 0.01 V/s",
                run.readouts["capacitance"].value,
                by_cycle(rate),
                "F",
                0.01,
                SOURCE,
                "target of the design; a sweep is told in a hundred steps and turns between two",
            )
        for name in ("carbon", "salt"):
            prove.closes(
                f"charge of {name}, {rate:g} V/s",
                run,
                name,
                1e-8,
                "conservation of charge",
                "one solve",
            )
