"""Heat carried, conducted, made and lost."""

from underkettle.phenomena.heat.declaration import Heat

__all__ = ["Heat"]
