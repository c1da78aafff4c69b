"""Audit rules that hold for every case, whatever is switched on."""

from underkettle.case.rules.asking import ASKING
from underkettle.case.rules.moving import MOVING
from underkettle.case.rules.said import SAID
from underkettle.case.rules.vessel import VESSEL

RULES = (*SAID, *ASKING, *VESSEL, *MOVING)
