"""Materials: what things are made of, as `materials.csv` has them, one row each."""

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from . import rows


@dataclass(frozen=True)
class Material:
    """One material.

    words: in a region's name that suggest it; asked: how soon they are looked for. colour: `#rrggbb`. in_scheme: "by
    area", "accent" or `#rrggbb`. span: Munsell values from darkest to lightest. gloss: 0..1. lift: values that an
    edge stands out. school, world, roughness, contrast, gather: how it shines. ways: those that only some take.
    shaggy, drawn, ground: see the table. hand: how a rough edge is drawn; "" for a smooth one. wear: 0..1 of each
    layer by its name.
    """

    name: str
    asked: int
    words: tuple[str, ...]
    colour: str
    in_scheme: str
    span: float
    gloss: float
    lift: float
    school: str
    world: str
    roughness: float
    contrast: float
    gather: float
    ways: tuple[str, ...]
    shaggy: bool
    drawn: bool
    ground: bool
    hand: str
    wear: Mapping[str, float]


def _material(row: Mapping[str, str]) -> Material:
    def listed(column: str) -> tuple[str, ...]:
        return tuple(word.strip() for word in row[column].split(";") if word.strip())

    columns = list(row)
    layers = columns[columns.index("hand") + 1 : columns.index("source")]
    return Material(
        row["name"],
        int(row["asked"]),
        listed("words"),
        row["colour"],
        row["in_scheme"],
        float(row["span"]),
        float(row["gloss"]),
        float(row["lift"]),
        row["school"],
        row["world"],
        float(row["roughness"]),
        float(row["contrast"]),
        float(row["gather"]),
        listed("ways"),
        row["shaggy"] == "1",
        row["drawn"] == "1",
        row["ground"] == "1",
        row["hand"],
        MappingProxyType({layer: float(row[layer]) for layer in layers}),
    )


TABLE: Mapping[str, Material] = MappingProxyType({row["name"]: _material(row) for row in rows("materials")})
MATERIALS = tuple(TABLE)
USUAL_MATERIAL = "cloth"  # where nothing says another
UNMARKED = "stone"  # what nobody has marked
METAL_MATERIAL = "metal"
GLASS = "glass or gem"
SKIN = "skin"


def material_called(name: str) -> Material:
    """The material of a name.

    Raises:
        KeyError: there is none.
    """
    return TABLE[name]


def suggested_material(name: str) -> str:
    """What a region is probably made of, by the words of its name; the usual one where they say nothing."""
    words = name.casefold()
    by_turn = sorted(TABLE.values(), key=lambda one: one.asked)
    return next((one.name for one in by_turn if any(hint in words for hint in one.words)), USUAL_MATERIAL)
