"""Shapes of parts, found in the modules of this package."""

from importlib import import_module
from pkgutil import iter_modules

from underkettle.case.shapes.part import Part, Size

__all__ = ["SHAPES", "Part", "Size"]

SHAPES: dict[str, type[Part]] = {
    module.name: import_module(f"{__name__}.{module.name}").SHAPE
    for module in sorted(iter_modules(__path__), key=lambda m: m.name)
    if module.name != "part"
}
