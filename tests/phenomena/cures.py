"""What an audit rule finds in a case, and the case with a cure applied."""

import copy

from underkettle.case.audit import audit
from underkettle.case.case import Case


def found(case, rule):
    return [f for f in audit(Case(case)) if f.rule == rule]


def cured(case, finding):
    """The case after the edits of a finding: what stood there goes, nothing is left of it."""
    mended = copy.deepcopy(case)
    for path, value in finding.cure:
        *way, last = path.split("/")
        spot = mended
        for key in way:
            spot = spot.setdefault(key, {})
        spot[last] = value
        if value is None:
            del spot[last]
    return mended
