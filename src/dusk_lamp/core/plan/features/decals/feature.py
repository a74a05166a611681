"""Decals: each on gloss, under gloss, slit where the plate is curved (CP-44)."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ....coat.coat import Coat, usual_coat
from ....errors import SettingError
from ....paint.mix import only
from ....paint.rack import Paint, Rack
from ....sculpt.site import Where
from ...context import Context
from ...steps.care import care
from ...steps.task import Task
from ..feature import Feature, Item
from .wishes import DecalWishes

FLAT_TURN = 12.0  # degrees over a decal that it still follows by itself; common practice, from memory


def gloss_of(rack: Rack) -> Paint | None:
    """The gloss varnish of a rack; None where there is none."""
    return next((p for p in rack if not p.of_kind.changes_colour and p.of("finish") == "gloss"), None)


class DecalsFeature(Feature):
    """Source: common practice, CP-44."""

    Wishes = DecalWishes

    def items(self, context: Context) -> list[Item]:
        """The regions that take one."""
        marking = context.site.marking
        wishes = [i for i in context.wishes(self.name).regions if i in marking.ids]
        return [Item("decal", i, marking.regions[marking.number_of(i) - 1].name) for i in wishes]

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """Gloss under it and gloss over it.

        Raises:
            SettingError: there is no gloss varnish on the rack.
        """
        gloss = gloss_of(context.rack)
        if gloss is None or "gloss" not in context.tools.varnishes:
            raise SettingError(
                "a decal lies between two coats of gloss varnish; there is none on the rack or among your tools"
            )
        labels = (
            f"{item.title}: gloss under the decal",
            f"{item.title}: gloss over the decal, so that its film is not seen",
        )
        return [
            replace(usual_coat("brush", only(gloss), label, self.name), where=Where("region", item.region), way=way)
            for label, way in zip(labels, ("under", "over"), strict=True)
        ]

    def mine(self, item: Item, coat: Coat) -> bool:
        """Both coats of a region."""
        return coat.region == item.region

    def tasks(self, context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
        """Each decal, between its two coats."""
        return [
            (
                k,
                Task(
                    "Lay the decal",
                    "Soak it, slide it off its paper onto the wet gloss, press the water out from the "
                    f"middle.{self._slits(context, coat.region)} A softener, if you have one, last; do not touch it "
                    "while it wrinkles.",
                    care("decal"),
                    care("decal dries"),
                    ("knife", "solvent"),
                ),
            )
            for k, coat in enumerate(coats)
            if coat.stage == self.name and coat.way == "over"
        ]

    def _slits(self, context: Context, id_: int) -> str:
        site = context.site
        mask = site.labels == site.marking.number_of(id_)
        if not mask.any():
            return ""
        normals = site.surface.normals[mask].astype(float)
        mean = np.average(normals, axis=0, weights=np.maximum(site.areas[mask], 1e-9))
        turn = float(np.degrees(np.arccos(np.clip(np.linalg.norm(mean), 0, 1))))
        return " This plate is curved: cut slits from the edge where it folds." if turn > FLAT_TURN else ""


FEATURE = DecalsFeature()
