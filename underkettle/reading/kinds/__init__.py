"""Kinds of readouts, found in the modules of this package."""

from importlib import import_module
from pkgutil import iter_modules

from underkettle.reading.kinds.kind import Look, ReadoutKind

__all__ = ["KINDS", "Look", "ReadoutKind"]

KINDS: dict[str, ReadoutKind] = {
    kind.name: kind
    for module in sorted(m.name for m in iter_modules(__path__) if m.name != "kind")
    for kind in import_module(f"{__name__}.{module}").KINDS
}
