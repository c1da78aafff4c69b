"""What a rule of the case itself is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from underkettle.engine.contract import Finding

if TYPE_CHECKING:
    from underkettle.case.case import Case


@dataclass(frozen=True)
class CaseRule:
    """Looks at a whole case; phenomena declare rules of their own that look at its facts."""

    name: str
    check: Callable[[Case], Iterable[Finding]]
