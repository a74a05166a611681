"""What a way says of itself, and gives."""

from typing import ClassVar

from .....coat.coat import Coat
from ....brief import Task


class Way:
    """One way of working. Its coats are ordinary coats of the one registry, bound to the region or to some of its
    samples."""

    name: ClassVar[str]
    order: ClassVar[int]
    title: ClassVar[str]
    when: ClassVar[str]
    weak: ClassVar[str]
    only_for: ClassVar[tuple[str, ...]] = ()  # materials; () for all

    def suits(self, material: str) -> bool:
        """Whether a region of a material may be painted so."""
        return not self.only_for or material in self.only_for

    def coats(self, task: Task) -> list[Coat]:
        """The coats of the region, in order.

        Raises:
            SettingError: the rack lacks something for it.
        """
        raise NotImplementedError
