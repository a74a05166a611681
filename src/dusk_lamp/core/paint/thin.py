"""Thinning and the airbrush: ratios by job, and what goes wrong at the edges."""

from dataclasses import dataclass

from ..datasets import rows
from ..plain import checked, number
from ..units import psi_words


@dataclass(frozen=True)
class Thinning:
    """Parts of paint to parts of water or medium, how it should flow, and what too little or too much does."""

    paint: float
    water: float
    flow: str
    too_thick: str
    too_thin: str


JOBS = {
    row["job"]: Thinning(float(row["paint"]), float(row["water"]), row["flow"], row["too_thick"], row["too_thin"])
    for row in rows("thinning")
}
NEEDLES = tuple(float(row["needle_mm"]) for row in rows("needles"))
LOWEST_PSI, HIGHEST_PSI = 5, 60
DETAIL_MM, DETAIL_FAR_MM = 0.2, 150  # a needle for detail is for close work
LIGHT_VALUE = 7.0  # paints lighter than this run in webs when they are too thin


@dataclass(frozen=True)
class Airbrush:
    """How it is set. needle: mm. psi: at the compressor. distance: mm from nozzle to model. water: parts to one of
    paint."""

    needle: float = number(0.3, 0.1, 1.2, "a needle", "mm")
    psi: float = number(20.0, LOWEST_PSI, HIGHEST_PSI, "pressure", "psi")
    distance: float = number(80.0, 5, 600, "distance", "mm")
    water: float = number(1.0, 0, 20, "thinner", "parts")

    def __post_init__(self) -> None:
        checked(self)


def warnings(airbrush: Airbrush, kind: str, value: float) -> list[str]:
    """What this setting will do that a painter does not want, with the way out. Common practice, CP-5, CP-7, CP-8.

    Args:
        kind: of paint. value: Munsell value of the paint.
    """
    said = []
    a = airbrush
    if kind == "primer" and (a.needle < 0.4 or a.psi < 25):
        said.append(f"Primer wants a 0.4 mm needle and about {psi_words(30)}: through this it clogs or spits.")
    if value >= LIGHT_VALUE and a.water > 2.5 and kind not in ("ink",):
        said.append("So thin a light colour runs in spider webs: less thinner, or thin coats from further away.")
    elif a.water > 2 and a.psi > 25 and a.distance < 50 and kind not in ("ink",):
        said.append(
            "Thin paint, high pressure and close: it is blown into spider legs. Lower the pressure or step back."
        )
    if (a.psi < 15 and a.distance > 100) or (a.needle <= DETAIL_MM and a.psi <= 25 and a.distance > DETAIL_FAR_MM):
        said.append(
            "So little pressure from so far away dries on the way and lands as speckle: come closer or raise the "
            "pressure."
        )
    if value >= LIGHT_VALUE and a.psi < 25 and a.water < 2 and kind != "ink":
        said.append(f"White and light colours want at least {psi_words(25)}, or they spatter.")
    if kind == "ink" and a.psi < 25:
        said.append("Ink wants high pressure so that it dries as it lands; at this it runs.")
    if a.needle <= 0.2 and a.water < 1:
        said.append("A fine needle with thick paint dries at the tip: thin more, add flow improver, wipe the needle.")
    elif a.psi >= 30 and a.water < 1.5 and kind != "primer":
        said.append("At 30 psi the tip dries soon: add flow improver and limit the trigger.")
    if a.distance < 25 and a.needle >= 0.4:
        said.append("So close with a wide needle the surface floods: step back or take the fine needle.")
    return said
