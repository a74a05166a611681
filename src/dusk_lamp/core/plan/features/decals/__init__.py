"""Decals."""
