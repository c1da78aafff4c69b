"""Rectilinear graded grid with embedded boundaries."""

from underkettle.engine.mesh.boundary import Outline, Pieces, outline_from_rings
from underkettle.engine.mesh.divide import Divide
from underkettle.engine.mesh.grid import Grid, Refinement, graded_nodes
from underkettle.engine.mesh.mesh import Mesh, Window, build_mesh

__all__ = [
    "Divide",
    "Grid",
    "Mesh",
    "Outline",
    "Pieces",
    "Refinement",
    "Window",
    "build_mesh",
    "graded_nodes",
    "outline_from_rings",
]
