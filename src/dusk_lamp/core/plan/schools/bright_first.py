"""School D: a dark tint, a wide bright white, then toned down."""

from ...coat.coat import Coat
from ...paint.mix import only
from .school import Kit, School, by_hand, primed


class BrightFirst(School):
    """A bright white is hard to win back later, so it comes first and is brought down."""

    name, order, title = "bright-first", 40, "Bright first"
    when = "A dark tint, a wide bright white, then toned down: glowing colours."
    weak = "Its darks stay tinted; needs drying time."

    def coats(self, kit: Kit) -> list[Coat]:
        """Tint, two whites, varnish where there is one, wash, oil."""
        pots, tools = kit.pots, kit.tools
        white, azimuth, height = only(pots.white), kit.lamp.azimuth, kit.toward[1]
        seal = pots.varnish if pots.varnish and pots.varnish.of("finish") in tools.varnishes else None
        varnish = [by_hand("brush", only(seal), "varnish, so that oil wipes clean")] if seal else []
        return [
            primed(only(pots.tint), "a dark tint everywhere", tools),
            kit.spray(white, (azimuth - 25, height), 6, "stroke", "white, wide"),
            kit.spray(white, (azimuth + 25, height), 6, "stroke", "white, wide"),
            *varnish,
            by_hand("wash", only(pots.wash), "a wash to bring it down", film_um=2.5, pooling=5.0),
            by_hand("oil wipe", only(pots.tint), "dark left in the recesses", film_um=3, pressure=0.9),
        ]


SCHOOL = BrightFirst()
