"""What can hurt someone, said at the step where it can. Always second to the product's safety data sheet."""

DEFER = "The product's safety data sheet and local rules come first."

# common practice, craft page section 15
CAUTIONS = {
    "can": (
        "Spray outdoors or in an extracted booth, with a respirator rated for the paint; no flame nearby.",
        "A cold can: stand it in warm water only, never hot or boiling.",
    ),
    "airbrush": (
        "Spray in an extracted booth or outdoors, with a respirator rated for the paint; no flame nearby.",
        "Use a hose rated for the pressure, and a compressor with a relief valve.",
        "Never spray paint with cadmium, cobalt or lead pigments.",
    ),
    "resin": ("A resin print must be fully cured; wet-sand it, with mask and gloves.",),
    "small parts": ("Keep small parts away from small children.",),
}


def cautions_for(*tags: str) -> list[str]:
    """The cautions of these techniques, each once, ending with where to look for more."""
    said = list(dict.fromkeys(sentence for tag in tags for sentence in CAUTIONS[tag]))
    return [*said, DEFER] if said else []
