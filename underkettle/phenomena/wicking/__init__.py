"""What drinks by itself: wicks, papers, felts, soils."""

from underkettle.phenomena.wicking.declaration import Wicking

__all__ = ["Wicking"]
