"""The undercoat: primer, and the light laid down by a school or by fitted passes."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, coat_from
from ....coat.finish import films_of
from ....paint.mix import Mix, only
from ....plain import built, plain, rounded
from ....results import AS_PLAIN, digest, result
from ...context import Context
from ...steps.step import steps_of
from ...steps.times import times_of
from ..feature import Feature, Item
from .pots import Pots, ValueSpan, pots_from
from .school_fit import LightMatch, fewest_of_the_nearest, fit_school
from .schools import FIT, SUITED, USUAL, Kit, school_coats, schools
from .schools.school import primed
from .spray_fit import fit
from .wishes import UndercoatWishes

Say = Callable[[str, float], None]


@dataclass(frozen=True)
class FittedSchool:
    """A school fitted to the light. match: how well it renders it, by the visibility alone. minutes: of work; wait:
    of drying."""

    coats: tuple[Coat, ...]
    match: LightMatch
    minutes: float = rounded(0, 0.0)
    wait: float = rounded(0, 0.0)
    cups: int = 0
    ml: float = rounded(2, 0.0)


COMPARED = ("ladder", "twotone")  # schools that a fit is never worse than


class UndercoatFeature(Feature):
    """Source: common practice, craft page, section 5."""

    Wishes = UndercoatWishes
    needed = True

    def pots(self, context: Context, wishes: UndercoatWishes | None = None) -> Pots:
        """The paints it is made of; what is not on the rack any more is chosen again.

        Raises:
            SettingError: the rack lacks a light or a dark; it says which.
        """
        wanted = wishes or context.wishes(self.name)
        names = {p.name.casefold() for p in context.rack}
        primer, through = (n if n and n.casefold() in names else None for n in (wanted.primer, wanted.through))
        return self._pots(context, primer, through)

    @result(most=8, of=1, depends=lambda self, c, *names: (tuple(c.rack), c.plan.greys.steps, *names))
    def _pots(self, context: Context, primer: str | None, through: str | None) -> Pots:
        return pots_from(context.rack, context.plan.greys.steps, primer, through)

    def span(self, context: Context) -> ValueSpan:
        """The values its coats aim at: those of the school, or of the paints."""
        wishes = context.wishes(self.name)
        if wishes.darkest is None or wishes.lightest is None:
            return self.pots(context).span
        return ValueSpan(wishes.darkest, wishes.lightest)

    def values(self, context: Context) -> NDArray[np.float32]:
        """(N,) the values its coats aim at on every sample."""
        return self.span(context).of(context.share).astype(np.float32)

    def kit(self, context: Context, wishes: UndercoatWishes | None = None) -> Kit:
        """What its schools work with."""
        return Kit(context.site.surface, context.lamp, self.pots(context, wishes), context.tools)

    def key(self, context: Context, name: str, wishes: UndercoatWishes | None = None) -> str:
        """All that a fitted school depends on."""
        pots = self.pots(context, wishes)
        greys = pots.colour if name == "coloured" else pots.greys
        others = (pots.primer, pots.white, pots.tint, pots.bright_primer, pots.shadow, pots.wash, pots.fine_white)
        oils = (*pots.foundations, *pots.oil_lights) if name == "oils" else ()
        return digest(
            context.site.surface.points,
            context.share,
            name,
            [plain(m) for m in greys],
            [plain(p) for p in (*others, *oils) if p],
            pots.varnish and plain(pots.varnish),
            plain(context.lamp),
            plain(context.tools),
        )

    def fitted(self, context: Context, name: str, wishes: UndercoatWishes | None = None) -> FittedSchool:
        """A school fitted to the present light, worked out once.

        Raises:
            SettingError: no such school, or something is missing for it.
        """
        kept = dict(self._fitted(context, name, wishes))
        coats = tuple(coat_from(c) for c in kept.pop("coats"))
        return FittedSchool(coats, built(LightMatch, kept.pop("match")), **kept)

    @result(most=16, of=1, depends=lambda self, *rest: self.key(*rest), lives=AS_PLAIN)
    def _fitted(self, context: Context, name: str, wishes: UndercoatWishes | None) -> dict[str, Any]:
        chosen, site = context.quick
        usual = school_coats(name, self.kit(context, wishes))
        coats, span = fit_school(site, usual, context.share[chosen])
        _, match, films = self.roughly(context, coats, span)
        steps = steps_of(site, coats, films, context.tools)
        times = times_of(steps)
        return {
            "coats": plain(coats),
            "match": plain(match),
            "minutes": times.whole - times.wait,
            "wait": times.wait,
            "cups": times.cups,
            "ml": sum(s.ml for s in steps),
        }

    def roughly(
        self, context: Context, coats: Sequence[Coat], span: ValueSpan
    ) -> tuple[NDArray[np.uint8], LightMatch, list[NDArray[np.float32]]]:
        """(Q, 3) sRGB levels of the quick samples under coats, how well they render the light, and their films there;
        without a ray: for pictures of what is not chosen yet."""
        from ....coat.stack import appearance, looks
        from .school_fit import light_match

        chosen, site = context.quick
        films = films_of(site, coats, lambda coat, finish: coat.roughly(site, finish))
        value, levels = looks(appearance(list(zip(coats, films, strict=True)), len(site)))
        return levels, light_match(site, value, context.share[chosen], span), films

    def greys(self, context: Context) -> list[Mix]:
        """What a fit may spray: greys, or the steps of one colour."""
        pots = self.pots(context)
        return pots.colour if context.wishes(self.name).in_colour else pots.greys

    def fit(
        self, context: Context, say: Say, stopped: Callable[[], bool] | None = None
    ) -> tuple[list[Coat], ValueSpan | None]:
        """The primer and the few passes that come nearest to the light, or the passes of a school where those do as
        well with fewer coats; and the values that those aim at, None for those of the paints.

        Raises:
            SettingError: no airbrush. Stopped: `stopped` said so.
        """
        pots = self.pots(context)
        primer, values = only(pots.primer), pots.span.of(context.share).astype(np.float32)
        found = fit(
            context.site,
            values,
            context.lamp,
            primer,
            self.greys(context),
            tools=context.tools,
            progress=say,
            stopped=stopped,
        )
        coats_here = [primed(primer, "primer everywhere", context.tools), *found.coats]
        say("Comparing with the schools", 0.97)
        tried = [self.fitted(context, name) for name in COMPARED]
        offers = [(coats_here, pots.span), *((list(t.coats), t.match.span) for t in tried)]
        taken = fewest_of_the_nearest(context.site, context.share, offers)
        return list(offers[taken][0]), offers[taken][1] if taken else None

    @result(most=4, of=1, depends=lambda self, context: self.key(context, FIT))
    def fit_once(self, context: Context) -> tuple[list[Coat], ValueSpan | None]:
        """The same, worked out once."""
        return self.fit(context, lambda *_: None)

    def items(self, context: Context) -> list[Item]:
        """One undercoat."""
        return [
            Item("", 0, schools()[self.school(context)].title if self.school(context) != FIT else "Fitted passes")
        ]

    def school(self, context: Context) -> str:
        """The school that is taken: the one wished for; the one that a plan for all colours is best over; or the
        usual one, as far as there are tools for it."""
        wishes = context.wishes(self.name)
        if wishes.school == SUITED and wishes.taken and context.coats(self.name):
            return wishes.taken
        return self._chosen(context)

    def _chosen(self, context: Context) -> str:
        wished = context.wishes(self.name).school
        if wished != SUITED:
            return wished
        return context.feature("colour").ground(context) or self.usual(context)

    def usual(self, context: Context) -> str:
        """The usual school, or the first there are tools for."""
        kit = self.kit(context)
        return next(name for name in (USUAL, *schools()) if not schools()[name].lack(kit))

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """Those of the school, fitted to the light, or the fitted passes."""
        name = self._chosen(context)
        return self.fit_once(context)[0] if name == FIT else list(self.fitted(context, name).coats)

    def came_to(self, context: Context) -> UndercoatWishes:
        """With the values that the school's own coats aim at."""
        wishes = context.wishes(self.name)
        name = self._chosen(context)
        if wishes.school == SUITED:
            wishes = replace(wishes, taken=name)
        span = self.fit_once(context)[1] if name == FIT else self.fitted(context, name).match.span
        return wishes.of(wishes.school, span)

    def mine(self, item: Item, coat: Coat) -> bool:
        """All of them."""
        return True


FEATURE = UndercoatFeature()
