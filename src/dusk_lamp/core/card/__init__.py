"""Cards to print, paint and photograph: exercises for the hand, and drawdowns that measure paints. One file each."""

from collections.abc import Mapping
from functools import cache

from ..errors import SettingError
from ..registry import registered
from .card import Card


@cache
def cards() -> Mapping[str, Card]:
    """Every card by its name: whatever file of this folder has one."""
    return registered(__name__, "CARD")


def card_called(name: str) -> Card:
    """A card by its name.

    Raises:
        SettingError: there is none of that name.
    """
    if name not in cards():
        raise SettingError(f"a card is one of {', '.join(cards())}, not '{name[:40]}'")
    return cards()[name]
