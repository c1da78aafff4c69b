"""Incompressible laminar flow."""

from underkettle.phenomena.flow.declaration import Flow

__all__ = ["Flow"]
