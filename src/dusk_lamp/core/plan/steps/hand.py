"""Instructions for the hand (CP-31, CP-43): how the edge of a coat is joined to what it lies on, and with which
brush."""

from ...coat.coat import Coat
from ...datasets.materials import material_called
from ...sculpt.site import Site
from ...units import counted
from .gradient import BORDER, SMOOTH, between, edge_mm

BRUSHES = (
    (2.5, "a size 2 brush"),
    (1.0, "a size 1 brush"),
    (0.0, "a size 0 brush"),
)  # by the mm it covers; from memory
DOT_MM2 = 1.5  # less than that is set, not painted
TAPPED = (
    " It spreads as it likes; wait until the thinner has gone and it looks matt, some minutes, then tap what lies on "
    "the flats away with a clean, dry brush."
)
INKED = " Ink is dense and thin: it dries satin, covers little alone, and runs where it lies thick."


def of_its_paint(coat: Coat) -> str:
    """What the hand has to know of the paint itself, as a sentence after how the technique is done; "" where that is
    nothing. Common practice, craft section 7 (pin wash of oil) and CP-8, CP-32 (ink)."""
    if coat.mix.kind == "oil" and coat.by.floods and not coat.by.wiped:
        return TAPPED
    return INKED if coat.mix.kind == "ink" else ""


def hand_words(site: Site, coat: Coat, below: Coat | None) -> str:
    """What the hand does at the edge of a coat that is brushed on part of a region, over the one below; "" where
    there is none, or where its technique says it already."""
    mask = site.on(coat.where)
    if below is None or mask is None or coat.technique != "brush" or coat.mix.clear or coat.mix == below.mix:
        return ""
    if coat.by.water(coat.settings) > 1:  # a glaze or a tint has no edge to join
        return ""
    if float(site.areas[mask].sum()) < DOT_MM2:
        return "With the very tip of a size 0 brush, loaded and wiped; touch, do not pull."
    mm = edge_mm(site, mask)
    if mm < 1:
        return ""
    region = next((r for r in site.marking.regions if r.id == coat.region), None)
    lower, upper = sorted((below.mix, coat.mix), key=lambda m: m.colour.value)
    join = between(lower, upper, mm)
    width = float(site.areas[mask].sum()) / max(mm / 2, 1e-9)
    brush = next(words for least, words in BRUSHES if width >= least)
    drawn = "" if region is None else material_called(region.material).hand
    if drawn:
        return f"With {brush}. {drawn}."
    edge = f"its edge, {mm:.0f} mm and {join.step:.1f} of a value"
    if join.step <= SMOOTH:
        return f"With {brush}; {edge}, reads as smooth as it is."
    if join.step > BORDER:
        return (
            f"With {brush}; {edge}, shows: lay {counted(join.layers, 'mix', 'mixes')} of the two between, or "
            "leave it crisp."
        )
    if join.way == "loaded brush":
        return f"With {brush}; feather {edge}: both paints on one wicked brush, in a stroke or two."
    passes = counted(join.passes, "pass", "passes")
    return f"With {brush}; {edge}, may stay crisp; smooth, it takes {passes} of a glaze of the two mixed 1:1."
