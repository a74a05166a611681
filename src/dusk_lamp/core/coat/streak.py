"""Streaks: rust or grime that runs straight down from chips, along the steepest way."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..plain import checked, number
from ..sculpt.site import Site
from .chip import chips_of
from .technique import Technique, film_um

FLAT = 0.12  # of a step downward: where it is flatter, a drop stays
WIDTH_SHARE = 0.12 / 32  # of a streak over the size of the model; from memory
MOST_STREAKS = 250


@dataclass(frozen=True)
class StreakSettings:
    """film_um: where a streak begins. amount: of chips that run. length: mm. seed: which chips they come from."""

    film_um: float = film_um(4.0)
    amount: float = number(0.25, 0, 1, "how much streaks", step=0.05, form="Streaked", slide=1)
    length: float = number(4.0, 0.2, 200, "the length of a streak", "mm", step=0.5, form="Length, mm")
    seed: int = number(1, 0, 2**31, "the pattern", step=1, form="Pattern")

    def __post_init__(self) -> None:
        checked(self)


def run_down(site: Site, start: int, length: float, step: float) -> list[NDArray[np.float64]]:
    """The places (3,) mm of a drop that runs down from a sample along the skin, step by step."""
    points = site.surface.points.astype(np.float64)
    tree = site.tree
    at, row, out = points[start], start, [points[start]]
    for _ in range(int(np.ceil(length / step))):
        n = site.surface.normals[row].astype(np.float64)
        down = np.array([0.0, 0.0, -1.0]) + n[2] * n
        steep = float(np.linalg.norm(down))
        if steep < FLAT or not n.any():
            break
        ahead = at + step * down / steep
        row = int(tree.query(ahead)[1])
        # back onto the skin: the plane of the nearest sample, which has its own say in where the skin is
        normal = site.surface.normals[row].astype(np.float64)
        ahead -= normal * ((ahead - points[row]) @ normal)
        if np.linalg.norm(ahead - points[row]) > 3 * step + 2 * site.surface.spacing:
            break  # off the end of the skin
        at = ahead
        out.append(at)
    return out


class Streak(Technique):
    """Source: common practice, craft page, section 12: straight down from chips."""

    name, order, title = "streaks", 64, "Streaks"
    Settings = StreakSettings
    handling, pace = 1.0, 300.0
    fine = costly = True
    when_to_stop = "Stop when each streak is thin and fades before the next edge."
    mishap = ("A streak is a stripe.", "Pull a damp, clean brush down beside it until it fades.")

    def film(self, site: Site, settings: StreakSettings, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) fading downward."""
        spots = chips_of(site, settings.amount, settings.seed)
        order = np.argsort(-spots.radii, kind="stable")[:MOST_STREAKS]
        width = WIDTH_SHARE * site.surface.size
        step = max(width, site.surface.spacing)
        tree = site.tree
        out = np.zeros(len(site), np.float32)
        for k in order:
            path = run_down(site, int(spots.middles[k]), settings.length, step)
            for m, place in enumerate(path):
                share = 1 - m * step / max(settings.length, step)
                near = tree.query_ball_point(place, max(width * (0.4 + 0.6 * share), 0.75 * site.surface.spacing))
                out[near] = np.maximum(out[near], np.float32(settings.film_um * max(share, 0.0)))
        return out

    def how(self, settings: StreakSettings) -> str:
        """In a step's words."""
        return (
            "Thin it well, set a dot under a chip, and pull it straight down with a damp, pointed brush until it "
            "fades."
        )


TECHNIQUE = Streak()
