"""Prices: what pots, puddles and steps cost the hand, and what they must bring."""

from functools import cache

from . import rows


@cache
def price(name: str) -> float:
    """A number of the table `economy.csv`, with its source there."""
    return next(float(row["value"]) for row in rows("economy") if row["name"] == name)
