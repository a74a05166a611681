"""The tools: what a painter has at the table, and what may be proposed with it (craft page, section 5, the five
schools)."""

import math
from dataclasses import dataclass, field

from ..errors import SettingError
from ..paint.thin import HIGHEST_PSI, LOWEST_PSI, NEEDLES
from ..plain import Range, checked, number
from ..units import DROPS_PER_ML
from .room import Room

SLOW_KINDS = ("oil", "texture")  # no dryer on these: solvents, and pastes that crack
DRIED_SHARE = 1 / 3  # of a wait is left with a hair dryer; common practice, from memory
PRIMER_NEEDLE = 0.4  # CP-5
BRUSHES_MM = (1.0, 2.0, 4.0, 10.0)  # widths one can have: detail, layer, base, dry brush
BRUSH_MM = Range("a brush's width", 0.2, 60, "mm")
VARNISHES = ("gloss", "satin", "matt")
SLOWEST = (0.1, 10.0)  # times the estimate that a hand may take
SMALL_MM2, LARGE_MM2 = 25.0, 200.0  # of a step: a strap, a cloak; from memory


def size_of(mm2: float) -> str:
    """small, middle or large: how much a step goes on."""
    return "small" if mm2 < SMALL_MM2 else "middle" if mm2 < LARGE_MM2 else "large"


@dataclass(frozen=True)
class Tools:
    """needles: of the airbrush, mm. highest_psi: what the compressor gives. brushes: widths, mm. drops_per_ml: of a
    dropper bottle. room: where it dries. pace: times that the hand takes what is estimated, by technique, by
    “technique size”, and for any other by “all”; see core.log.pace."""

    airbrush: bool = True
    can: bool = True
    dryer: bool = False
    needles: tuple[float, ...] = (0.2, 0.3, 0.4)
    brushes: tuple[float, ...] = BRUSHES_MM
    varnishes: tuple[str, ...] = VARNISHES
    highest_psi: float = number(40.0, LOWEST_PSI, HIGHEST_PSI, "what your compressor gives", "psi", step=1)
    room: Room = field(default_factory=Room)
    pace: dict[str, float] = field(default_factory=dict)
    drops_per_ml: float = number(DROPS_PER_ML, 5, 60, "drops in a millilitre", step=0.5)

    def __post_init__(self) -> None:
        checked(self)
        if any(n not in NEEDLES for n in self.needles):
            raise SettingError(f"a needle is one of {', '.join(f'{n:g}' for n in NEEDLES)} mm")
        if not all(math.isfinite(b) and 0.2 <= b <= 60 for b in self.brushes):
            raise SettingError("a brush is between 0.2 and 60 mm wide")
        for name, times in self.pace.items():
            if isinstance(times, bool) or not isinstance(times, int | float) or not SLOWEST[0] <= times <= SLOWEST[1]:
                raise SettingError(
                    f"a pace is between {SLOWEST[0]:g} and {SLOWEST[1]:g}, not {str(times)[:20]} ({name[:40]})"
                )
        if any(v not in VARNISHES for v in self.varnishes):
            raise SettingError(f"a varnish is one of {', '.join(VARNISHES)}")

    def paced(self, technique: str, mm2: float) -> float:
        """Times the estimate that this painter takes for a technique on so many mm²."""
        if not self.pace:
            return 1.0
        return self.pace.get(f"{technique} {size_of(mm2)}", self.pace.get(technique, self.pace.get("all", 1.0)))

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
