"""What a phenomenon declares, and how phenomena meet.

One declaration serves schema, ledger, cards, audit, balances, paper checks, equations and the run.
Phenomena meet through capabilities, never by name; the order of solving follows from a graph.
"""

from underkettle.engine.contract.declared import (
    Absent,
    Assumed,
    Condition,
    Default,
    Field,
    Member,
    Missing,
    Param,
    Term,
)
from underkettle.engine.contract.phenomenon import (
    Phenomenon,
    find_phenomena,
)
from underkettle.engine.contract.questions import (
    AuditRule,
    Estimate,
    Facts,
    Finding,
    Paper,
)
from underkettle.engine.contract.solving import (
    AtWalls,
    Budget,
    Crossing,
    Follows,
    Given,
    Inputs,
    Need,
    Problem,
    Quantity,
    Solver,
    StepFailed,
    TellsFaces,
    TellsWalls,
    Work,
)

__all__ = [
    "Absent",
    "Assumed",
    "AtWalls",
    "AuditRule",
    "Budget",
    "Condition",
    "Crossing",
    "Default",
    "Estimate",
    "Facts",
    "Field",
    "Finding",
    "Follows",
    "Given",
    "Inputs",
    "Member",
    "Missing",
    "Need",
    "Paper",
    "Param",
    "Phenomenon",
    "Problem",
    "Quantity",
    "Solver",
    "StepFailed",
    "TellsFaces",
    "TellsWalls",
    "Term",
    "Work",
    "find_phenomena",
]
