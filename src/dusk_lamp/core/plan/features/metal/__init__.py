"""Painted metal, or non-metallic metal (NMM)."""
