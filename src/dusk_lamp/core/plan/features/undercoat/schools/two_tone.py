"""School B: black, then one burst of white from where the lamp is."""

from .....coat.coat import Coat
from .....paint.mix import only
from .school import CAN_FILM, Kit, UndercoatSchool


class TwoTone(UndercoatSchool):
    """Fast and coarse; also by can."""

    needs = ("airbrush", "can")
    name, order, title = "twotone", 20, "Two-tone"
    when = "Black, then one burst of white from the lamp: fast, for hordes."
    weak = "Coarse: hardly any middle values."

    def coats(self, kit: Kit) -> list[Coat]:
        """Primer and one white."""
        sprays = kit.tools.sprays
        paint = only(kit.pots.white if sprays else kit.pots.bright_primer)
        film = 6 if sprays else 6 * CAN_FILM
        return [kit.primed(), kit.spray(paint, kit.toward, film, "stroke", "one white from the lamp")]


SCHOOL = TwoTone()
