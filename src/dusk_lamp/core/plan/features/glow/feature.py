"""Glow: what shines on the sculpt itself (object-source light), heat and flame painted on it, and lenses."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....errors import SettingError
from ....light.emitter import PLACES, Glow, Source, glow_of
from ....light.flame import flamed
from ....light.glint import glinting
from ....light.heat import heated
from ....light.planes import SIDES, plane_at
from ....paint.colour import rgb_from_hex
from ....paint.mix import Mix, values_of
from ....plain import plain
from ....results import digest, result
from ....target.target import Target
from ....units import counted
from ...context import Context
from ..feature import Feature, Item
from .glows import (
    BANDS,
    NONE,
    Reached,
    WishedGlow,
    band_rows,
    dabbed,
    glow_coats,
    glow_reach,
    glowing,
    reached,
    readable,
    strength_of,
    strongest,
)
from .lens import Lens, lens_coats, lenses
from .wishes import AMBER, KINDS, LAVA, GlowWish, GlowWishes

Masks = list[tuple[str, str, NDArray[np.bool_]]]  # name, `#rrggbb`, (N,) where; the coolest first
FIRST_REACH = 0.35  # of the sculpt's size
FIRST_BALL, FIRST_OFF, FIRST_HEAT = 0.03, 0.08, 0.2  # radius, distance off the skin and length, of that size
MOST_SPOTS = 8
DARK_COLOUR = 0.25  # a colour whose brightest channel is below this glows in no light of its own
SIDE_WORDS = {
    "under": "Under its feet",
    "left": "On its left as you look",
    "right": "On its right as you look",
    "front": "In front of it",
    "behind": "Behind it",
}


class GlowFeature(Feature):
    """Source: common practice, craft page, section 10, CP-25, CP-26."""

    shares_pots = True
    Wishes = GlowWishes
    aims = 10

    # --- one glow on this sculpt
    def source(self, context: Context, glow: GlowWish) -> Source:
        """What glows, on the bench.

        Raises:
            SettingError: its region is not there any more.
        """
        if glow.kind == "region":
            if glow.region not in context.site.marking.ids[1:]:
                raise SettingError("the region that glowed is not there any more; choose another source")
            return Source("region", context.site.marking.number_of(glow.region))
        x, y, z = context.placing.to_bench(np.array(glow.place, float)[None])[0]
        n = context.placing.turn @ np.array(glow.out, float)
        n = n / max(float(np.linalg.norm(n)), 1e-9)
        toward = (float(n[0]), float(n[1]), float(n[2]))
        if glow.kind == "plane":
            return Source("plane", 0, (x, y, z), 1.0, toward, glow.width, glow.height)
        x, y, z = (float(v) for v in np.array([x, y, z]) + n * (glow.off + glow.radius))
        return Source("ball", 0, (x, y, z), glow.radius)

    def _source_key(self, context: Context, glow: GlowWish) -> str:
        """All that the light of a source depends on, but for its strength and colour."""
        source = self.source(context, glow)
        where = context.site.labels == source.region if source.kind == "region" else np.zeros(0)
        return digest(plain(source), glow.shadow, where)

    @result(most=13, of=1, depends=lambda self, c, glow, places=PLACES: (self._source_key(c, glow), places))
    def light(self, context: Context, glow: GlowWish, places: int = PLACES) -> Glow:
        """Its light for a radiosity of 1, worked out once: reach, colour and dusk need no rays.

        Raises:
            SettingError: it cannot glow there.
        """
        return glow_of(context.site, self.source(context, glow), places, glow.shadow)

    @result(most=13, of=1, depends=lambda self, c, g: (self._source_key(c, g), digest(plain(c.view), c.gloss)))
    def caught(self, context: Context, glow: GlowWish) -> Glow:
        """Its light with what shiny materials mirror of it, as the display view shows them."""
        return glinting(context.site.surface, self.light(context, glow), context.gloss, context.view)

    def wish(self, context: Context, glow: GlowWish) -> WishedGlow:
        """As plan.glow asks for it."""
        return WishedGlow(
            self.source(context, glow), glow.colour, glow.strength, glow.evenness, glow.shadow, glow.on, glow.name
        )

    def trouble(self, context: Context, glow: GlowWish) -> str:
        """Why it cannot glow; "" where it can."""
        try:
            if glow.shines:
                self.light(context, glow)
            elif not glow.spots:
                return "touch the sculpt where it is hottest"
        except SettingError as e:
            return str(e)
        return ""

    def shining(self, context: Context) -> list[GlowWish]:
        """Those that throw light now."""
        return [g for g in context.wishes(self.name).glows if g.shines and g.on and not self.trouble(context, g)]

    def least(self, context: Context) -> float:
        """The light that has to be added to the lamp's to be read."""
        lamp = context.grey.light.total
        return readable(
            float(np.average(lamp, weights=context.site.areas)), context.plan.exposure, context.plan.light.full
        )

    def reached(
        self,
        context: Context,
        glow_wish: GlowWish,
        value: NDArray | None = None,
        highlit: dict[int, bool] | None = None,
    ) -> Reached:
        """What a glow reaches. value: (N,) as it is painted so far; highlit: which crests have a highlight in
        that."""
        plan, lamp = context.plan, context.grey.light.total
        glow, wish = self.caught(context, glow_wish), self.wish(context, glow_wish)
        return reached(context.site, wish, glow, lamp, plan.exposure, plan.light.full, value, highlit)

    def with_reach(self, context: Context, glow: GlowWish, reach: float) -> GlowWish:
        """The same with the strength that is read so many mm from its middle.

        Raises:
            SettingError: no reach, or one further than any model.
        """
        source, area = self.source(context, glow), self.light(context, glow).area
        return replace(glow, strength=strength_of(source, area, reach, self.least(context)))

    def hot(self, context: Context, glow: GlowWish) -> tuple[Masks, list[str]]:
        """Heat or flame as masks, and what to mind."""
        spots = context.placing.to_bench(np.array(glow.spots, float).reshape(-1, 3)).tolist()
        return _hot(context, glow, spots)

    def lens(self, context: Context, id_: int, brush: float = 0.2) -> list[Lens]:
        """The lenses of a region. brush: mm, the mark of the finest one.

        Raises:
            SettingError: see plan.lens.lenses.
        """
        number = context.site.marking.number_of(id_)
        return lenses(context.site, number, context.lamp, brush, context.locals[number].colour)

    # --- new ones
    def new(self, context: Context, kind: str, id_: int, **given: Any) -> GlowWish:
        """A glow as it begins. kind: region (region: its id), a side of planes.SIDES, ball, hot metal or flame
        (place,
        out: in the file's axes; off: mm).

        Raises:
            SettingError: no such kind, or it cannot glow there.
        """
        surface, size = context.site.surface, context.site.surface.size
        if kind == "region":
            if given["region"] not in context.site.marking.ids[1:]:
                raise SettingError("choose the region that glows first")
            k = context.site.marking.number_of(given["region"])
            local, name = context.locals[k], context.site.marking.regions[k - 1].name
            colour = local.colour if max(rgb_from_hex(local.colour)) > DARK_COLOUR else AMBER
            glow = GlowWish(id_, "region", name, given["region"], colour=colour)
        elif kind in SIDES:
            plane = plane_at(surface, kind)
            x, y, z = context.placing.to_file(np.array([plane.middle]))[0].tolist()
            a, b, c = (float(v) for v in np.array(plane.normal) @ context.placing.turn)
            glow = GlowWish(
                id_,
                "plane",
                SIDE_WORDS[kind],
                place=(x, y, z),
                out=(a, b, c),
                width=plane.width,
                height=plane.height,
                colour=LAVA,
            )
        elif kind == "ball":
            off = float(given.get("off", FIRST_OFF * size))
            glow = GlowWish(
                id_,
                "ball",
                "A ball in the air",
                place=given["place"],
                out=given["out"],
                off=off,
                radius=FIRST_BALL * size,
            )
        elif kind in KINDS:
            return GlowWish(id_, kind, kind.capitalize(), spots=(given["place"],), length=FIRST_HEAT * size)
        else:
            raise SettingError("this glow is not known; reload the page")
        return self.with_reach(context, glow, FIRST_REACH * size)

    # --- target and coats
    def target(self, context: Context, aim: Target) -> Target:
        """The light of every glow that is on, added to the lamp's."""
        shining = [(self.wish(context, g), self.caught(context, g)) for g in self.shining(context)]
        return context.relit(glowing(aim.light, shining, context.plan.light.full)) if shining else aim

    def items(self, context: Context) -> list[Item]:
        """Glows that are on and can glow, then lenses."""
        wishes, marking = context.wishes(self.name), context.site.marking
        glows = [g for g in wishes.glows if g.on and not self.trouble(context, g)]
        lens = [marking.regions[marking.number_of(i) - 1] for i in wishes.lenses if i in marking.ids[1:]]
        return [
            *(Item(g.way, 0, g.name or "Glow") for g in glows),
            *(Item("lens", r.id, f"{r.name}: lens") for r in lens),
        ]

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """White, tint, tidying and core of a glow; dabs of heat; base, crescents and dot of a lens."""
        if item.way == "lens":
            number = context.site.marking.number_of(item.region)
            return lens_coats(context.site, number, self.lens(context, item.region), context.rack)
        wishes = context.wishes(self.name).one(int(item.way.removeprefix("glow-")))
        if trouble := self.trouble(context, wishes):
            raise SettingError(trouble)
        if not wishes.shines:
            return dabbed(context.site, wishes.name, self.hot(context, wishes)[0], context.rack)
        seen = context.seen_before(self.name)
        found = self.reached(context, wishes, values_of(seen))
        lab = context.target(self.name).lab
        puddles: dict[int, list[Mix]] = {}
        for coat in context.before(self.name):
            if coat.region in context.site.marking.ids[1:] and not coat.muted:
                puddles.setdefault(context.site.marking.number_of(coat.region), []).append(coat.mix)
        return glow_coats(context.site, self.wish(context, wishes), found, seen, lab, context.rack, puddles).coats

    def covers(self, context: Context) -> set[int]:
        """What glows is painted white all over, and a lens dark: what lay there is not seen."""
        wishes = context.wishes(self.name)  # whether a glow can shine needs rays, and its own page says so
        return {g.region for g in wishes.glows if g.on and g.kind == "region"} | {*wishes.lenses}

    # --- what a page tells
    def row(
        self, context: Context, wished: GlowWish, value: NDArray | None, highlit: dict[int, bool]
    ) -> dict[str, Any]:
        """One glow as plain values: strength as reach, the limit, bands, edges, and what to mind."""
        row: dict[str, Any] = {**plain(wished), "trouble": self.trouble(context, wished), "shines": wished.shines}
        if row["trouble"]:
            return row
        site, names = context.site, ["the rest", *(r.name for r in context.site.marking.regions)]
        if not wished.shines:
            masks, words = self.hot(context, wished)
            bands = [{"name": n, "colour": c, "mm2": round(float(site.areas[m].sum()), 1)} for n, c, m in masks]
            return {**row, "bands": bands, "mind": words}
        glow, wish, full = self.light(context, wished), self.wish(context, wished), context.plan.light.full
        found, least = self.reached(context, wished, value, highlit), self.least(context)
        limit = strongest(wish, glow, context.grey.light.total, full)
        mind = []
        if wished.strength > limit:
            mind.append("It lights something as brightly as it glows itself; the source must stay the lightest spot.")
        if not (found.band > NONE).any():
            mind.append("Nothing is within its reach: make it stronger, bring it nearer, or dim the lamp.")
        bare = sum(c.has_highlight is False for c in found.catches)
        if bare:
            mind.append(
                f"{bare} of {counted(len(found.catches), 'edge', 'edges')} within its reach have no highlight yet; "
                "they are painted first."
            )
        return row | {
            "reach": round(glow_reach(wish.source, glow.area, wished.strength, least), 2),
            "limit": round(glow_reach(wish.source, glow.area, limit, least), 2) if np.isfinite(limit) else None,
            "middle": [round(float(v), 3) for v in glow.middle],
            "mind": mind,
            "bands": [
                {
                    **b,
                    "number": BANDS.index(str(b["name"])),
                    "regions": [[names[n], s] for n, s in b["regions"].items()],
                }
                for b in band_rows(site, found.band)
            ],
            "edges": [_edge_words(c, names) for c in found.catches[:12]],
        }


