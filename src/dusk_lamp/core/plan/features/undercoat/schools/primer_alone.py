"""No light at all: primer, and every coat of colour over it (CP-5)."""

from .....coat.coat import Coat
from .school import Kit, UndercoatSchool


class PrimerAlone(UndercoatSchool):
    """One cup, or a can: for plans whose colours cover whatever lies below."""

    needs = ()
    name, order, title = "primer", 70, "Primer alone"
    when = "Primer and nothing else: where the colours cover, and for short evenings."
    weak = "No light to paint over: every shade and light comes from the brush."

    def coats(self, kit: Kit) -> list[Coat]:
        """The primer."""
        return [kit.primed()]


SCHOOL = PrimerAlone()
