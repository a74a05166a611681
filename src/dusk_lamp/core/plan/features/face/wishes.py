"""What is wished of the face."""

from dataclasses import dataclass, replace
from typing import ClassVar

from ....plain import checked, choice
from ...wishes import Takers, Wishes, ids_taken

Place = tuple[float, float, float]


MOUTHS = ("", "closed", "open")  # "" where it is left alone


LOOKS = ("ahead", "viewer", "at")


@dataclass(frozen=True)
class FaceWishes(Wishes):
    """left, right: places of the model's own eyes in the file's axes; at: what they look at. looks: ahead, at the
    viewer, or at a spot. eyes: whether they are painted. mouth: whether it is, closed or open with teeth. warm: ids
    of the regions of skin that are warmed."""

    name: ClassVar[str] = "face"
    order: ClassVar[int] = 30
    title: ClassVar[str] = "Face"

    left: Place | None = None
    right: Place | None = None
    at: Place | None = None
    looks: str = choice("ahead", LOOKS, "where the eyes look")
    warm: tuple[int, ...] = ()
    eyes: bool = False
    mouth: str = choice("", MOUTHS, "the mouth")

    def __post_init__(self) -> None:
        checked(self)

    def without_region(self, id_: int) -> "FaceWishes":
        """Not warmed any more."""
        return replace(self, warm=tuple(i for i in self.warm if i != id_))

    def carried(self, theirs: "FaceWishes", takers: Takers, first_id: int) -> "FaceWishes":
        """Warmth, mouth and where the eyes look; its there eyes stay where they are."""
        marked = theirs.left is not None and theirs.right is not None
        warm = ids_taken(self.warm, theirs.warm, takers)
        looks = self.looks if self.looks != "at" else theirs.looks
        return replace(theirs, looks=looks, warm=warm, eyes=self.eyes and marked, mouth=self.mouth)


WISHES = FaceWishes
