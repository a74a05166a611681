"""Thinning and the airbrush: ratios by job, and what goes wrong at the edges."""

from dataclasses import dataclass

from ..errors import SettingError

KPA_PER_PSI = 6.894757


@dataclass(frozen=True)
class Thinning:
    """Parts of paint to parts of water or medium, how it should flow, and what too little or too much does."""

    paint: float
    water: float
    flow: str
    too_thick: str
    too_thin: str


JOBS = {  # CP-20, common practice
    "base coat": Thinning(4, 1, "like cream", "brush marks stay and detail fills", "it takes more coats to hide"),
    "layer": Thinning(3, 1, "like milk", "steps show as ridges", "the step before shows through; let it dry and repeat"),
    "fine highlight": Thinning(1, 1, "like skimmed milk", "the line drags and breaks", "it runs into the next edge; wick the brush"),
    "glow tint": Thinning(1, 1, "like skimmed milk, with medium", "it hides what it should tint", "it pools at the rim"),
    "glaze": Thinning(1, 3, "the nail shows through it", "it covers the sketch at once", "tide marks: wick the brush first"),
    "verdigris wash": Thinning(1, 5, "like water", "it stains the raised parts", "it needs a second wash when dry"),
    "one-coat over panels": Thinning(1, 1, "like milk, two coats (CP-19)", "it pools and blotches on flat panels", "it needs another coat"),
    "metallic": Thinning(1, 0, "neat", "flakes clump: stir well", "flakes swim apart and the metal goes dull"),
}  # fmt: skip
VISCOSITY = ("neat", "cream", "milk", "skimmed milk", "water")  # classes, thick to thin
NEEDLES = (0.2, 0.3, 0.4, 0.5)
LOWEST_PSI, HIGHEST_PSI = 5, 60
LIGHT_VALUE = 7.0  # paints lighter than this run in webs when they are too thin


@dataclass(frozen=True)
class Airbrush:
    """How it is set. needle: mm. psi: at the compressor. distance: mm from nozzle to model. water: parts to one of paint."""

    needle: float = 0.3
    psi: float = 20.0
    distance: float = 80.0
    water: float = 1.0

    def __post_init__(self) -> None:
        for name, value, low, high in (
            ("a needle (mm)", self.needle, 0.1, 1.2),
            ("pressure (psi)", self.psi, LOWEST_PSI, HIGHEST_PSI),
            ("distance (mm)", self.distance, 5, 600),
            ("thinner (parts)", self.water, 0, 20),
        ):
            if not low <= value <= high:
                raise SettingError(f"{name} is between {low:g} and {high:g}, not {value:g}")

    @property
    def kpa(self) -> float:
        """The pressure in kPa."""
        return self.psi * KPA_PER_PSI


def warnings(airbrush: Airbrush, kind: str, value: float) -> list[str]:
    """What this setting will do that a painter does not want, with the way out. Common practice, CP-5, CP-7, CP-8.

    Args:
        kind: of paint. value: Munsell value of the paint.
    """
    said = []
    a = airbrush
    if kind == "primer" and (a.needle < 0.4 or a.psi < 25):
        said.append("Primer wants a 0.4 mm needle and about 30 psi (207 kPa): through this it clogs or spits.")
    if value >= LIGHT_VALUE and a.water > 2.5 and kind not in ("ink",):
        said.append("So thin a light colour runs in spider webs: less thinner, or thin coats from further away.")
    elif a.water > 2 and a.psi > 25 and a.distance < 50 and kind not in ("ink",):
        said.append(
            "Thin paint, high pressure and close: it is blown into spider legs. Lower the pressure or step back."
        )
    if a.psi < 15 and a.distance > 100:
        said.append(
            "Low pressure from far away dries on the way and lands as speckle: come closer or raise the pressure."
        )
    if value >= LIGHT_VALUE and a.psi < 25 and a.water < 2 and kind != "ink":
        said.append("White and light colours want at least 25 psi (172 kPa), or they spatter.")
    if kind == "ink" and a.psi < 25:
        said.append("Ink wants high pressure so that it dries as it lands; at this it runs.")
    if a.needle <= 0.2 and a.water < 1:
        said.append("A fine needle with thick paint dries at the tip: thin more, add flow improver, wipe the needle.")
    elif a.psi >= 30 and a.water < 1.5 and kind != "primer":
        said.append("At 30 psi the tip dries soon: add flow improver and limit the trigger.")
    if a.distance < 25 and a.needle >= 0.4:
        said.append("So close with a wide needle the surface floods: step back or take the fine needle.")
    return said
