"""Which region of one sculpt is which of another: by hand, by name, by words in the name, by material."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..datasets.materials import USUAL_MATERIAL
from ..errors import SettingError
from ..sculpt.marking import Region, suggested_attention, suggested_material

HAND, NAME, WORD, MATERIAL, NONE = "by hand", "by name", "by a word of its name", "by material", "not matched"
WORDS = re.compile(r"[^\W\d_]{3,}")


@dataclass(frozen=True)
class RegionMatch:
    """A region (its name and id) and the one of the scheme that it is like; 0 and "" where there is none. how: in
    words."""

    region: str
    id: int
    scheme: str = ""
    scheme_id: int = 0
    how: str = NONE


def regions_matched(
    regions: Sequence[Region], scheme: Sequence[Region], by_hand: Mapping[str, str] | None = None
) -> list[RegionMatch]:
    """For each region of a sculpt the region of a scheme that it takes after. Several may take after the same.

    A name counts most, then a word that both names share, then the material with the attention, then the material.

    Raises:
        SettingError: what was set by hand names a region that is not there.
    """
    named = {r.name.casefold(): r for r in scheme}
    strange = [k for k in by_hand or {} if k.casefold() not in {r.name.casefold() for r in regions}]
    if strange:
        names = ", ".join(r.name for r in regions) or "none"
        raise SettingError(f"there is no region '{strange[0][:40]}' to match; there is {names}")
    by_hand = {k.casefold(): v for k, v in (by_hand or {}).items()}
    out = []
    for region in regions:
        found, how = None, NONE
        if region.name.casefold() in by_hand:
            wanted = by_hand[region.name.casefold()]
            found, how = named.get(wanted.casefold()), HAND
            if wanted and found is None:
                raise SettingError(
                    f"the scheme has no region '{wanted[:40]}'; it has {', '.join(r.name for r in scheme)}"
                )
        else:
            found, how = _likest(region, scheme, named)
        out.append(RegionMatch(region.name, region.id, found.name if found else "", found.id if found else 0, how))
    return out


def _likest(region: Region, scheme: Sequence[Region], named: Mapping[str, Region]) -> tuple[Region | None, str]:
    same = named.get(region.name.casefold())
    if same is not None:
        return same, NAME
    words = _words(region.name)
    shared = [r for r in scheme if words & _words(r.name)]
    if shared:
        return max(shared, key=lambda r: len(words & _words(r.name))), WORD
    material, attention = _material(region), suggested_attention(region)
    alike = [r for r in scheme if _material(r) == material]
    closest = [r for r in alike if suggested_attention(r) == attention] or alike
    return (closest[0], MATERIAL) if closest else (None, NONE)


def _words(name: str) -> set[str]:
    return {w.casefold().rstrip("s") for w in WORDS.findall(name)}


def _material(region: Region) -> str:
    """What it is made of; by its name where nobody has said."""
    return region.material if region.material != USUAL_MATERIAL else suggested_material(region.name)
