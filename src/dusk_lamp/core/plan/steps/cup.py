"""The airbrush's cup (CP-34): one sprayed colour grows out of what the last one leaves in it, and when it has to be
rinsed."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import atan2, ceil, degrees

from ...coat.coat import Coat
from ...paint.adding import grown
from ...paint.mix import Mix

LEAST_DROPS = 4.0  # fewer do not reach the needle; from memory
YELLOW_HUES, YELLOW_CHROMA = (75.0, 110.0), 30.0  # L*a*b* hue in degrees: any rest of another colour shows in it


@dataclass(frozen=True)
class Cup:
    """What is done with the cup for one coat. drops: put in, by paint; rest: drops left in it from the last, that
    these are added to; leaves: drops of it that the next one takes; both of paint, and as a painter counts them in
    the cup, thinner and all: rest_wet, leaves_wet. rinsed: whether it is cleaned before; kept: not after.
    same: whether it goes on with the mix that is in it."""

    drops: dict[str, int] = field(default_factory=dict)
    rest: int = 0
    leaves: int = 0
    rinsed: bool = False
    kept: bool = False
    same: bool = False
    yellow: bool = False
    rest_wet: int = 0
    leaves_wet: int = 0

    @property
    def words(self) -> str:
        """In sentences; "" where it is a clean cup like any other."""
        if self.same:
            return "From the same cup: it was filled for this as well."
        if self.rest:
            return f"Do not rinse: into the last {self.rest_wet} drops in the cup, thinner and all."
        if self.yellow and self.rinsed:
            return "Rinse the cup well first: a rest of any other colour shows in a yellow."
        return "Rinse the cup first." if self.rinsed else ""


def is_yellow(mix: Mix) -> bool:
    """Whether a mix is a yellow, which takes no rest of another colour."""
    looks = mix.colour
    hue = degrees(atan2(looks.b, looks.a)) % 360
    return YELLOW_HUES[0] <= hue <= YELLOW_HUES[1] and looks.chroma >= YELLOW_CHROMA


def cups_of(coats: Sequence[Coat], ml: Sequence[float], drops_per_ml: float) -> list[Cup | None]:
    """The cup of every coat; None for what is not sprayed from one. ml: of paint out of the bottle each takes, for
    all models.

    A mix grows out of the one before it where that holds the same paints, or one of them, and only another has to be
    added; never a yellow; never from primer, whose rest clogs the needle.
    """
    out: list[Cup | None] = [None] * len(coats)
    runs: list[list[int]] = []  # coats that follow each other with one mix; none where a brush comes between
    for k, coat in enumerate(coats):
        if coat.muted:
            continue
        if coat.by.tool(coat.settings) != "airbrush":
            runs.append([])
        elif runs and runs[-1] and coats[runs[-1][0]].mix == coat.mix:
            runs[-1].append(k)
        else:
            runs.append([k])
    leaves = 0  # drops that the run after takes
    for n in range(len(runs) - 1, -1, -1):
        if not runs[n]:
            continue
        first, *more = runs[n]
        mix = coats[first].mix
        before = coats[runs[n - 1][0]] if n and runs[n - 1] else None
        wants = max(LEAST_DROPS, sum(ml[k] for k in runs[n]) * drops_per_ml) + leaves
        rest, drops = _from(before, coats[first], wants)
        rinsed = before is not None and not rest
        wet = 0 if before is None else _wet(before, rest)
        left_over = leaves if not more else 0  # what is left is left by the last of a run
        out[first] = Cup(
            drops,
            rest,
            left_over,
            rinsed,
            bool(leaves or more),
            yellow=is_yellow(mix),
            rest_wet=wet,
            leaves_wet=_wet(coats[first], left_over),
        )
        for k in more:
            left_over = leaves if k == more[-1] else 0
            out[k] = Cup(
                {}, 0, left_over, kept=bool(leaves or k != more[-1]), same=True, leaves_wet=_wet(coats[k], left_over)
            )
        leaves = rest
    return out


def _wet(coat: Coat, drops: int) -> int:
    """So many drops of a coat's paint, with the thinner that is in them."""
    return round(drops * (1 + coat.by.water(coat.settings)))


def _from(before: Coat | None, coat: Coat, wants: float) -> tuple[int, dict[str, int]]:
    """Drops taken of the last mix, and what is put in."""
    parts = coat.mix.counted()
    if before is not None and not before.by.primes and not before.mix.clear and not is_yellow(coat.mix):
        found = grown(before.mix.counted(), parts, wants)
        if found is not None:
            return found
    times = max(1, ceil(wants / sum(parts.values())))
    return 0, {name: n * times for name, n in parts.items()}
