"""Glints: what shiny spots mirror of a glow, as they are seen from one view. They catch it further off than matt
ones, and sharper: a mirrored source does not fade with the distance, it only gets smaller (craft page, section
10)."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..sculpt.surface import Surface
from .emitter import Glow

SHARPEST, BROADEST = 0.03, 0.7  # radians (one sigma) that a lobe spreads over, of a mirror and of a matt surface


def glinting(surface: Surface, glow: Glow, gloss: NDArray[np.float32], view: tuple[float, float]) -> Glow:
    """A glow with what is mirrored of it put in.

    The source counts as a disc; the lobe round the mirrored line of sight as a Gaussian, wider the less gloss there
    is. A lobe that the source fills sends all of it on, as a white surface does that the source fills the whole sky
    of.

    Args:
        gloss: (N,) 0 (matt) .. 1 (mirror). view: azimuth and elevation that it is looked at from, degrees.
    """
    eye = direction_of(*view).astype(np.float32)
    way = glow.middle.astype(np.float32) - surface.points
    far = np.maximum(np.linalg.norm(way, axis=1), 1e-6)
    cosine = surface.normals @ eye
    facing = np.einsum("ij,ij->i", way, surface.normals)
    lit = np.flatnonzero((cosine > 0) & (facing > 0) & (glow.visible > 0) & ~glow.mask)
    mirrored = 2 * cosine[lit, None] * surface.normals[lit] - eye
    off = np.arccos(np.clip(np.einsum("ij,ij->i", mirrored, way[lit]) / far[lit], -1, 1))
    half = np.arctan(np.float32(np.sqrt(glow.area / np.pi)) / far[lit])  # of the source, as it is seen from there
    lobe = SHARPEST + (1 - gloss[lit]) * (BROADEST - SHARPEST)
    filled = half**2 / (half**2 + lobe**2) * np.exp(-((np.maximum(off - half, 0) / lobe) ** 2) / 2)
    factor = glow.factor.copy()
    factor[lit] += gloss[lit] * filled * glow.visible[lit]
    return replace(glow, factor=factor)