def _edge_words(catch: Any, names: Sequence[str]) -> str:
    said = {None: "not planned yet", True: "already highlighted", False: "not highlighted yet"}[catch.has_highlight]
    return f"{names[catch.region]}: {catch.lit:.1f} of {catch.length:.1f} mm catch it; {said}"


@result(
    most=12,
    depends=lambda context, g, spots: digest(spots, g.length, g.hues, g.heart, g.seed, g.kind),
)
def _hot(context: Context, glow: GlowWish, spots: list[list[float]]) -> tuple[Masks, list[str]]:
    if glow.kind == "hot metal":
        hot = heated(context.site, spots, glow.length, seed=glow.seed)
        masks = [(b.name, b.colour, hot.band == k) for k, b in enumerate(hot.bands)][::-1]
        masks.append(("broken black along crests", "#191412", hot.black))
        gone = ", ".join(hot.dropped)
        words = [f"There is no room for {gone}: the band would be narrower than a brush mark."] if gone else []
        return masks, [*words, "Leave room for every band; put the dark red on twice at the ends."]
    flame = flamed(context.site, spots, glow.length, glow.hues, glow.heart, glow.seed)
    masks = [(f"hue {k + 1} of {len(flame.colours)}", c, flame.hue == k) for k, c in enumerate(flame.colours)]
    masks.append(("edges that catch it", flame.colours[3], flame.catches))
    return masks, ["Broken dabs, not a smooth blend; brightest low and in recesses."]


FEATURE = GlowFeature()
