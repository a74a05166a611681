"""What coats come to on a sculpt that is laid out: films and looks, each worked out once and remembered with it."""

import json
import zlib
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..core.coat.coat import Coat
from ..core.coat.finish import films_of
from ..core.coat.stack import appearance, looks
from ..core.light.rig import Rig
from ..core.plain import built, plain
from ..core.plan.fair import Told, told
from ..core.plan.outcome import Look, look_of
from ..core.plan.schools import rough_film
from ..core.plan.step import Step, steps_of
from ..core.plan.tins import Key, Tins
from ..core.plan.tools import EVERYTHING, Tools
from ..core.sculpt.site import Site
from ..core.target.exposure import Exposure, laid_between
from .laid import Laid
from .models import Sculpt
from .schemes import UNDERCOAT

EVEN = ("brush", "prime")  # techniques whose film is the same everywhere


def share_of(sculpt: Sculpt, laid: Laid) -> NDArray[np.float32]:
    """(N,) the values of the present light, as shares of the way from no light to full light."""
    key = json.dumps([sculpt.rig, sculpt.exposure, laid.site.outlook is not None])

    def make() -> NDArray[np.float32]:
        exposure = built(Exposure, sculpt.exposure, "the exposure")
        wanted = laid.lit(built(Rig, sculpt.rig, "the light"), exposure)
        return laid_between(wanted.value, exposure, 0.0, 1.0)

    return laid.targets.of(key, make)


def target_of(sculpt: Sculpt, laid: Laid, tins: Tins, key: Key | None = None) -> NDArray[np.float32]:
    """(N,) the values of the present light in a key; without one, in that of the paints."""
    key = key or tins.key
    return key.of(share_of(sculpt, laid)).astype(np.float32)


def _key(coat: Coat, site: Site) -> str:
    """All that a coat's film and looks depend on."""
    own = site.on(coat.where)
    place = "" if own is None else f"{zlib.crc32(np.packbits(own).tobytes()):08x}"
    held = sorted(site.loose) if own is not None and coat.by.from_afar else []
    return json.dumps([coat.technique, plain(coat.settings), coat.solids, place, *held], sort_keys=True)


def film_of(laid: Laid, coat: Coat, site: Site, finish: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
    """(N,) the film of a coat on a site, worked out once where that costs anything: an even film would only push out
    a spray's. finish: (N,) of what is under it, where that matters."""
    if coat.technique in EVEN:
        return coat.film(site)
    on = "" if finish is None else f"{zlib.crc32(finish.tobytes()):08x}"
    return laid.films.of(_key(coat, site) + on, lambda: coat.film(site, finish))


def films(laid: Laid, site: Site, coats: Sequence[Coat]) -> list[NDArray[np.float32]]:
    """The film of each coat, on what lies under it."""
    return films_of(site, coats, lambda coat, finish: film_of(laid, coat, site, finish))


def last_film(laid: Laid, site: Site, coats: Sequence[Coat]) -> NDArray[np.float32]:
    """(N,) the film of the last of some coats."""
    return films(laid, site, coats)[-1] if coats[-1].by.by_finish else film_of(laid, coats[-1], site)


def after(
    laid: Laid,
    site: Site,
    coats: Sequence[Coat],
    wanted: NDArray[np.float32],
    say: Callable[[str, float], None] = lambda *_: None,
) -> list[Look]:
    """The model bare and after every coat, each worked out once. say: told which one is being laid, and the share
    that is."""
    mark = f"{float(wanted.sum()):.6g}"
    run = ""
    out = [laid.after.of(mark, lambda: look_of(site, _reflectance(laid, site, "", []), wanted))]
    done: list[Coat] = []
    for k, coat in enumerate(coats):
        say(f"Laying coat {k + 1} of {len(coats)}", k / len(coats))
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
        if before is not None:
            return appearance([(last, last_film(laid, site, coats))], len(site), before)
        return appearance(list(zip(coats, films(laid, site, coats), strict=True)), len(site))

    return laid.reflectances.of(run, make)


def steps(
    laid: Laid,
    site: Site,
    coats: Sequence[Coat],
    looks_after: Sequence[Look] | None = None,
    tools: Tools = EVERYTHING,
    models: int = 1,
) -> list[Step]:
    """The coats as steps, muted ones too."""
    near = None if looks_after is None else [look.within for look in looks_after]
    made = steps_of(site, coats, films(laid, site, coats), tools, models, near)
    # how near the light is says nothing of a coat in colour
    return [
        step if coat.stage == UNDERCOAT else replace(step, within=None, adds=None)
        for step, coat in zip(made, coats, strict=True)
    ]


def seen(laid: Laid, site: Site, coats: Sequence[Coat]) -> NDArray[np.float32]:
    """(N, 36) reflectance of the model after coats; muted ones are left out."""
    done = [coat for coat in coats if not coat.muted]
    run = "".join(_key(coat, site) + json.dumps(plain(coat.mix), sort_keys=True) for coat in done)
    return _reflectance(laid, site, run, done)


def roughly(
    laid: Laid, coats: Sequence[Coat], share: NDArray[np.float32], key: Key
) -> tuple[NDArray[np.uint8], Told, list[NDArray[np.float32]]]:
    """(N, 3) sRGB levels under coats, how well they tell a light (N,), and their films at the quick samples; worked
    out at those only, without a ray, and spread to their neighbours: for pictures of what is not chosen yet."""
    quick = laid.quick
    films = [rough_film(quick, c) for c in coats]
    value, levels = looks(appearance(list(zip(coats, films, strict=True)), len(quick)))
    return levels[laid.nearest], told(quick, value, share[laid.chosen], key), films
