"""School E: white, then shadow only where the lamp does not reach, then the middle and the lights again."""

from .....coat.coat import Coat
from .....paint.mix import only
from .school import Kit, UndercoatSchool, by_hand, primed


class ShadowFirst(UndercoatSchool):
    """A transparent dark runs into the shadows of a white primer."""

    name, order, title = "shadow-first", 50, "Shadow first"
    when = "White, then shadow only where the lamp does not reach: clean, bright schemes."
    weak = "Weak darks: nothing ends black, and the shadow must dry before the white."

    def coats(self, kit: Kit) -> list[Coat]:
        """White primer, shadow sprayed and run into the recesses, off-white, spots of white."""
        pots = kit.pots
        below = -35.0 if kit.lamp.elevation > 0 else 60.0
        shadow, white = only(pots.shadow), only(pots.white)
        return [
            primed(only(pots.bright_primer), "white everywhere", kit.tools),
            kit.spray(shadow, (0, below), 12, "turn", "shadow from below, all round", psi=30),
            by_hand("wash", shadow, "shadow run into the recesses", film_um=1.0, pooling=20.0, pose="upside down"),
            kit.spray(kit.grey_at(0.8), kit.toward, 4, "stroke", "thin off-white, to rebuild the middle"),
            kit.last_white(white, 2.5, "a few spots of pure white"),
        ]


SCHOOL = ShadowFirst()
