"""What coats come to on a sculpt that is laid out: films and looks, each worked out once and remembered with it."""

import json
import zlib
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..core.coat.coat import Coat
from ..core.coat.stack import appearance, looks
from ..core.light.rig import Rig
from ..core.plain import built, plain
from ..core.plan.outcome import Look, differences, look_of
from ..core.plan.schools import rough_film
from ..core.plan.step import Step, steps_of
from ..core.plan.tins import Tins
from ..core.sculpt.site import Site
from ..core.target.exposure import Exposure, laid_between
from ..core.units import DROPS_PER_ML
from .laid import Laid
from .models import Sculpt


def target_of(sculpt: Sculpt, laid: Laid, tins: Tins) -> NDArray[np.float32]:
    """(N,) the values of the present light, between the primer and the lightest paint there is."""
    key = json.dumps([sculpt.rig, sculpt.exposure, tins.darkest, tins.lightest, laid.site.outlook is not None])

    def make() -> NDArray[np.float32]:
        exposure = built(Exposure, sculpt.exposure, "the exposure")
        wanted = laid.lit(built(Rig, sculpt.rig, "the light"), exposure)
        return laid_between(wanted.value, exposure, tins.darkest, tins.lightest)

    return laid.targets.of(key, make)


def _key(coat: Coat, site: Site) -> str:
    """All that a coat's film and looks depend on."""
    own = site.on(coat.where)
    place = "" if own is None else f"{zlib.crc32(np.packbits(own).tobytes()):08x}"
    return json.dumps([coat.technique, plain(coat.settings), coat.solids, place], sort_keys=True)


def film_of(laid: Laid, coat: Coat, site: Site) -> NDArray[np.float32]:
    """(N,) the film of a coat on a site, worked out once."""
    return laid.films.of(_key(coat, site), lambda: coat.film(site))


def after(laid: Laid, site: Site, coats: Sequence[Coat], wanted: NDArray[np.float32]) -> list[Look]:
    """The model bare and after every coat, each worked out once."""
    mark = f"{float(wanted.sum()):.6g}"
    run = ""
    out = [laid.after.of(mark, lambda: look_of(site, _reflectance(laid, site, "", []), wanted))]
    done: list[Coat] = []
    for coat in coats:
        if coat.muted:
            out.append(out[-1])
            continue
        done = [*done, coat]
        run += _key(coat, site) + json.dumps(plain(coat.mix), sort_keys=True)

        def make(done: list[Coat] = done, run: str = run) -> Look:
            return look_of(site, _reflectance(laid, site, run, done), wanted)

        out.append(laid.after.of(mark + run, make))
    return out


def _reflectance(laid: Laid, site: Site, run: str, coats: Sequence[Coat]) -> NDArray[np.float32]:
    """(N, 36) of the model after some coats; from what it was before the last of them, where that is still known."""

    def make() -> NDArray[np.float32]:
        if not coats:
            return appearance([], len(site))
        last = coats[-1]
        own = len(_key(last, site) + json.dumps(plain(last.mix), sort_keys=True))
        before = laid.reflectances.get(run[: len(run) - own])
        stack = [(coat, film_of(laid, coat, site)) for coat in (coats[-1:] if before is not None else coats)]
        return appearance(stack, len(site)) if before is None else appearance(stack, len(site), before)

    return laid.reflectances.of(run, make)


def steps(
    laid: Laid,
    site: Site,
    coats: Sequence[Coat],
    looks_after: Sequence[Look] | None = None,
    drops_per_ml: float = DROPS_PER_ML,
    models: int = 1,
) -> list[Step]:
    """The coats as steps, muted ones too."""
    films = [film_of(laid, coat, site) for coat in coats]
    near = None if looks_after is None else [look.within for look in looks_after]
    return steps_of(site, coats, films, drops_per_ml, models, near)


def roughly(laid: Laid, coats: Sequence[Coat], wanted: NDArray[np.float32]) -> tuple[NDArray[np.uint8], float]:
    """(N, 3) sRGB levels under coats, and the share of the area within half a value; worked out at the quick samples only,
    without a ray, and spread to their neighbours: for pictures of what is not chosen yet."""
    quick = laid.quick
    stack = [(c, rough_film(quick, c)) for c in coats]
    value, levels = looks(appearance(stack, len(quick)))
    return levels[laid.nearest], differences(quick, value, wanted[laid.chosen])[2]
