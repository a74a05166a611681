"""School D: a tinted primer, grey, a wide bright white, a varnish; what brings it down comes over the colours
(CP-37)."""

from .....coat.coat import Coat
from .....paint.mix import Mix, only
from .school import Kit, UndercoatSchool, by_hand, primed


class BrightFirst(UndercoatSchool):
    """A bright white is hard to win back later, so it comes first. Wash and oil bring it down last of all, over the
    colours: with the wear, as grime."""

    name, order, title = "bright-first", 40, "Bright first"
    when = "A tinted primer, grey, a wide bright white, varnish; wash and oil only over the colours: glowing colours."
    weak = "Its darks stay tinted; needs a wash or oil over all at the end, and drying time."

    def coats(self, kit: Kit) -> list[Coat]:
        """Tinted primer, grey, two whites, varnish where there is one, sprayed where one can."""
        pots, tools = kit.pots, kit.tools
        white, azimuth, height = only(pots.white), kit.lamp.azimuth, kit.toward[1]
        seal = pots.varnish if pots.varnish and pots.varnish.of("finish") in tools.varnishes else None
        label = "varnish over all, so that what comes last wipes clean"
        varnish = []
        if seal:
            varnish = [
                kit.spray(only(seal), (azimuth, 30), VARNISH_UM, "turn", label)
                if tools.sprays
                else by_hand("brush", only(seal), label)
            ]
        return [
            primed(Mix((pots.primer, pots.tint), (2, 1)), "tinted primer everywhere", tools),
            kit.spray(kit.grey_at(0.5), (azimuth, min(height, 50.0)), 7, "turn", "grey, mostly from above"),
            kit.spray(white, (azimuth - 25, height), 6, "stroke", "white, wide"),
            kit.spray(white, (azimuth + 25, height), 6, "stroke", "white, wide"),
            *varnish,
        ]


VARNISH_UM = 10.0
SCHOOL = BrightFirst()
