"""The steps of a grey-ladder zenithal (school A): what to spray, from where, how much of the sculpt, what to mind."""

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ..light.rig import Rig
from ..paint.value import grey_hex, lightness_from_luminance, luminance_from_munsell
from ..sculpt.surface import Surface
from .cautions import cautions_for
from .ladder import Bands

PSI_TO_KPA = 6.894757


@dataclass(frozen=True)
class Step:
    """One step of the plan.

    number: from 1, in working order. value: Munsell; lightness: L*; hex: the printed swatch. covered: share of the
    surface (0..1) this grey goes on; left: share on which it stays visible in the end; both also in mm².
    """

    number: int
    title: str
    value: float
    lightness: float
    hex: str
    covered: float
    covered_mm2: float
    left: float
    left_mm2: float
    where: str
    how: str
    cautions: list[str]

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return asdict(self)


def _psi(psi: int) -> str:
    return f"{psi} psi ({psi * PSI_TO_KPA:.0f} kPa)"


def bearing(azimuth: float) -> str:
    """A direction on the ground in words, as the viewer sees the figure."""
    names = (
        "the front",
        "the front right",
        "the right",
        "the back right",
        "the back",
        "the back left",
        "the left",
        "the front left",
    )
    return names[int(((azimuth + 22.5) % 360) // 45)]


def _where(surface: Surface, bands: Bands, k: int) -> str:
    """Where this step's light comes from: the mean direction its spots face, weighted by area."""
    on = bands.step >= k
    if not on.any():
        return "Nowhere: no spot is bright enough."
    mean = (surface.normals[on] * surface.areas[on, None]).sum(axis=0, dtype=np.float64)
    length = float(np.linalg.norm(mean))
    spread = length / max(float(surface.areas[on].sum()), 1e-9)
    if spread < 0.25:
        return "From all round: above, the sides and a little from below, leaving the deepest recesses."
    elevation = float(np.degrees(np.arcsin(np.clip(mean[2] / length, -1, 1))))
    azimuth = float(np.degrees(np.arctan2(mean[0], -mean[1])))
    side = bearing(azimuth)
    if elevation > 75:
        return "From straight above."
    if elevation > 10:
        return f"From about {round(elevation / 5) * 5:.0f}° above level, from {side}."
    if elevation > -15:
        return f"From level, from {side}."
    return f"From below, about {-round(elevation / 5) * 5:.0f}° under level, from {side}."


def ladder_steps(surface: Surface, bands: Bands, rig: Rig) -> list[Step]:
    """The plan's steps, darkest first: each lighter grey lies inside the one before (CP-16) and covers less.

    Settings are those of the craft page: primer by can or airbrush CP-4 and CP-5, greys CP-6, details and white CP-7.
    """
    whole = max(float(bands.area_mm2.sum()), 1e-9)
    last = len(bands.greys) - 1
    steps = []
    for k, grey in enumerate(bands.greys):
        covered, left = float(bands.covered_mm2[k]), float(bands.area_mm2[k])
        if k == 0:
            title, where = "Prime everything", "The whole sculpt, recesses first, until nothing but primer shows."
            how = (
                "Can: 36–38 cm away, short bursts that begin and end past the model, matt. "
                f"Airbrush: 0.4 mm needle, {_psi(30)}, three thin coats."
            )
            tags: tuple[str, ...] = ("can", "airbrush", "resin", "small parts")
        else:
            where = _where(surface, bands, k)
            tags = ("airbrush",)
            if k == last:
                title = "White, and no more of it than this" if grey > 9 else "The lightest grey"
                how = (
                    f"0.2 mm needle, at least {_psi(25)} for white, close to the model; at {_psi(30)} stay, add flow improver and "
                    "limit the trigger. Only tips, top edges and the focal point."
                )
            elif k == 1:
                title = "Dark grey, nearly everywhere"
                how = (
                    f"0.2–0.4 mm needle, {_psi(20)}–{_psi(25)}. This coat matters most: it carries the detail. "
                    "Leave the deepest recesses and the undersides alone."
                )
            else:
                title = f"Grey {k} of {last}"
                how = f"0.2 mm needle, {_psi(20)}–{_psi(25)}, thin coats, a little less wide than the grey before."
            if k == last and not left:
                where = "Nowhere by this plan: " + (bands.notice or "no spot is bright enough.")
        lightness = float(lightness_from_luminance(luminance_from_munsell(grey)))
        steps.append(
            Step(
                number=k + 1,
                title=title,
                value=float(grey),
                lightness=lightness,
                hex=grey_hex(grey),
                covered=covered / whole,
                covered_mm2=covered,
                left=left / whole,
                left_mm2=left,
                where=where,
                how=how,
                cautions=cautions_for(*tags),
            )
        )
    return steps


def rig_words(rig: Rig) -> str:
    """The light in one line."""
    if rig.lamp is None:
        said = "No lamp"
    elif rig.lamp.elevation > 80:
        said = "Lamp straight above"
    elif rig.lamp.elevation < -5:
        said = f"Lamp below, {-rig.lamp.elevation:.0f}° under level, from {bearing(rig.lamp.azimuth)}"
    else:
        said = f"Lamp {rig.lamp.elevation:.0f}° above level, from {bearing(rig.lamp.azimuth)}"
    if rig.lamp is not None:
        said += ", hard" if rig.lamp.size < 2 else f", {rig.lamp.size:.0f}° wide"
    sky = f"; {rig.sky_kind} sky {rig.sky:.2f}" if rig.sky else "; no sky"
    return said + sky + (f"; ground sends back {rig.bounce * 100:.0f} %." if rig.bounce else ".")
