"""Films: a region painted with the light that was sprayed (CP-45). One see-through film over all of it, a shade faded
into the darks, a light faded into the lights: the sprayed light shows through all of them, and no border shows.

A film's look is worked out on a few spots of the region, over what really lies there; the best of each kind are
looked at again on more.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from ...coat.brush import Even, job_water
from ...coat.coat import Coat, usual_coat
from ...coat.technique import technique
from ...paint.colour import delta_e, lab, xyz
from ...paint.film import film
from ...paint.mix import Mix
from ...sculpt.mesh import evenly
from ...sculpt.site import Where
from ..context import Context
from ..steps.care import hand_minutes
from .candidates import Candidates, score
from .groups import Group

WAY = "economy"
FIRST_COAT = "first coat, thinned so that what lies below shows"
SPOTS, MORE_SPOTS = 16, 100  # of a region, that films are chosen on, and judged on
FIRST_UM = (1.5, 3.0, 5.0, 8.0, 12.0)  # µm of dry film: a thinned layer or one-coat paint
SHADE_UM, LIGHT_UM = (1.0, 2.0, 4.0), (2.0, 4.0, 8.0, 14.0)
HIDING = 2.0  # normal coats, that a first coat hides in: where the hues leave what a film can give
SHADE_TO, LIGHT_FROM = (0.3, 0.5, 0.75), (0.4, 0.6, 0.8)  # shares of the light, that a fade ends or begins at
LIKELY = 100  # candidates for a first coat; by hue and lightness
LIKELY_FADES = 24  # and for a fade
FIRSTS, FADES = 4, 2  # of them, that are gone on with
OF_A_POOL = (2, 1)  # the same where a pool of puddles is given
THINNEST, THICKEST = 10.0, 0.25  # parts of water to one of paint
PASSES = 2  # that a fade is laid in
SEEN = 0.1  # of a fade's film, from which on it takes time
TONES = 6  # that a faded film counts as: it runs through all of them


@dataclass(frozen=True)
class SeeThrough:
    """candidate: what it is mixed as. um: µm of dry film where it is full. ends: shares of the light of the region,
    0 the darkest spot, 1 the lightest, at which it is full and at which it has run out; None for all over."""

    candidate: int
    um: float
    ends: tuple[float, float] | None = None

    def share(self, light: NDArray) -> NDArray[np.float64]:
        """(n,) of the film, on spots of so much light (n,) 0..1."""
        if self.ends is None:
            return np.ones(len(light))
        full, none = self.ends
        return np.clip((light - none) / (full - none), 0, 1)


@dataclass(frozen=True)
class FilmOption:
    """One way to paint a region with films. region: its place among the groups. films: the first coat, then fades.
    puddles: candidates, each once. gain: of the weighted area. minutes: of work at the model."""

    region: int
    films: tuple[SeeThrough, ...]
    puddles: tuple[int, ...]
    gain: float
    minutes: float
    base: int = 0

    @property
    def steps(self) -> int:
        """How many."""
        return len(self.films)

    def covers(self, found: Candidates) -> bool:
        """Whether its first coat hides what lies below."""
        return self.films[0].um >= HIDING * found.mix(self.films[0].candidate).coat_um

    @property
    def tones(self) -> int:
        """How many tones it reads as."""
        return TONES if self.steps > 1 else 1


class FilmRegion:
    """One region over what really lies there, ready to be asked for film options."""

    def __init__(self, context: Context, place: int, group: Group, found: Candidates) -> None:
        site, target = context.site, context.target("metal")
        self.place, self.group, self.found = place, group, found
        self.light = light_of(context, group)
        order = group.samples[np.argsort(self.light, kind="stable")]
        rank = np.sort(self.light)
        self._sets = []
        under = context.seen_before("colour")
        for count in (SPOTS, MORE_SPOTS):
            rows = evenly(np.arange(len(order)), count)
            spots = order[rows]
            weight = site.areas[spots].astype(np.float64) + 1e-12
            self._sets.append((under[spots].astype(np.float64), target.lab[spots], rank[rows], weight / weight.sum()))

    def options(self, pool: Sequence[int] | None = None) -> list[FilmOption]:
        """The best of each kind with the candidates of a pool, or with any."""
        most, fades = (FIRSTS, FADES) if pool is None else OF_A_POOL
        under, wanted, light, weight = self._sets[0]
        some = np.arange(len(self.found.lab)) if pool is None else np.array(sorted(set(pool)), np.int64)
        if not len(some):
            return []
        middle = np.average(wanted, axis=0, weights=weight)
        dark, bright = (np.average(wanted, axis=0, weights=weight * near) for near in ((1 - light) ** 3, light**3))
        firsts = [SeeThrough(int(k), um) for k in self._likely(some, middle, LIKELY) for um in self._first_um(int(k))]
        shades = [
            SeeThrough(int(k), um, (0.0, to))
            for k in self._likely(some[self.found.lab[some, 0] < middle[0]], dark, LIKELY_FADES)
            for um, to in product(SHADE_UM, SHADE_TO)
        ]
        lights = [
            SeeThrough(int(k), um, (1.0, begin))
            for k in self._likely(some[self.found.lab[some, 0] > middle[0]], bright, LIKELY_FADES)
            for um, begin in product(LIGHT_UM, LIGHT_FROM)
        ]
        runs: list[tuple[SeeThrough, ...]] = []
        best = self._best(firsts, under, wanted, light, weight, most)
        for first, seen in best:
            runs.append((first,))
            for shade, shaded in self._best(shades, seen, wanted, light, weight, fades):
                runs.append((first, shade))
                runs += [(first, shade, lit) for lit, _ in self._best(lights, shaded, wanted, light, weight, fades)]
            runs += [(first, lit) for lit, _ in self._best(lights, seen, wanted, light, weight, 1)]
        return self._few([self._option(films) for films in dict.fromkeys(runs)])

    def _first_um(self, k: int) -> tuple[float, ...]:
        return (*FIRST_UM, HIDING * float(self.found.mix(k).coat_um))

    def _likely(self, some: NDArray[np.int64], wanted: NDArray, most: int) -> NDArray[np.int64]:
        """Those of some candidates whose hue is near, and whose lightness is not far."""
        apart = self.found.lab[some] - wanted
        off = np.hypot(apart[:, 1], apart[:, 2]) + 0.35 * np.abs(apart[:, 0])
        return some[np.argsort(off, kind="stable")[:most]]

    def _seen(self, films: Sequence[SeeThrough], under: NDArray, light: NDArray) -> NDArray[np.float64]:
        """(F, n, 36) reflectance of spots under each of some films."""
        k = np.array([f.candidate for f in films])
        thick = np.stack([f.um * f.share(light) for f in films])
        shape = (*thick.shape, under.shape[1])
        K, S = (np.broadcast_to(x[k][:, None], shape).reshape(-1, shape[2]) for x in (self.found.K, self.found.S))
        below = np.broadcast_to(under[None], shape).reshape(-1, shape[2])
        return film(K, S, thick.ravel(), below).reshape(shape)

    def _best(
        self, films: Sequence[SeeThrough], under: NDArray, wanted: NDArray, light: NDArray, weight: NDArray, most: int
    ) -> list[tuple[SeeThrough, NDArray[np.float64]]]:
        """The films that bring spots nearest, of different mixes, each with what is seen then."""
        if not films:
            return []
        seen = self._seen(films, under, light)
        off = delta_e(lab(xyz(seen.reshape(-1, seen.shape[2]))).reshape(*seen.shape[:2], 3), wanted)
        value = (score(off) - 0.01 * off) @ weight
        out: list[tuple[SeeThrough, NDArray[np.float64]]] = []
        for n in np.argsort(-value, kind="stable"):
            if all(f.candidate != films[n].candidate for f, _ in out):
                out.append((films[n], seen[n]))
            if len(out) == most:
                break
        return out

    def _option(self, films: tuple[SeeThrough, ...]) -> FilmOption:
        under, wanted, light, weight = self._sets[1]
        for one in films:
            under = self._seen([one], under, light)[0]
        near = float(score(delta_e(lab(xyz(under)), wanted)) @ weight)
        minutes = 0.0
        for one in films:
            mix = self.found.mix(one.candidate)
            by = technique("brush" if one.ends is None else "fade")
            share = one.share(self.light)
            mm2 = self.group.whole * float((share > SEEN).mean())
            coats = by.coats(Even(one.um, water_of(one, mix)), mix)
            minutes += hand_minutes(by, None, mm2, one.ends is not None, coats, self.group.care)
        puddles = tuple(dict.fromkeys(f.candidate for f in films))
        return FilmOption(self.place, films, puddles, near * float(self.group.weight.sum()), minutes)

    @staticmethod
    def _few(options: list[FilmOption]) -> list[FilmOption]:
        """Of each number of films those that bring the most."""
        out: list[FilmOption] = []
        for count in sorted({o.steps for o in options}):
            out += sorted((o for o in options if o.steps == count), key=lambda o: -o.gain)[:4]
        return out


def light_of(context: Context, group: Group) -> NDArray[np.float64]:
    """(n,) how light each sample of a region should be among the others, 0 the darkest to 1 the lightest, by area."""
    value = context.target("metal").value[group.samples]
    areas = context.site.areas[group.samples].astype(np.float64)
    order = np.argsort(value, kind="stable")
    run = np.cumsum(areas[order])
    out = np.empty(len(value))
    out[order] = (run - areas[order] / 2) / run[-1]
    return out


def water_of(one: SeeThrough, mix: Mix) -> float:
    """Parts of water to one of paint that a film is laid with: the first coat in one, a fade in PASSES."""
    if one.um >= HIDING * mix.coat_um:
        return job_water("base coat")
    passes = 1 if one.ends is None else PASSES
    return round(float(np.clip(passes * mix.coat_um / one.um - 1, THICKEST, THINNEST)), 1)


def film_coats(context: Context, groups: Sequence[Group], found: Candidates, option: FilmOption) -> list[Coat]:
    """The coats of one region, in order."""
    group = groups[option.region]
    region = context.site.marking.regions[group.number - 1]
    light, out = light_of(context, group), []
    for one in option.films:
        mix = found.mix(one.candidate)
        given = {"film_um": round(one.um, 1), "water": water_of(one, mix)}
        if one.ends is None:
            covers = one.um >= HIDING * mix.coat_um
            label = f"{region.name}: {'base' if covers else FIRST_COAT}"
            coat, where = usual_coat("brush", mix, label, "colour"), Where("region", region.id)
        else:
            words = "shade, faded into the darks" if one.ends[0] == 0 else "light, faded into the lights"
            coat = usual_coat("fade", mix, f"{region.name}: {words}", "colour")
            share = np.zeros(len(context.site))
            share[group.samples] = one.share(light)
            where = Where.some(share > 0, share)
        out.append(replace(coat.with_settings(given), where=where, way=WAY, region=region.id))
    return out
