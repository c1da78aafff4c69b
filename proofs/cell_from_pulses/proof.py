"""A known cell, pulsed at seven levels with a millivolt of noise: what a case makes of the records."""

import numpy as np

from underkettle.phenomena.charge.circuits import found_in
from underkettle.sums.pulses import Circuit, respond

AREA, HOLDS = 0.0126, 40 * 3600.0
LEVELS = (0.08, 0.2, 0.35, 0.5, 0.65, 0.8, 0.92)
SEEDS = (1, 2, 3)
SOURCE = "a circuit with known parameters, made up for this; 1 mV of noise"


def known(s):
    """V, ohm, ohm, s, ohm, s at levels."""
    s = np.asarray(s, float)
    return np.stack(
        [
            3.0 + 0.55 * s + 0.25 * (1 - np.exp(-s / 0.06)) + 0.02 * np.sin(6 * s),
            8e-4 / AREA * (1 + 0.35 * np.exp(-s / 0.15)),
            3e-4 / AREA * (1 + 0.8 * np.exp(-s / 0.2)),
            4 + 2 * s,
            5e-4 / AREA * (1 + 0.6 * np.exp(-s / 0.2)),
            55 + 25 * s,
        ],
        axis=1,
    )


def records(seed, noise):
    """Pulses of 1.5 A drawn for 20 s, with four minutes of rest after them."""
    rng, dense = np.random.default_rng(seed), np.linspace(0, 1, 120)
    rows = Circuit(dense, known(dense)).rows
    t = np.concatenate([[0, 5], np.arange(10, 60, 0.5), np.arange(60, 270, 3.0)])
    current = np.where((t >= 10) & (t < 30), -1.5, 0.0)
    lines = ["level [%], time [s], current [A], voltage [mV]"]
    for level in LEVELS:
        volts = respond(t, current, level, HOLDS * AREA, rows) + noise * rng.standard_normal(t.size)
        lines += [
            f"{100 * level:g}, {a:g}, {i:g}, {1e3 * v:.4f}"
            for a, i, v in zip(t, current, volts, strict=True)
        ]
    return "\n".join(lines) + "\n"


def checks(prove):
    plain = prove.case
    wanted = known(LEVELS)
    resists, times, rest = [], [], []
    for seed in SEEDS:
        prove.case = {**plain, "phenomena": _with(plain, records(seed, 1e-3))}
        run = prove.run()
        shown = found_in(run.case.settings["charge"]["cells"]["cell"])
        at = np.isin(np.round(shown.circuit.levels, 9), np.round(LEVELS, 9))
        off = shown.circuit.values[at] / wanted - 1
        resists.append(np.median(np.abs(off[:, [1, 2, 4]])))
        times.append(np.median(np.abs(off[:, [3, 5]])))
        rest.append(np.abs(shown.circuit.values[at, 0] - wanted[:, 0]).max())
        prove.check(
            f"how far the fit is off, noise {seed}", shown.off, 1e-3, "V", 0.05, SOURCE, "its noise"
        )
    for what, each, tolerance in (
        ("resistances, median of how far off", resists, 0.03),
        ("times, median of how far off", times, 0.10),
    ):
        prove.check(what, max(each), 0.0, "", tolerance, SOURCE, "the worst of three")
    prove.check(
        "voltages at rest, furthest off", max(rest), 0.0, "V", 2e-3, SOURCE, "the worst of three"
    )
    # a load that goes up and down, as the known cell answers it
    run = prove.run(variant="driven")
    t, volts = run.history("voltage")
    dense = np.linspace(0, 1, 120)
    rows = Circuit(dense, known(dense)).rows
    fine = np.linspace(0, 120, 12001)
    applied = np.interp(fine, *_table(plain))
    exact = respond(fine, applied, 0.6, HOLDS * AREA, rows)
    prove.check(
        "voltage over a drive of two minutes, furthest off",
        float(np.abs(volts[1:] - np.interp(t[1:], fine, exact)).max()),
        0.0,
        "V",
        5e-3,
        SOURCE,
        "what pulses of 1 mV noise tell between their levels; foils that hardly resist",
    )


def _with(plain, text):
    charge = plain["phenomena"]["charge"]
    cell = {**charge["cells"]["cell"], "pulses": {"name": "pulses.csv", "text": text}}
    return {"charge": {**charge, "cells": {"cell": cell}}}


def _table(plain):
    rows = plain["variants"]["driven"]["conditions"]["plus"]["charge.aluminium"]["current"]["table"]
    return (
        [float(t.split()[0]) for t, _ in rows],
        [float(i.split()[0]) for _, i in rows],
    )
