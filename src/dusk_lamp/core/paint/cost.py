"""How much paint: from area and film to millilitres and drops."""

from dataclasses import dataclass
from typing import Any

from ..datasets import rows
from ..errors import SettingError
from ..plain import rounded
from ..units import DROPS_PER_ML, counted, film_ml

EFFICIENCY = {
    row["tool"]: float(row["efficiency"]) for row in rows("tools")
}  # share of the paint that ends on the model
LEAST_DROPS = 1


@dataclass(frozen=True)
class Amount:
    """Paint out of the bottle for one coat or more."""

    ml: float = rounded(3)
    drops: float = rounded(1)


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
    ml = film_ml(area * film_um) * coats / solids / share
    return Amount(ml, ml * drops_per_ml)


def drops_for(parts: dict[str, int], wanted_ml: float, drops_per_ml: float = DROPS_PER_ML) -> dict[str, int]:
    """Whole drops of each paint, in the mix's proportions, that give at least the wanted amount."""
    whole = sum(parts.values())
    if whole <= 0:
        raise SettingError("a mix needs at least one part of some paint")
    rounds = max(LEAST_DROPS, -(-int(-(-wanted_ml * drops_per_ml // 1)) // whole))
    return {name: int(n * rounds) for name, n in parts.items()}


def drop_words(drops: dict[str, int]) -> str:
    """“3 drops of Soot, 1 of Chalk”."""
    first, *others = drops.items()
    return ", ".join(
        [f"{counted(first[1], 'drop', 'drops')} of {first[0]}", *(f"{n} of {name}" for name, n in others)]
    )


def shopping(paints: list[Any]) -> list[dict[str, Any]]:
    """What to buy: every paint that is low, by kind and name."""
    return [
        {"name": p.name, "kind": p.kind, "stock_ml": p.stock_ml, "low_ml": p.low_ml}
        for p in sorted(paints, key=lambda p: (p.kind, p.name.casefold()))
        if p.low
    ]
