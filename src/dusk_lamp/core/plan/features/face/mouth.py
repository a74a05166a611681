"""The mouth: the lower lip a little lighter than the upper, teeth that keep dark gaps (common practice, CP-33)."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....errors import SettingError
from ....paint.mix import nearest_mix, only
from ....paint.rack import Rack
from ....sculpt.site import Site, Where
from ...brief import COLOUR
from .eyes import LEAST_DOT_MM, frame_of

MOUTH = "mouth"
# proportions of a face from memory, in distances between the pupils (63 mm): the mouth's line lies 1.05 below the
# eyes, is 0.8
# wide; each lip is 0.13 high, a front tooth 0.13 wide and 0.14 high, and about six of them show
DOWN, WIDE, LIP, TOOTH, TALL, SHOWN = 1.05, 0.80, 0.13, 0.13, 0.14, 6
GAP = 0.25  # of a tooth stays dark
DEEP = 1.2  # so far in front of and behind the mouth's line its skin may lie
UPPER, LOWER = (
    np.array([42.0, 26.0, 16.0]),
    np.array([54.0, 28.0, 18.0]),
)  # L*a*b*, the lower lip lighter; from memory
DARK, BONE = np.array([14.0, 8.0, 6.0]), np.array([80.0, 2.0, 14.0])


def mouth_coats(site: Site, left: NDArray, right: NDArray, rack: Rack, teeth: bool) -> list[Coat]:
    """The lips as coats, and the teeth of an open mouth: dark first, each tooth by itself after.

    Args:
        left, right: (3,) mm, the middles of the model's own eyes. teeth: whether they show.
    Raises:
        SettingError: no skin lies where the mouth would be, or the rack has nothing to mix it from.
    """
    across, ahead, up, _ = frame_of(site.surface, left, right)
    apart = float(np.linalg.norm(np.asarray(left) - np.asarray(right)))
    middle = (np.asarray(left, float) + np.asarray(right, float)) / 2 - DOWN * apart * up
    off = site.surface.points.astype(float) - middle
    x, y, z = off @ across / apart, off @ up / apart, off @ ahead / apart
    near = (site.surface.normals @ ahead > 0) & (np.abs(z) < DEEP) & site.paintable
    brushed = [p for p in rack if p.kind in ("base", "layer")]
    if not brushed:
        raise SettingError("there is no base or layer paint on the rack to paint a mouth with")

    def lens(low: float, high: float) -> NDArray[np.bool_]:
        """(N,) between two heights at the middle, running out to the corners."""
        narrows = np.sqrt(np.clip(1 - (2 * x / WIDE) ** 2, 0, 1))
        return near & (np.abs(x) <= WIDE / 2) & (y >= low * narrows) & (y <= high * narrows)

    def laid(on: NDArray[np.bool_], wanted: NDArray[np.float64], label: str, water: float = 1.0) -> Coat:
        coat = usual_coat("brush", nearest_mix(wanted, brushed), f"Face: {label}", COLOUR)
        return replace(coat.with_settings({"water": water}), where=Where.some(on), way=MOUTH)

    open_ = TALL / 2 if teeth else 0.0
    upper, lower = lens(open_, open_ + LIP), lens(-open_ - LIP, -open_)
    if not upper.any() and not lower.any():
        raise SettingError("there is no skin where the mouth would be; check that both eyes are marked on the face")
    if LIP * apart < LEAST_DOT_MM:
        wash = min((p for p in rack if p.kind == "wash"), key=lambda p: -p.looks.a, default=None)
        if wash is None:
            return [laid(lower | upper, UPPER, "one stroke for both lips, too small for more")]
        coat = usual_coat("wash", only(wash), "Face: a wash along the mouth, too small for more", COLOUR)
        return [replace(coat, where=Where.some(lower | upper), way=MOUTH)]
    coats = [laid(upper, UPPER, "upper lip"), laid(lower, LOWER, "lower lip, a little lighter")]
    if not teeth:
        return [c for c in coats if c.where.samples(len(site)).any()]
    inside = lens(-open_, open_)
    coats.append(laid(inside, DARK, "inside of the mouth dark"))
    across_teeth = np.mod(x / TOOTH, 1.0)
    single = inside & (np.abs(x) <= SHOWN / 2 * TOOTH) & (across_teeth >= GAP / 2) & (across_teeth <= 1 - GAP / 2)
    if TOOTH * apart < LEAST_DOT_MM or not single.any():
        coats.append(laid(inside & (y > 0), BONE, "one off-white stroke for the upper teeth, too small for gaps"))
    else:
        coats.append(laid(single, BONE, "each tooth by itself, the dark left between"))
    return [c for c in coats if c.where.samples(len(site)).any()]
