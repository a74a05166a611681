"""Which regions take a decal."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ...wishes import Takers, Wishes, ids_taken


@dataclass(frozen=True)
class DecalWishes(Wishes):
    """regions: ids of those that take a decal."""

    name: ClassVar[str] = "decals"
    order: ClassVar[int] = 65
    title: ClassVar[str] = "Decals"

    regions: tuple[int, ...] = ()

    def without_region(self, id_: int) -> "DecalWishes":
        """No decal any more."""
        return replace(self, regions=tuple(i for i in self.regions if i != id_))

    def carried(self, theirs: "DecalWishes", takers: Takers, first_id: int) -> "DecalWishes":
        """Decals on the regions that take after those that have one."""
        return DecalWishes(ids_taken(self.regions, theirs.regions, takers))


WISHES = DecalWishes
