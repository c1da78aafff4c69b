"""How far and how fast a porous body draws a liquid in. Arguments and results in SI."""

from __future__ import annotations

from math import log1p, sqrt

from underkettle.paper.relation import TIME, VISCOSITY, Relation, Takes

CLOSE = 1e-14  # of a length, at which a search ends


def front(
    draw: float, permeability: float, porosity: float, viscosity: float, time: float
) -> float:
    """How far (m) a level front has gone: sqrt(2 K p t/(mu eps)) (Washburn 1921, for a porous body)."""
    return sqrt(max(2 * permeability * draw * time / (viscosity * porosity), 0.0))


def rising_front(
    draw: float,
    permeability: float,
    porosity: float,
    viscosity: float,
    time: float,
    weight: float,
) -> float:
    """The same against a weight (Pa/m; below nought it helps): t = mu eps/(K w) [H ln(H/(H - L)) - L],
    H = p/w (Lucas 1918, Washburn 1921).
    """
    level = front(draw, permeability, porosity, viscosity, time)
    if level == 0 or abs(weight) * level < 1e-7 * draw:
        return level
    height = draw / weight
    turn = permeability * weight * time / (viscosity * porosity)  # m

    def ahead(length: float) -> bool:
        return (-height * log1p(-length / height) - length - turn) * weight > 0

    low, high = 0.0, min(level, height * (1 - CLOSE)) if weight > 0 else level
    while weight < 0 and not ahead(high):
        high *= 2
    while high - low > CLOSE * high:
        middle = 0.5 * (low + high)
        if middle in (low, high):
            break
        low, high = (low, middle) if ahead(middle) else (middle, high)
    return 0.5 * (low + high)


_TAKES = (
    Takes("draw", "pressure", "capillary pressure"),
    Takes("permeability", "area", "permeability"),
    Takes("porosity", "number", "porosity"),
    VISCOSITY,
    TIME,
)

RELATIONS = (
    Relation(
        "front",
        "Wet front in a porous body",
        "surfaces",
        r"L=\sqrt{2Kp_ct/(\mu\varepsilon)}",
        "Washburn 1921",
        "one way, no weight, liquid enough",
        _TAKES,
        "length",
        front,
    ),
    Relation(
        "rising_front",
        "Wet front against a weight",
        "surfaces",
        r"t=\frac{\mu\varepsilon}{Kw}\left[H\ln\frac{H}{H-L}-L\right],\ H=p_c/w",
        "Lucas 1918, Washburn 1921",
        "one way, liquid enough",
        (*_TAKES, Takes("weight", "force per volume", "weight of the liquid along the way")),
        "length",
        rising_front,
    ),
)
