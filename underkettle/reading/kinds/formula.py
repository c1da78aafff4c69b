"""A formula of other readouts, parameters and the time."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension, FormulaError, dimension_of, parse
from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.seen import Asked, Seen


class OfReadouts(ReadoutKind):
    name, says = "formula", "formula of readouts"
    sentence = "{formula}"
    needs = ("formula",)
    of_field = False

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        return None  # grows from what others measure, see `case.derived`

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        known = {**case.dimensions.readouts, **case.names.dimensions, "t": dimension_of("time")}
        known.pop(name, None)
        return formula_trouble(model.formula, known)

    def value(self, look: Look) -> float | None:
        return by_formula(look.case, look.model.formula, look.readout, look.state.time)


def by_formula(
    case: Seen, text: str, readout: Callable[[str], float | None], time: float
) -> float | None:
    """A formula of other readouts, SI; None where one of them is not told."""
    formula = parse(text, {*case.names.values, *case.model.readouts})
    asked = [n for n in formula.names if n in case.model.readouts and n not in case.names.values]
    known = {n: v for n in asked if (v := readout(n)) is not None}
    if len(known) < len(asked):
        return None
    return float(np.asarray(formula.evaluate({**known, **case.names.values, "t": time})))


def formula_trouble(formula: str | None, known: Mapping[str, Dimension]) -> str:
    """Why a formula cannot be read with these names, in words; "" where it can."""
    try:
        parse(str(formula), known).dimension(known)
    except FormulaError as error:
        return f"its formula cannot be read: {error}"
    return ""


KINDS = (OfReadouts(),)
