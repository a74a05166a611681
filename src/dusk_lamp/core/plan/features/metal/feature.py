"""Painted metal: regions that show a reflection from the display view, no metal in the paint."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....light.lamp import Lamp
from ....light.tint import LUMINANCE
from ....plain import plain
from ....results import AS_FIELD, digest, result
from ....sculpt.facets import FacetCut
from ....target.local import Local, within_screen
from ....target.target import Target
from ...context import Context
from ..feature import Feature, Item
from .painted import colours, layers_of, metal_values, usual_metal
from .wishes import CUSTOMARY, Metal, MetalWishes

HANDY = Lamp(0, 60)  # what a metal mirrors where the lamp is off


class MetalFeature(Feature):
    """Source: common practice, craft page, section 11."""

    shares_pots = True
    Wishes = MetalWishes
    aims = 30

    def lamp(self, context: Context) -> Lamp:
        """The lamp that is mirrored."""
        return context.plan.light.lamp or HANDY

    def kept(self, context: Context, id_: int) -> Metal:
        """How a region shines, as it was set or as its material usually does; places in the file's own axes."""
        region = context.site.marking.regions[context.site.marking.number_of(id_) - 1]
        return context.wishes(self.name).of(id_) or usual_metal(region.material)

    def metal(self, context: Context, id_: int) -> Metal:
        """The same from the display view, its places as the sculpt stands."""
        kept = self.kept(context, id_)
        notes = kept.shine.corrections
        if notes:
            places = context.placing.to_bench(np.array([one.place for one in notes], float)).tolist()
            notes = tuple(replace(one, place=tuple(at)) for one, at in zip(notes, places, strict=True))
        cuts = tuple(
            FacetCut(*(tuple(p) for p in context.placing.to_bench(np.array([c.place, c.end], float)).tolist()))
            for c in kept.shine.cuts
        )
        return replace(kept, shine=replace(kept.shine, view=context.view, corrections=notes, cuts=cuts))

    def values(self, context: Context, id_: int) -> NDArray[np.float32]:
        """(N,) the values of the whole sculpt, were it the metal of a region."""
        metal, local = self.metal(context, id_), context.locals[context.site.marking.number_of(id_)]
        lamp = self.lamp(context)
        return _values(context, metal, lamp, local)

    def colours(self, context: Context, id_: int) -> NDArray[np.float64]:
        """(M, 3) linear RGB that the samples of a region should show in daylight, without any glow."""
        number = context.site.marking.number_of(id_)
        mask = context.site.labels == number
        return colours(self.values(context, id_)[mask], self.metal(context, id_), context.locals[number])

    def target(self, context: Context, aim: Target) -> Target:
        """Metal in the place of the local colour of its regions: dimmed as that is, and with what glows on it."""
        ids = [i for i in context.site.marking.ids[1:] if context.wishes(self.name).of(i) is not None]
        if not ids or aim.rgb is None:
            return aim
        daylight = context.feature("colour").target(context, context.lit())
        rgb = aim.rgb.copy()
        for id_ in ids:
            mask = context.site.labels == context.site.marking.number_of(id_)
            before, now = daylight.rgb[mask], aim.rgb[mask]
            dimmed = np.clip((now @ LUMINANCE) / np.maximum(before @ LUMINANCE, 1e-6), 0, 1)
            shown = self.colours(context, id_) * dimmed[:, None] + np.maximum(now - before, 0)
            Y = np.clip(shown @ LUMINANCE, 1e-4, 1)
            rgb[mask] = within_screen(shown, Y)
        return aim.with_rgb(rgb.astype(np.float32))

    def items(self, context: Context) -> list[Item]:
        """The regions that were set, unless they are planned with the others for a budget."""
        marking, wishes = context.site.marking, context.wishes(self.name)
        together = context.wishes("colour").budget is not None
        return [
            Item("metal", r.id, r.name)
            for r in marking.regions
            if wishes.of(r.id) is not None and (not together or r.way or wishes.by_ladder(r.id))
        ]

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """Layers through the values of the metal, as they are without glows: those are tinted over them."""
        number = context.site.marking.number_of(item.region)
        brief, metal = context.brief(self.name, number), self.metal(context, item.region)
        if context.wishes(self.name).of(item.region) is None or metal.mixes == CUSTOMARY:
            # shown, but not set: painted as it is shown; a ladder follows the values, whatever their colour
            return layers_of(brief, metal, self.values(context, item.region), context.locals[number])
        return layers_of(brief, wash=metal.wash)

    def covers(self, context: Context) -> set[int]:
        """What is painted through the customary ladder, by itself: its base goes on all of it."""
        return {i for i in context.site.marking.ids[1:] if context.wishes(self.name).by_ladder(i)}


@result(
    most=6,
    depends=lambda context, *rest: digest(*(plain(one) for one in rest), context.site.looked),
    rests=True,
    lives=AS_FIELD,
)
def _values(context: Context, metal: Metal, lamp: Lamp, local: Local) -> NDArray[np.float32]:
    return metal_values(context.site, metal, lamp, local)


FEATURE = MetalFeature()
