"""Finish: how shiny each spot of the painted model is, from matt (0) through satin to gloss (1), as coats change it.

A varnish is a coat like any other, of no colour. Washes and oils spread and wipe by what they lie on (common
practice, CP-32).
"""

from collections.abc import Callable, Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..sculpt.site import Site
from .coat import Coat

BARE = 0.5  # bare resin; from memory
CLOSED = 0.5  # of a normal coat: a film so thick has the finish of its own paint. From memory
MATT_BELOW, GLOSS_ABOVE = 0.25, 0.75
Films = Callable[[Coat, NDArray[np.float32] | None], NDArray[np.float32]]


def after_coat(finish: NDArray[np.float32], coat: Coat, film: NDArray[np.float32]) -> NDArray[np.float32]:
    """(N,) the finish over a film (N,) µm of a coat: a thin glaze changes it little, a full coat wholly."""
    if coat.muted:
        return finish
    share = np.minimum(film / np.float32(CLOSED * coat.mix.coat_um), np.float32(1))
    return finish + share * (np.float32(coat.mix.finish) - finish)


def finish_of(
    stack: Iterable[tuple[Coat, NDArray[np.float32]]], spots: int, under: NDArray[np.float32] | float = BARE
) -> NDArray[np.float32]:
    """(N,) the finish after coats with their films (N,) µm."""
    finish = np.broadcast_to(np.float32(under), (spots,)).copy()
    for coat, film in stack:
        finish = after_coat(finish, coat, film)
    return finish


def metal_of(stack: Iterable[tuple[Coat, NDArray[np.float32]]], spots: int) -> NDArray[np.float32]:
    """(N,) the share of metallic paint in sight after coats with their films (N,) µm: what scatters over it hides it,
    a transparent colour does not."""
    metal = np.zeros(spots, np.float32)
    for coat, film in stack:
        if coat.muted or coat.mix.clear:
            continue
        if coat.mix.kind == "metallic":
            metal += (1 - metal) * np.minimum(film / np.float32(CLOSED * coat.mix.coat_um), np.float32(1))
        else:
            metal = metal / (1 + np.float32(2 * coat.mix.pigment.S.mean()) * film)
    return metal


def films_of(
    site: Site,
    coats: Sequence[Coat],
    film_of: Films | None = None,
    under: NDArray[np.float32] | float = BARE,
) -> list[NDArray[np.float32]]:
    """The film (N,) µm of each coat on what lies under it. film_of: asked for a coat's film on a finish, which is
    None for techniques that do not run by it; the coat itself, where nothing is given."""
    ask: Films = film_of or (lambda coat, finish: coat.film(site, finish))
    out: list[NDArray[np.float32]] = []
    finish, upto = np.broadcast_to(np.float32(under), (len(site),)), 0
    for coat in coats:
        if not coat.by.by_finish:
            out.append(ask(coat, None))
            continue
        finish = finish_of(zip(coats[upto : len(out)], out[upto:], strict=True), len(site), finish)
        upto = len(out)
        out.append(ask(coat, finish))
    return out


def shares_of(finish: NDArray[np.float32], areas: NDArray) -> dict[str, float]:
    """Share of an area (N,) that is matt, satin and gloss."""
    whole = max(float(areas.sum(dtype=np.float64)), 1e-12)
    matt, gloss = finish < MATT_BELOW, finish > GLOSS_ABOVE
    parts = {"matt": matt, "satin": ~matt & ~gloss, "gloss": gloss}
    return {name: round(float(areas[share].sum(dtype=np.float64)) / whole, 4) for name, share in parts.items()}


def finish_words(shares: dict[str, float]) -> str:
    """In a sentence, and what makes it even."""
    most = max(shares, key=lambda name: shares[name])
    if shares[most] > 0.98:
        return f"It is {most} all over."
    said = ", ".join(f"{name} {100 * share:.0f} %" for name, share in shares.items() if share >= 0.005)
    return f"Its finish is uneven ({said}): one last coat of varnish makes it one."
