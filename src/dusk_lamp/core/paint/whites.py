"""Whites and blacks: hardly anything seen as white is white, and a black lives from its tint, so each is a recipe of
its own (CP-24), with a ration: how much of it may be lighter than a limit (CP-14)."""

from dataclasses import dataclass

from ..datasets import rows
from ..errors import SettingError
from .colour import colour_of_hex
from .mix import Mix, nearest_mix
from .rack import Rack

OPAQUE = ("base", "layer")  # kinds that they are mixed from


@dataclass(frozen=True)
class White:
    """One of them, a white or a black.

    colour: `#rrggbb` of its base. shadow, light: what those lean to. low, middle, high: Munsell values. limit, share:
    at most this share of it is lighter than that.
    """

    name: str
    colour: str
    shadow: str
    light: str
    low: float
    middle: float
    high: float
    limit: float
    share: float

    @property
    def words(self) -> str:
        """Its ration in a sentence."""
        return f"lighter than value {self.limit:g} on {100 * self.share:.0f} % of it at most"


def _white(row: dict[str, str]) -> White:
    numbers = (float(row[k]) for k in ("low", "middle", "high", "limit", "share"))
    return White(row["name"], row["colour"], row["shadow"], row["light"], *numbers)


WHITES = {row["name"]: _white(row) for row in rows("whites")}


def white_called(name: str) -> White | None:
    """The white or black of a name; None where it is none."""
    return WHITES.get(name.strip().casefold())


def mix_of(white: White, rack: Rack) -> Mix | None:
    """Its base as it is mixed from a rack; None where there is nothing opaque on it."""
    paints = [p for p in rack if p.kind in OPAQUE]
    try:
        return nearest_mix(colour_of_hex(white.colour).lab, paints)
    except SettingError:
        return None
