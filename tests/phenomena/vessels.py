"""The plain box that small cases are drawn in, and its openings at either end."""


def box(height="20 mm"):
    return {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "40 mm", "height": height}


def nozzles(bore, at="10 mm"):
    """An inlet on the left and an outlet on the right."""
    return {
        name: {"part": "box", "side": side, "at": at, "bore": bore}
        for name, side in (("inlet", "left"), ("outlet", "right"))
    }
