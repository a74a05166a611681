"""What is wished of painted metal."""

from dataclasses import dataclass, field, replace
from typing import ClassVar

from ....errors import SettingError
from ....light.reflect import WORLDS, World, world_called
from ....plain import checked, choice, text
from ...wishes import Takers, Wishes, wishes_taken
from .schools import metal_school
from .schools.school import MetalSchool, Shine

NEAREST, CUSTOMARY = "nearest mixes", "customary steel ladder"


NO_WASH, DARK_WASH = "nothing", "a dark wash"


@dataclass(frozen=True)
class Metal:
    """How a region's metal is painted. school, world: names. mixes: whether its layers are the nearest mixes, or the
    customary ladder of three pots (CP-22). wash: whether a dark wash goes between its base and its layers. own: a
    world of its own, with the colours of the named one."""

    school: str = text("lamp", (1, 20), "a school of metal")
    world: str = text("noon", (1, 20), "a world")
    shine: Shine = field(default_factory=Shine)
    own: World | None = None
    mixes: str = choice(NEAREST, (NEAREST, CUSTOMARY), "how its layers are mixed", form="Its layers")
    wash: str = choice(NO_WASH, (NO_WASH, DARK_WASH), "a wash under its layers", form="Between base and layers")

    def __post_init__(self) -> None:
        checked(self)
        metal_school(self.school)
        world_called(self.world)

    @property
    def by(self) -> MetalSchool:
        """The school itself."""
        return metal_school(self.school)

    @property
    def mirrors(self) -> World:
        """The world itself."""
        return self.own or WORLDS[self.world]


@dataclass(frozen=True)
class MetalWishes(Wishes):
    """regions: how each region that is painted as metal shines, by its id as text."""

    name: ClassVar[str] = "metal"
    order: ClassVar[int] = 40
    title: ClassVar[str] = "Painted metal"

    regions: dict[str, Metal] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if strange := [k for k in self.regions if not k.isdecimal()]:
            raise SettingError(f"metal is set by a region's id, a whole number, not '{strange[0][:40]}'")

    def of(self, id_: int) -> Metal | None:
        """How a region shines; None where nothing was set."""
        return self.regions.get(str(id_))

    def by_ladder(self, id_: int) -> bool:
        """Whether a region is painted through the customary ladder, by itself."""
        metal = self.of(id_)
        return metal is not None and metal.mixes == CUSTOMARY

    def with_one(self, id_: int, metal: Metal | None) -> "MetalWishes":
        """The same with one region set, or none of its own any more."""
        others = {k: v for k, v in self.regions.items() if k != str(id_)}
        return MetalWishes({**others, **({} if metal is None else {str(id_): metal})})

    def without_region(self, id_: int) -> "MetalWishes":
        """The same without it."""
        return self.with_one(id_, None)

    def carried(self, theirs: "MetalWishes", takers: Takers, first_id: int) -> "MetalWishes":
        """How regions shine; corrections and cuts are of the scheme's there facets."""
        plainly = {k: replace(m, shine=replace(m.shine, corrections=(), cuts=())) for k, m in self.regions.items()}
        return MetalWishes(wishes_taken(plainly, theirs.regions, takers))


WISHES = MetalWishes
