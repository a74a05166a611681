"""Which facet of a polished thing is dark? (craft page, section 11)"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..errors import SettingError
from ..sculpt.site import Site
from ..view.camera import Camera
from .drill import Drill, Question, drawn, numbers_in, plain_form, spots_seen, view_of

SPOTS = 5
SKY, HORIZON, GROUND = 8.8, 1.8, 5.0  # values of the small world that is mirrored: bright, near black, middle


def mirrored_value(normals: NDArray, view: NDArray) -> NDArray[np.float64]:
    """(M,) what polished metal shows of a bright sky, a dark horizon and a middle ground, seen from a direction (3,).
    Source: the law of reflection; the world is the customary one of painted metal, craft page, section 11."""
    n = normals.astype(float)
    out = 2 * (n @ view)[:, None] * n - view
    height = np.degrees(np.arcsin(np.clip(out[:, 2], -1, 1)))
    return np.interp(height, [-60, -14, -6, 4, 14, 60], [GROUND, GROUND, HORIZON, HORIZON, SKY, SKY])


class DarkFacet(Drill):
    """Metal shows a reflection: near-black beside near-white."""

    name, title, order = "dark-facet", "Which facet is dark?", 90
    teaches = "Ask what each plane mirrors: the sky above, the dark line of the horizon, or the ground."
    unit, poor = "steps of value", 5.0

    def make(self, site: Site, seed: int) -> Question:
        """Five spots, of which one mirrors the horizon."""
        rng = np.random.default_rng([9, seed])
        camera = view_of(rng)
        spots = spots_seen(site, camera, rng, 2500)
        view = direction_of(camera.azimuth, camera.elevation).astype(float)
        value = mirrored_value(site.surface.normals[spots], view)
        dark, others = spots[value < HORIZON + 0.4], spots[value > HORIZON + 1.8]
        if not len(dark) or len(others) < SPOTS - 1:
            raise SettingError("nothing of this sculpt mirrors the horizon from the front; take another")
        chosen = [int(rng.choice(dark)), *(int(s) for s in rng.choice(others, SPOTS - 1, replace=False))]
        order = rng.permutation(SPOTS)
        shown = [chosen[k] for k in order]
        values = mirrored_value(site.surface.normals[shown], view)
        truth = int(np.argmin(values)) + 1
        data = {"view": [camera.azimuth, camera.elevation], "spots": shown, "values": np.round(values, 2).tolist()}
        why = "They mirror values " + ", ".join(f"{k + 1}: {v:.1f}" for k, v in enumerate(values)) + "."
        question = "Were it polished metal under an open sky, which of the spots would be darkest?"
        return Question(self.name, seed, question, "choice", self.unit, data, truth, why)

    def error(self, question: Question, answer: Any) -> float:
        """Steps that the chosen spot is lighter than the darkest."""
        k = int(numbers_in(answer, 1)[0])
        values = question.data["values"]
        if not 1 <= k <= len(values):
            raise SettingError(f"choose one of the spots 1 to {len(values)}")
        return float(values[k - 1] - min(values))

    def picture(self, site: Site, question: Question, solved: bool = False) -> NDArray[np.uint8]:
        """The form with the spots; solved: as metal."""
        camera = Camera(*question.data["view"])
        view = direction_of(camera.azimuth, camera.elevation).astype(float)
        values = mirrored_value(site.surface.normals, view).astype(np.float32) if solved else plain_form(site, camera)
        return drawn(site, camera, values, question.data["spots"])


DRILL = DarkFacet()
