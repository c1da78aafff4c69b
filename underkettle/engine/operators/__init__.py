"""Convection, diffusion and projection as kernels on arrays."""
