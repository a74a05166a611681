"""Simulation: what a list of coats comes to on a sculpt: films, finish and reflectance, each worked out once.

Every promise made to a painter rests on this: pages, command line, fits and ways ask the same object. A list of coats
is known by a chain of hashes, one a coat, so that a list that grew by one coat is worked out from the one before it.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..coat.finish import BARE, films_of, finish_of, metal_of
from ..coat.stack import appearance
from ..plain import plain
from ..results import AS_FIELD, Results, digest, known, result
from ..sculpt.site import Site


def _on_its_ground(simulation: "Simulation", coat: Coat, finish: NDArray[np.float32] | None) -> tuple[str, str]:
    return simulation.key(coat), digest(np.zeros(0) if finish is None else finish)


class Simulation:
    """What coats come to on one site.

    site: the sculpt with its regions. results: where they are kept; one of its own where none is given.
    """

    def __init__(self, site: Site, results: Results | None = None) -> None:
        self.site = site
        self.results = Results() if results is None else results
        self._keys: dict[
            int, tuple[Coat, str, str]
        ] = {}  # of coats by their place in memory, each held there by this

    def key(self, coat: Coat) -> str:
        """All that a coat's film depends on: where it goes counts by its samples, not by a number."""
        return self._known(coat)[1]

    def _known(self, coat: Coat) -> tuple[Coat, str, str]:
        """A coat with the keys of its film and of its mix, worked out once."""
        known = self._keys.get(id(coat))
        if known is None:
            known = self._keys[id(coat)] = coat, self._film_key(coat), digest(plain(coat.mix))
        return known

    def _film_key(self, coat: Coat) -> str:
        mask = self.site.on(coat.where)
        place = np.zeros(0, np.uint8) if mask is None else np.packbits(mask)
        pieces = sorted(self.site.loose) if mask is not None and coat.by.from_afar else []
        seen = self.site.visibility is not None
        return digest(coat.technique, plain(coat.settings), coat.solids, place, coat.where.fade, pieces, seen)

    def chain(self, coats: Sequence[Coat]) -> list[str]:
        """A key for the bare model and for the model after each coat; a muted one changes nothing."""
        out = [""]
        for coat in coats:
            out.append(out[-1] if coat.muted else digest(out[-1], *self._known(coat)[1:]))
        return out

    def film(self, coat: Coat, finish: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
        """(N,) µm of a coat. finish: (N,) of what is under it, for techniques that run by it."""
        if coat.by.even:  # made faster than it is found
            return coat.film(self.site)
        return self._costly_film(coat, finish) if coat.by.costly else self._film(coat, finish)

    @result(most=40, depends=_on_its_ground, rests=True)  # 0.7 MB each
    def _film(self, coat: Coat, finish: NDArray[np.float32] | None) -> NDArray[np.float32]:
        return coat.film(self.site, finish)

    @result(most=40, depends=_on_its_ground, rests=True, lives=AS_FIELD)
    def _costly_film(self, coat: Coat, finish: NDArray[np.float32] | None) -> NDArray[np.float32]:
        return coat.film(self.site, finish)

    def films(self, coats: Sequence[Coat]) -> list[NDArray[np.float32]]:
        """The film (N,) µm of each coat on what lies under it."""
        return films_of(self.site, coats, self.film)

    def last_film(self, coats: Sequence[Coat]) -> NDArray[np.float32]:
        """(N,) µm of the last of some coats."""
        return self.films(coats)[-1] if coats[-1].by.by_finish else self.film(coats[-1])

    def reflectance(self, coats: Sequence[Coat]) -> NDArray[np.float32]:
        """(N, 36) of the model after coats; muted ones are left out. What it was before the last of them is used
        where that is still known."""
        return self._reflectance([coat for coat in coats if not coat.muted])

    @result(most=2, depends=lambda self, coats: self.chain(coats)[-1], rests=True)  # 26 MB each: only to go on from
    def _reflectance(self, coats: list[Coat]) -> NDArray[np.float32]:
        before = known(Simulation._reflectance, self, coats[:-1]) if coats else None
        if before is not None:
            return appearance([(coats[-1], self.last_film(coats))], len(self.site), before)
        return appearance(list(zip(coats, self.films(coats), strict=True)), len(self.site))

    def finish(self, coats: Sequence[Coat]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """(N,) how shiny the model is after coats, 0 matt to 1 gloss, and (N,) the share of metallic paint in
        sight."""
        stack = list(zip(coats, self.films(coats), strict=True))
        return finish_of(stack, len(self.site), BARE), metal_of(stack, len(self.site))
