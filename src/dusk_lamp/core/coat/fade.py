"""A fade: a see-through film that runs from nothing to full along the light, glazed on in a pass or two, each pulled
to where it should end strongest (common practice, CP-43, CP-45)."""

from .brush import Brush, Even


class Fade(Brush):
    """Where it is thinner than full, the coat's own place says (see sculpt.site.Where)."""

    name, order, title = "fade", 22, "Fade on"
    drawn_out = True
    handling = 1.2  # minutes: the brush is wicked before each pass; from memory
    when_to_stop = "Stop when its strong end is strong enough; its weak end should hardly show."
    mishap = ("It shows an edge where it should end.", "Pull over the edge at once with a clean, damp brush.")

    def how(self, settings: Even) -> str:
        """In a step's words."""
        return (
            "Wick the brush, begin where it should hardly show, and pull toward where it should end strongest; dry "
            "between passes."
        )


TECHNIQUE = Fade()
