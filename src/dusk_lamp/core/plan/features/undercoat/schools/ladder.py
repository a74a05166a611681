"""School A: a ladder of greys by airbrush, dark to light, each over less than the one before (CP-6, CP-16)."""

from .....coat.coat import Coat
from .school import Kit, UndercoatSchool


class LadderSchool(UndercoatSchool):
    """The darkest grey nearly everywhere but the deepest recesses and undersides: it carries the detail."""

    name, order, title = "ladder", 10, "Grey ladder"
    when = "Greys by airbrush, dark to light: smooth, and it carries detail."
    weak = "Slow: a cup to clean for every grey."

    def coats(self, kit: Kit) -> list[Coat]:
        """Primer, then every grey."""
        pots = kit.pots
        out, dark = [kit.primed()], "the darkest" if pots.greys == pots.colour else "dark grey"
        last = len(pots.greys) - 1
        for k, mix in enumerate(pots.greys):
            if k == 0:
                out.append(kit.spray(mix, (0, 20), 9, "turn", f"{dark} all round"))
            elif k == 1 and last > 2:
                out.append(kit.spray(mix, (0, 50), 3, "turn", "the middle, from above and the sides"))
            elif k < last:
                out.append(kit.spray(mix, kit.toward, 4.5, "stroke", "lighter, from the lamp"))
            else:
                out.append(kit.last_white(mix, 3, "the lightest, the last of the light"))
        return out


SCHOOL = LadderSchool()
