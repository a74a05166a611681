"""Wear and weathering."""
