"""A coat: a technique with its settings, a mix, and what of the model it goes on."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.mix import Mix
from ..plain import built, plain
from ..sculpt.site import WHOLE, Site, Where
from .technique import Technique, technique

FEW = 0.5  # of the samples: a film that is bound to fewer is worked out there only
LONGEST_LABEL = 80


@dataclass(frozen=True)
class Coat:
    """One coat.

    technique: its name. mix: the paint. settings: of that technique. where: what it goes on. muted: left out when
    looking and in the plan. label: in a few words what it is for. stage: of the work, that it belongs to. way: of
    painting a region, that it came from; "" where it came by hand. region: the id of the region it is for; 0 where it
    is for none, or for more than one.
    """

    technique: str
    mix: Mix
    settings: Any
    where: Where = WHOLE
    muted: bool = False
    label: str = ""
    stage: str = "undercoat"
    way: str = ""
    region: int = 0

    def __post_init__(self) -> None:
        by = technique(self.technique)
        if not isinstance(self.settings, by.Settings):
            raise SettingError(f"the settings of this {self.technique} are not its own")

    @property
    def by(self) -> Technique:
        """The technique itself."""
        return technique(self.technique)

    @property
    def solids(self) -> float:
        """Dry share by volume of what goes on, thinner and all."""
        return self.mix.solids / (1 + self.by.water(self.settings))

    def film(self, site: Site, finish: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
        """(N,) µm of dry paint, none where the coat does not go. finish: (N,) of what is under it, for techniques
        that run by it; see coat.finish.

        Raises:
            SettingError: the settings make no sense on this sculpt, or what the coat goes on is not there any more.
        """
        mask = site.on(self.where)
        if mask is None:
            return self.by.film_on(site, self.settings, self.solids, finish)
        if self.by.spotwise(self.settings) and np.count_nonzero(mask) < FEW * len(site):
            return self._faded(site, self._there(site, mask))
        return self._faded(site, np.where(mask, self.unbound(site, mask, finish), np.float32(0)))

    def _there(self, site: Site, mask: NDArray[np.bool_]) -> NDArray[np.float32]:
        """(N,) µm worked out at the samples (N,) it is bound to only; see unbound."""
        film = np.zeros(len(site), np.float32)
        for chosen, piece in site.pieces or [(np.arange(len(site), dtype=np.int32), site)]:
            mine = mask[chosen]
            if mine.any():
                film[chosen[mine]] = self.by.film_on(piece.few(mine), self.settings, self.solids, None)
        return film

    def _faded(self, site: Site, film: NDArray[np.float32]) -> NDArray[np.float32]:
        share = self.where.shares(len(site))
        return film if share is None else film * share

    def unbound(
        self, site: Site, mask: NDArray[np.bool_], finish: NDArray[np.float32] | None = None
    ) -> NDArray[np.float32]:
        """(N,) µm with all that goes astray beyond the samples (N,) it is bound to. What is bound, and comes from
        afar, goes on each part painted apart by itself, in the pose it has on the model (CP-1, CP-30): a neighbour
        that is not there stops no paint and takes none."""
        pieces = site.pieces if self.by.from_afar else []
        if not pieces:
            return self.by.film_on(site, self.settings, self.solids, finish)
        film = np.zeros(len(site), np.float32)
        for chosen, piece in pieces:
            if mask[chosen].any():
                film[chosen] = self.by.film_on(piece, self.settings, self.solids, None)
        return film

    def roughly(self, site: Site, finish: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
        """(N,) its film to choose by, wherever the technique lays it: without a ray. finish: (N,) of what it lies
        on."""
        mask = site.on(self.where)
        film = self.by.film_roughly(site, self.settings, self.solids, finish)
        return film if mask is None else self._faded(site, np.where(mask, film, np.float32(0)))

    def with_settings(self, given: dict[str, Any]) -> "Coat":
        """The coat with other settings of its technique.

        Raises:
            SettingError: not its own, outside its range, or not of its kind.
        """
        strange = [name for name in given if name not in self.by.described()]
        if strange:
            raise SettingError(f"there is no {str(strange[0])[:40]} to set of a coat that is a {self.technique}")
        settings = {**plain(self.settings), **given}
        return replace(self, settings=built(self.by.Settings, settings, "the coat"))


def usual_coat(name: str, mix: Mix, label: str = "", stage: str = "undercoat") -> Coat:
    """A coat in the usual settings of its technique.

    Raises:
        SettingError: no such technique.
    """
    return Coat(name, mix, technique(name).usual(mix), label=label[:LONGEST_LABEL], stage=stage)


def coat_from(given: Any) -> Coat:
    """A coat from plain values, as `plain` writes it.

    Raises:
        SettingError: something is missing or outside its range.
    """
    try:
        by = technique(str(given["technique"]))
        return Coat(
            by.name,
            built(Mix, given["mix"], "the mix"),
            built(by.Settings, given["settings"], "the coat"),
            built(Where, given.get("where", {}), "what the coat goes on"),
            bool(given.get("muted")),
            str(given.get("label", ""))[:LONGEST_LABEL],
            str(given.get("stage", "undercoat"))[:20],
            str(given.get("way", ""))[:20],
            int(given.get("region") or 0),
        )
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError, AttributeError) as e:
        raise SettingError("this coat's settings are incomplete") from e
