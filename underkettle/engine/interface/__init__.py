"""A sharp interface between two fluids: what it is cut into, how it moves, how it bends."""
