"""The face: where both eyes look, and where blood is near (CP-33)."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat
from ....directions import direction_of
from ....errors import SettingError
from ...context import Context
from ..feature import Feature, Item
from .eyes import EYES, Face, eye_coats, eye_pair_words, eyes_seen, face_of, warmth
from .mouth import MOUTH, mouth_coats
from .wishes import FaceWishes

VIEWER_HEIGHTS = 10.0  # so many sculpt's heights away, who looks at it


class FaceFeature(Feature):
    """Source: common practice, CP-33."""

    shares_pots = True
    Wishes = FaceWishes

    def places(self, context: Context) -> dict[str, NDArray[np.float64]]:
        """(3,) mm on the bench of each spot that was marked."""
        wishes = context.wishes(self.name)
        marked = {k: getattr(wishes, k) for k in ("left", "right", "at")}
        return {k: context.placing.to_bench(np.array(v, float)[None])[0] for k, v in marked.items() if v is not None}

    def face(self, context: Context) -> Face | None:
        """Where the pupils go; None until both eyes are marked.

        Raises:
            SettingError: see plan.face.face_of.
        """
        places, looks = self.places(context), context.wishes(self.name).looks
        if not {"left", "right"} <= set(places):
            return None
        at = places.get("at") if looks == "at" else None
        if looks == "viewer":
            far = VIEWER_HEIGHTS * context.site.surface.size * direction_of(*context.view)
            at = (places["left"] + places["right"]) / 2 + far
        return face_of(context.site.surface, places["left"], places["right"], at)

    def items(self, context: Context) -> list[Item]:
        """The regions that are warmed."""
        marking = context.site.marking
        warm = [i for i in context.wishes(self.name).warm if i in marking.ids]
        found = [Item("warmth", i, f"{marking.regions[marking.number_of(i) - 1].name}: warmth") for i in warm]
        if context.wishes(self.name).mouth:
            found.append(replace(self.eyes(context), way=MOUTH, title="Mouth"))
        return [*found, self.eyes(context)] if context.wishes(self.name).eyes else found

    def eyes(self, context: Context) -> Item:
        """Both eyes, on the region that they lie in."""
        places, site = self.places(context), context.site
        middle = next(iter(places.values()), np.zeros(3))
        nearest = int(((site.surface.points - middle) ** 2).sum(axis=1).argmin())
        return Item(EYES, site.marking.ids[int(site.labels[nearest])], "Eyes")

    def coats(self, context: Context, item: Item) -> list[Coat]:
        """A thin glaze of red; or the mouth; or the eyes, dark sockets first."""
        if item.way in (EYES, MOUTH):
            face, places = self.face(context), self.places(context)
            if face is None:
                raise SettingError("mark the middle of both eyes first")
            if item.way == MOUTH:
                teeth = context.wishes(self.name).mouth == "open"
                return mouth_coats(context.site, places["left"], places["right"], context.rack, teeth)
            return eye_coats(context.site, face, places["left"], places["right"], context.rack)
        return [warmth(context.site, context.site.marking.number_of(item.region), context.rack)]

    def worse(self, context: Context) -> str:
        """Which of the eyes in the plan comes out worse, and by what; "" where they are alike, or not painted."""
        face, places = self.face(context), self.places(context)
        if face is None or not context.wishes(self.name).eyes:
            return ""
        coats = self.coats(context, self.eyes(context))
        seen = eyes_seen(context.site, coats, face, places["left"], places["right"])
        return eye_pair_words(seen) if seen else ""


FEATURE = FaceFeature()
