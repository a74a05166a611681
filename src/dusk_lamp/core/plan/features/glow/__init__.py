"""Glows, or object-source light (OSL), hot metal, flames and lenses."""
