"""School C: greys by dry brush, strokes pulled downwards, the brush almost dry."""

from .....coat.coat import Coat
from .....paint.mix import only
from .school import Kit, UndercoatSchool, by_hand


class DryBrush(UndercoatSchool):
    """Needs no airbrush."""

    needs = ()
    name, order, title = "drybrush", 30, "Drybrush"
    when = "Greys by dry brush: no airbrush needed, crisp on texture."
    weak = "Chalky on smooth panels; shadows follow crests, not light."

    def coats(self, kit: Kit) -> list[Coat]:
        """Primer, two greys, a white."""
        pulled = {"azimuth": kit.lamp.azimuth, "elevation": kit.lamp.elevation}
        white = only(kit.pots.white)
        return [
            kit.primed(),
            by_hand("drybrush", kit.grey_at(0), "dark grey over nearly all", film_um=14, softness=1.0),
            by_hand(
                "drybrush", kit.grey_at(0.5), "lighter, strokes from the lamp", film_um=12, softness=0.8, **pulled
            ),
            by_hand("drybrush", white, "white only where the lamp falls", film_um=9, softness=0.5, **pulled),
        ]


SCHOOL = DryBrush()
