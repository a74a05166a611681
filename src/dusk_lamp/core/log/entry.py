"""One entry of the log: a step as it was planned, and as it was done."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..errors import SettingError
from ..plain import checked, choice, number, text
from ..plan.steps.step import Step
from ..workplace.tools import size_of

HOWS = ("done", "skipped", "changed", "note")
LONGEST_NOTE = 2000
MOST_DROPS = 100_000


@dataclass(frozen=True)
class Entry:
    """One step, done, skipped or changed; or a note.

    at: when it was ended, ISO with its zone. model, region, stage, technique, title, paint: words. parts: of the mix
    as planned; drops: really used, by paint, {} where nobody counted. ml: of paint as planned. mm2: covered.
    expected_s, seconds: as estimated, and in hand, breaks left out; None where that is not known. coats: thin coats
    planned; coats_done: really laid. psi, water: pressure and parts of water as really set. mistake, mended, note:
    words. rating: 1 to 5. photo: hash of a picture that is kept with it. near: share of the model in it that is as
    planned, 0 to 1, where it was checked.
    """

    at: str = text("", (0, 40), "when it was")
    how: str = choice("done", HOWS, "how a step ended")
    model: str = text("", (0, 120), "the model")
    region: str = text("", (0, 80), "the region")
    stage: str = text("", (0, 20), "the stage")
    technique: str = text("", (0, 20), "the technique")
    title: str = text("", (0, 200), "what was done")
    paint: str = text("", (0, 200), "the paint")
    parts: dict[str, int] = field(default_factory=dict)
    drops: dict[str, float] = field(default_factory=dict)
    ml: float | None = number(None, 0, 10_000, "the paint", "ml")
    mm2: float | None = number(None, 0, 1e8, "the area", "mm²")
    expected_s: float | None = number(None, 0, 1e6, "the time expected", "s")
    seconds: float | None = number(None, 0, 1e6, "the time it took", "s")
    coats: int | None = number(None, 1, 100, "the coats planned")
    coats_done: int | None = number(None, 1, 100, "the coats laid")
    psi: float | None = number(None, 0, 200, "the pressure", "psi")
    water: float | None = number(None, 0, 100, "the water to one of paint", "parts")
    mistake: str = text("", (0, LONGEST_NOTE), "what went wrong")
    mended: str = text("", (0, LONGEST_NOTE), "how it was mended")
    note: str = text("", (0, LONGEST_NOTE), "a note")
    rating: int | None = number(None, 1, 5, "the rating")
    photo: str = text("", (0, 64), "a photo")
    near: float | None = number(None, 0, 1, "the share that is as planned")

    def __post_init__(self) -> None:
        checked(self)
        for counted, words in ((self.parts, "parts"), (self.drops, "drops")):
            for name, n in counted.items():
                if isinstance(n, bool) or not isinstance(n, int | float) or not 0 <= n <= MOST_DROPS:
                    raise SettingError(f"{words} of {str(name)[:40]} are a number from 0, not {str(n)[:20]}")

    @property
    def size(self) -> str:
        """small, middle or large; "" where the area is not known."""
        return "" if self.mm2 is None else size_of(self.mm2)

    @property
    def words(self) -> str:
        """All its words, to search in."""
        paints = " ".join([*self.parts, *self.drops])
        said = (self.model, self.region, self.stage, self.technique, self.title, self.paint, paints)
        return " ".join((*said, self.mistake, self.mended, self.note, self.how, self.at[:10])).casefold()


def entry_of(step: Step, model: str, how: str, at: str, seconds: float | None) -> Entry:
    """An entry for a step that was ended."""
    settings: Mapping[str, object] = getattr(step.settings, "__dict__", {})
    psi = settings.get("psi")
    return Entry(
        at=at,
        how=how,
        model=model[:120],
        region=step.goes_on[:80],
        stage=step.stage,
        technique=step.technique,
        title=step.heading[:200],
        paint=step.paint[:200],
        parts=dict(step.parts),
        ml=step.ml,
        mm2=step.covers_mm2,
        expected_s=60 * step.hand_minutes,
        seconds=seconds,
        coats=min(step.coats, 100),
        psi=float(psi) if isinstance(psi, int | float) else None,
        water=step.water,
    )
