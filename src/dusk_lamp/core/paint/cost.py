"""How much paint: from area and film to millilitres and drops."""

from dataclasses import dataclass
from typing import Any

from ..errors import SettingError

# share of the paint that stays on the model; common practice, from memory
EFFICIENCY = {"brush": 0.9, "airbrush": 0.4, "can": 0.25}
DROPS_PER_ML = 22.0  # a dropper bottle's drop is about 0.045 ml; count yours
LEAST_DROPS = 1


@dataclass(frozen=True)
class Amount:
    """Paint out of the bottle for one coat or more."""

    ml: float
    drops: float

    def as_dict(self) -> dict[str, float]:
        """Plain values, for JSON."""
        return {"ml": round(self.ml, 3), "drops": round(self.drops, 1)}


def amount(
    area: float,
    film_um: float,
    solids: float,
    coats: float = 1,
    tool: str = "brush",
    drops_per_ml: float = DROPS_PER_ML,
    efficiency: float | None = None,
) -> Amount:
    """Paint for an area (mm²) at a dry film (µm) a coat: area × film ÷ solids ÷ transfer efficiency.

    Raises:
        SettingError: an unknown tool, or a number outside its range.
    """
    if tool not in EFFICIENCY:
        raise SettingError(f"paint goes on by {', '.join(EFFICIENCY)}, not by {tool}")
    share = EFFICIENCY[tool] if efficiency is None else efficiency
    if not (0 < share <= 1 and 0 < solids <= 1 and drops_per_ml > 0 and area >= 0 and film_um >= 0 and coats >= 0):
        raise SettingError("an area, a film, coats, solids, drops and efficiency are positive numbers")
    ml = area * film_um * 1e-3 * coats / solids / share / 1000  # mm² × µm = 10⁻³ mm³; 1000 mm³ are 1 ml
    return Amount(ml, ml * drops_per_ml)


def drops_for(parts: dict[str, int], wanted_ml: float, drops_per_ml: float = DROPS_PER_ML) -> dict[str, int]:
    """Whole drops of each paint, in the mix's proportions, that give at least the wanted amount."""
    whole = sum(parts.values())
    if whole <= 0:
        raise SettingError("a mix needs at least one part of some paint")
    rounds = max(LEAST_DROPS, -(-int(-(-wanted_ml * drops_per_ml // 1)) // whole))
    return {name: int(n * rounds) for name, n in parts.items()}


def shopping(paints: list[Any]) -> list[dict[str, Any]]:
    """What to buy: every paint that is low, by kind and name."""
    return [
        {"name": p.name, "kind": p.kind, "stock_ml": p.stock_ml, "low_ml": p.low_ml}
        for p in sorted(paints, key=lambda p: (p.kind, p.name.casefold()))
        if p.low
    ]
