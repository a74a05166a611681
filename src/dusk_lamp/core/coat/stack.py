"""The stack: what the model looks like under many coats."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..paint.colour import BANDS, levels_of, xyz
from ..paint.film import BARE_RESIN
from ..paint.film import coats as films
from ..paint.value import munsell_from_luminance
from .coat import Coat


def appearance(
    stack: Sequence[tuple[Coat, NDArray[np.float32]]], spots: int, under: NDArray | float = BARE_RESIN
) -> NDArray[np.float32]:
    """(N, 36) reflectance of the model under a stack of coats and their films (N,) µm; muted
    coats and varnishes are left out."""
    ground = np.broadcast_to(under, (BANDS,)) if np.ndim(under) < 2 else np.asarray(under)
    seen = [(c, f) for c, f in stack if not c.muted and not c.mix.clear]
    if not seen:
        return np.broadcast_to(np.asarray(ground, np.float32), (spots, BANDS)).copy()
    K = np.stack([c.mix.pigment.K for c, _ in seen])
    S = np.stack([c.mix.pigment.S for c, _ in seen])
    return films(K, S, np.stack([f for _, f in seen]), ground)


def looks(reflectance: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """(N,) Munsell values and (N, 3) sRGB levels of reflectances (N, 36)."""
    XYZ = xyz(reflectance)
    return munsell_from_luminance(100 * XYZ[..., 1]).astype(np.float32), levels_of(XYZ)
