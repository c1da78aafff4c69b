"""Ideal reactors by hand: plug flow, stirred with its folds, and how long it takes to light."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from underkettle.quantities.constants import GAS
from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

Array = np.ndarray
Speed = Callable[[Any, Any], Any]  # 1/s, of conversion and temperature (K)

NODES = 4000  # conversions that folds are looked for between
LIMIT = 20.0  # of ln x / (1 - x) that conversions are looked at between


def _law(
    order: float, constant: float, activation: float, brought: float, at: float, enters: float
) -> Speed:
    """How fast conversion grows (1/s), of conversion and temperature."""
    positive(constant=constant, brought=brought, temperature=enters, temperature_of_constant=at)
    if not 0.0 <= order <= 5.0:
        raise SumError("the order must lie between 0 and 5")
    if activation < 0:
        raise SumError("the activation energy must not be below nought")

    def speed(x: Any, t: Any) -> Any:
        k = constant * np.exp(activation / GAS * (1.0 / at - 1.0 / np.asarray(t)))
        return k * brought ** (order - 1.0) * np.maximum(1.0 - np.asarray(x), 0.0) ** order

    return speed


def _between(limit: float = LIMIT, count: int = NODES) -> tuple[Array, Array]:
    """Conversions from hardly any to nearly all, dense at both ends, and their ln x / (1 - x)."""
    z = np.linspace(-limit, limit, count)
    return z, 1.0 / (1.0 + np.exp(-z))


def stays(speed: Speed, enters: float, rise: float, x: Array) -> Array:
    """The stay (s) with which a stirred vessel comes to each conversion."""
    return np.asarray(x / speed(x, enters + rise * x))


def folds(speed: Speed, enters: float, rise: float) -> list[tuple[float, float]]:
    """Conversion and stay (s) where a stirred vessel lights (first) and goes out (second); none where
    it knows one state only.
    """
    from scipy.optimize import minimize_scalar  # loads slowly, and is seldom wanted

    x = _between()[1]
    tau = np.log(stays(speed, enters, rise, x))
    turns = np.flatnonzero(np.sign(np.diff(tau[1:])) != np.sign(np.diff(tau[:-1]))) + 1
    found = []
    for k in turns:
        sign = -1.0 if tau[k] > tau[k - 1] else 1.0
        best = minimize_scalar(
            lambda y, s=sign: s * float(np.log(stays(speed, enters, rise, np.array([y])))[0]),
            bounds=(x[k - 1], x[k + 1]),
            method="bounded",
            options={"xatol": 1e-12},
        )
        found.append((float(best.x), float(stays(speed, enters, rise, np.array([best.x]))[0])))
    return found[:2] if len(found) >= 2 else []


def _states(speed: Speed, enters: float, rise: float, stay: float) -> list[float]:
    """Every conversion that a stirred vessel may have with this stay, lowest first."""
    from scipy.optimize import brentq  # loads slowly, and is seldom wanted

    x = _between()[1]

    def off(y: float) -> float:
        return float(y - stay * speed(y, enters + rise * y))

    values = x - stay * speed(x, enters + rise * x)
    at = np.flatnonzero(np.sign(values[1:]) != np.sign(values[:-1]))
    return [float(brentq(off, x[k], x[k + 1], xtol=1e-14)) for k in at] or [
        1.0 if values[-1] < 0 else 0.0
    ]


def _through_time(speed: Speed, enters: float, rise: float, stay: float) -> tuple[float, float]:
    """Conversion after a stay in plug flow, and how long it takes until it runs fastest (s): time is
    the integral of dx over the speed at x.
    """
    first = float(speed(0.0, enters))
    if not np.isfinite(first) or first <= 0:
        raise SumError("it does not run at all")
    z, x = _between(count=4 * NODES)
    runs = np.asarray(speed(x, enters + rise * x))
    slow = x * (1.0 - x) / runs
    begun = x[0] / first
    passed = begun + np.concatenate([[0.0], np.cumsum(0.5 * (slow[1:] + slow[:-1]) * np.diff(z))])
    after = float(np.interp(stay, passed, x)) if stay > begun else stay * first
    return after, float(passed[int(np.argmax(runs))])


def reactors(
    order: float,
    constant: float,
    at: float,
    activation: float,
    brought: float,
    enters: float,
    rise: float,
    stay: float,
) -> dict[str, float]:
    """One reaction without losses. rise : K, all of it run. Raises SumError."""
    speed = _law(order, constant, activation, brought, at, enters)
    positive(stay=stay)
    if enters + min(rise, 0.0) <= 0:
        raise SumError("it would cool below absolute nought")
    states = _states(speed, enters, rise, stay)
    plug, delay = _through_time(speed, enters, rise, stay)
    turned = folds(speed, enters, rise)
    nothing = float("nan")
    return {
        "plug": plug,
        "stirred": states[0],
        "lit": states[-1],
        "plug_temperature": enters + rise * plug,
        "stirred_temperature": enters + rise * states[-1],
        "lights": turned[0][1] if turned else nothing,
        "goes_out": turned[1][1] if turned else nothing,
        "delay": delay,
    }


def _curve(**values: float) -> Curve:
    stay = values.pop("stay")
    speed = _law(
        *(values[n] for n in ("order", "constant", "activation", "brought", "at", "enters"))
    )
    x = _between(9.0, 400)[1]
    tau = stays(speed, values["enters"], values["rise"], x)
    warm = values["enters"] + values["rise"] * x
    points = [
        (float(np.log10(stay)), values["enters"] + values["rise"] * state)
        for state in _states(speed, values["enters"], values["rise"], stay)
    ]
    return Curve(
        np.log10(tau),
        warm if values["rise"] else x,
        "stay, powers of ten of a second",
        "number",
        "temperature of a stirred vessel" if values["rise"] else "conversion",
        "temperature" if values["rise"] else "number",
        points if values["rise"] else [],
    )


SUMS = (
    SideSum(
        "reactors",
        "Ideal reactors, and when they light",
        "burning",
        "One reaction that warms what it runs in: conversion in plug flow and in a stirred vessel, the "
        "stays at which a stirred one lights and goes out, and how long a closed one waits.",
        "Levenspiel; Semenov; from memory",
        (
            Entry("order", "order", default="1"),
            Entry("constant", "rate constant, in mol, m3 and s", default="0.5"),
            Entry("at", "at a temperature of", "temperature", "600 K"),
            Entry("activation", "activation energy", "molar energy", "120 kJ/mol"),
            Entry("brought", "what comes in", "concentration", "1 mol/m3"),
            Entry("enters", "it enters at", "temperature", "560 K"),
            Entry("rise", "warmer by, all of it run", "temperature", "250 K"),
            Entry("stay", "mean stay", "time", "0.2 s"),
        ),
        (
            Gives("plug", "number", "conversion in plug flow"),
            Gives("stirred", "number", "conversion in a stirred vessel, not lit"),
            Gives("lit", "number", "the same, lit"),
            Gives("plug_temperature", "temperature", "plug flow leaves at"),
            Gives("stirred_temperature", "temperature", "the stirred vessel, lit, is at"),
            Gives("lights", "time", "stirred, lights at a stay of"),
            Gives("goes_out", "time", "stirred, goes out at a stay of"),
            Gives("delay", "time", "closed vessel, until it runs fastest"),
        ),
        reactors,
        _curve,
        tex=r"x=\tau\,k(T_0+\Delta T x)\,c_0^{n-1}(1-x)^n",
        range="no heat lost, constant density and heat capacity",
    ),
)
