"""Reactions among whatever a stream carries."""

from underkettle.phenomena.reactions.declaration import Reactions

__all__ = ["Reactions"]
