"""What a way says of itself, and gives."""

from typing import ClassVar

from .....coat.coat import Coat
from .....datasets.materials import material_called
from ....brief import Brief


class Way:
    """One way of working. Its coats are ordinary coats of the one registry, bound to the region or to some of its
    samples."""

    name: ClassVar[str]
    order: ClassVar[int]
    title: ClassVar[str]
    when: ClassVar[str]
    weak: ClassVar[str]
    for_some: ClassVar[bool] = False  # whether only those materials take it that name it

    def suits(self, material: str) -> bool:
        """Whether a region of a material may be painted so."""
        return not self.for_some or self.name in material_called(material).ways

    def coats(self, brief: Brief) -> list[Coat]:
        """The coats of the region, in order.

        Raises:
            SettingError: the rack lacks something for it.
        """
        raise NotImplementedError
