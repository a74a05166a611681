"""The tools: what a painter has at the table, and what may be proposed with it (craft page, section 5, the five
schools)."""

import math
from dataclasses import dataclass, field

from ..errors import SettingError
from ..paint.thin import HIGHEST_PSI, LOWEST_PSI, NEEDLES
from ..plain import checked, number
from ..units import DROPS_PER_ML
from .room import Room

SLOW_KINDS = ("oil", "texture")  # no dryer on these: solvents, and pastes that crack
DRIED_SHARE = 1 / 3  # of a wait is left with a hair dryer; common practice, from memory
PRIMER_NEEDLE = 0.4  # CP-5
BRUSHES_MM = (1.0, 2.0, 4.0, 10.0)  # widths one can have: detail, layer, base, dry brush
VARNISHES = ("gloss", "satin", "matt")


@dataclass(frozen=True)
class Tools:
    """needles: of the airbrush, mm. highest_psi: what the compressor gives. brushes: widths, mm. drops_per_ml: of a
    dropper bottle. room: where it dries."""

    airbrush: bool = True
    can: bool = True
    dryer: bool = False
    needles: tuple[float, ...] = (0.2, 0.3, 0.4)
    brushes: tuple[float, ...] = BRUSHES_MM
    varnishes: tuple[str, ...] = VARNISHES
    highest_psi: float = number(40.0, LOWEST_PSI, HIGHEST_PSI, "what your compressor gives", "psi", step=1)
    room: Room = field(default_factory=Room)
    drops_per_ml: float = number(DROPS_PER_ML, 5, 60, "drops in a millilitre", step=0.5)

    def __post_init__(self) -> None:
        checked(self)
        if any(n not in NEEDLES for n in self.needles):
            raise SettingError(f"a needle is one of {', '.join(f'{n:g}' for n in NEEDLES)} mm")
        if not all(math.isfinite(b) and 0.2 <= b <= 60 for b in self.brushes):
            raise SettingError("a brush is between 0.2 and 60 mm wide")
        if any(v not in VARNISHES for v in self.varnishes):
            raise SettingError(f"a varnish is one of {', '.join(VARNISHES)}")

    @property
    def sprays(self) -> bool:
        """Whether there is an airbrush that can be used."""
        return self.airbrush and bool(self.needles)

    @property
    def primes_with(self) -> str:
        """What primer goes on with: a wide needle, a can, or a brush."""
        if self.sprays and max(self.needles) >= PRIMER_NEEDLE:
            return "airbrush"
        return "can" if self.can else "brush"

    def needle(self, wanted: float) -> float:
        """The needle nearest to one."""
        return min(self.needles, key=lambda n: abs(n - wanted))

    def psi(self, wanted: float) -> float:
        """A pressure, or what there is of it."""
        return min(wanted, self.highest_psi)

    def brush(self, wanted: float) -> float | None:
        """The widest brush that is not wider than so many mm, or the finest; None where there is none."""
        fit = [b for b in self.brushes if b <= wanted]
        return max(fit) if fit else min(self.brushes, default=None)

    def lack(self, *needs: str) -> str:
        """What is missing for what can be done with any one of some tools (airbrush, can), in words; "" where it can
        be done, or needs none."""
        owned = {"airbrush": self.sprays, "can": self.can}
        if not needs or any(owned[tool] for tool in needs):
            return ""
        return "needs " + " or ".join({"airbrush": "an airbrush", "can": "a can"}[tool] for tool in needs)

    def wait(self, minutes: float, kind: str) -> float:
        """How long a wait of a kind of paint is with what there is, in the room as it is."""
        minutes *= self.room.wait(kind)
        return minutes * DRIED_SHARE if self.dryer and kind not in SLOW_KINDS else minutes


EVERYTHING = Tools()
