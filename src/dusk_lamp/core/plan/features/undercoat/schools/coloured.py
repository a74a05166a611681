"""A coloured zenithal: the ladder in one colour instead of greys (craft page, section 5)."""

from dataclasses import replace

from .....coat.coat import Coat
from .ladder import LadderSchool
from .school import Kit


class Coloured(LadderSchool):
    """A cloak or a skin is half painted when it dries."""

    name, order, title = "coloured", 60, "One colour"
    when = "The ladder in one colour instead of greys: a cloak or a skin is half painted when it dries."
    weak = "Whatever is not to be that colour wants a coat of its own."

    def coats(self, kit: Kit) -> list[Coat]:
        """The ladder through the colour."""
        return super().coats(replace(kit, pots=replace(kit.pots, greys=kit.pots.colour)))


SCHOOL = Coloured()
