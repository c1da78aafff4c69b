"""How long what flows has been in the vessel, place by place."""

from underkettle.phenomena.age.declaration import Age

__all__ = ["Age"]
