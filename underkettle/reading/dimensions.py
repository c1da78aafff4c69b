"""What a readout measures."""

from __future__ import annotations

from collections.abc import Mapping

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension
from underkettle.reading.kinds import KINDS
from underkettle.reading.seen import Asked


def readout_dimension(
    readout: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
) -> Dimension | None:
    """Of a readout as typed; None where it names a field or quantity that is not there.

    flows : balanced quantities and the dimensions of their flow.
    """
    return KINDS[readout.kind].dimension(readout, fields, flows)
