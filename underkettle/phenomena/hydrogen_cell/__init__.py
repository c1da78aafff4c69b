"""Hydrogen and air with a membrane between them: current, gases and water at once."""

from underkettle.phenomena.hydrogen_cell.declaration import HydrogenCell

__all__ = ["HydrogenCell"]
