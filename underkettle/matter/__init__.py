"""What liquids and gases are like: properties from libraries, each with its source."""

from underkettle.matter.library import (
    Matter,
    MatterError,
    Properties,
    curve,
    find,
    law,
    properties,
)

__all__ = ["Matter", "MatterError", "Properties", "curve", "find", "law", "properties"]
