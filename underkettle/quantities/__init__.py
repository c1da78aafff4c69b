"""Units, formulas and tables in time: parsed once, evaluated on arrays, safe."""

from underkettle.quantities.dimension import Dimension, dimension_of
from underkettle.quantities.formula import (
    FUNCTIONS,
    Formula,
    FormulaError,
    names_in,
    parse,
    words_in,
)
from underkettle.quantities.place import NOWHERE, Place
from underkettle.quantities.units import Unit, display_unit, find_unit, from_si

__all__ = [
    "FUNCTIONS",
    "NOWHERE",
    "Dimension",
    "Formula",
    "FormulaError",
    "Place",
    "Unit",
    "dimension_of",
    "display_unit",
    "find_unit",
    "from_si",
    "names_in",
    "parse",
    "words_in",
]
