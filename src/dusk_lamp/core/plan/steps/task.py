"""Tasks: work around the paint that lays no film: gluing, pastes, decals, shaking bottles, looking again (CP-44)."""

from dataclasses import dataclass

from ...plain import rounded
from ...units import minutes_words
from .cautions import cautions_for


@dataclass(frozen=True)
class Task:
    """One task, done before a step or after the last one. title: at its head; how: whole sentences. hand_minutes: at
    one model, or once for all of them. wait_minutes: until the model can be gone on with. tags: of its cautions."""

    title: str
    how: str
    hand_minutes: float = rounded(1, 0.0)
    wait_minutes: float = rounded(1, 0.0)
    tags: tuple[str, ...] = ()
    once: bool = False

    @property
    def cautions(self) -> list[str]:
        """What to mind, in sentences."""
        return cautions_for(*self.tags)

    @property
    def time_words(self) -> str:
        """How long at the model, and how long to wait; "" where neither counts."""
        said = []
        if self.hand_minutes:
            said.append(f"{minutes_words(self.hand_minutes)} at the model")
        if self.wait_minutes:
            said.append(f"{minutes_words(self.wait_minutes)} to wait")
        return ", then ".join(said)
