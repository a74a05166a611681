"""Dusk Lamp: from a sculpt's 3D file to a plan to paint by."""

__version__ = "0.1.0"
