"""What can hurt someone, said at the step where it can. Always second to the product's safety data sheet.

A rule for each kind of paint and each technique: a coat's set is both together, so that no coat is without one.
"""

from ...coat.coat import Coat
from ...paint.rack import KINDS

DEFER = "The product's safety data sheet and local rules come first."

# common practice, craft page section 15
CAUTIONS = {
    "can": (
        "Spray outdoors or in an extracted booth, with a respirator rated for the paint; no flame nearby.",
        "A cold can: stand it in warm water only, never hot or boiling.",
    ),
    "airbrush": (
        "Spray in an extracted booth or outdoors, with a respirator rated for the paint; no flame nearby. The mask "
        "stays on while the airbrush is rinsed.",
        "Use a hose rated for the pressure, and a compressor with a relief valve.",
    ),
    "pigment, sprayed": ("Never spray, sand or swallow paint with cadmium, cobalt or lead pigments.",),
    "pigment": ("Some pigments (cadmium, cobalt, lead in old paints) are toxic: never point a brush with the lips.",),
    "solvent": (
        "Thinner and white spirit: open a window, wear gloves, no flame; the maker's thinner only, from a labelled "
        "bottle.",
        "Lay oily rags flat to dry outdoors, or keep them under water in metal: in a heap they can catch fire. No "
        "hair dryer.",
    ),
    "skin": ("Test a wash on paper, not on the thumb.",),
    "dust": ("Sanding dust: wet-sand, with a mask.",),
    "resin": ("A resin print must be fully cured; wet-sand it, with mask and gloves.",),
    "knife": ("Cut away from the hand that holds the model, with a sharp blade.",),
    "cement": ("Cement and glue: open a window, keep it off the skin and away from any flame.",),
    "putty": ("Epoxy putty: wear gloves until it is hard.",),
    "lamp": ("A desk lamp close by is hot: keep hands, paper and solvents away from it.",),
    "small parts": ("Keep small parts away from small children.",),
}
OF_KIND: dict[str, tuple[str, ...]] = dict.fromkeys(KINDS, ("pigment",)) | {
    "oil": ("solvent", "pigment"),
    "wash": ("skin", "pigment"),
    "one-coat": ("skin", "pigment"),
    "texture": ("dust", "pigment"),
}


def tags_of(coat: Coat) -> tuple[str, ...]:
    """Names of the sets that apply to a coat, each once: its technique's, then its paints'."""
    of_coat = coat.by.cautions(coat.settings, coat.mix)
    paints = [tag for paint in coat.mix.paints for tag in OF_KIND[paint.kind]]
    sprayed = coat.by.tool(coat.settings) in ("airbrush", "can")
    tags = [*of_coat, *("pigment, sprayed" if sprayed and tag == "pigment" else tag for tag in paints)]
    return tuple(dict.fromkeys(tags))


def cautions_for(*tags: str) -> list[str]:
    """The sentences of sets, each once, ending with where to look for more."""
    said = list(dict.fromkeys(sentence for tag in tags for sentence in CAUTIONS[tag]))
    return [*said, DEFER] if said else []
