"""Step cards: the steps of a plan as they are done together: the undercoat, then a region after another, then what
goes over all."""

from collections.abc import Sequence
from dataclasses import dataclass

from ...coat.coat import Coat
from ...coat.technique import technique
from ...datasets.prices import price
from ...sculpt.site import Site
from ...units import minutes_words
from ...workplace.room import Room
from ..palette.puddles import Puddle
from ..wishes import kinds_of_wishes
from .step import Step

MOST_PICTURES = 3  # of a card


@dataclass(frozen=True)
class StepCard:
    """Steps that are done together. title: a region's name, or the stage's. steps: their places among all, from 0."""

    title: str
    steps: tuple[int, ...]


def cards_of(site: Site, coats: Sequence[Coat]) -> list[StepCard]:
    """The coats of a plan, none of them muted, as cards: those in colour by region, also where others come between
    while one dries; else those that follow each other in one stage on one region."""
    names = {r.id: r.name for r in site.marking.regions}
    out: list[StepCard] = []
    last: tuple[str, int] | None = None
    at: dict[int, int] = {}  # the card of each region in colour
    for k, coat in enumerate(coats):
        key = (coat.stage, coat.region)
        again = at.get(coat.region) if coat.stage == "colour" and coat.region else None
        if key == last or again is not None:
            card = len(out) - 1 if again is None else again
            out[card] = StepCard(out[card].title, (*out[card].steps, k))
        else:
            if coat.stage == "colour":
                at[coat.region] = len(out)
            kinds = kinds_of_wishes()
            stage = kinds[coat.stage].title if coat.stage in kinds else coat.stage.capitalize()
            region = names.get(coat.region, "")
            alone = coat.stage in ("undercoat", "colour")
            out.append(
                StepCard(region if region and alone else f"{region}: {stage.lower()}" if region else stage, (k,))
            )
        last = key
    return out


def how_once(card: StepCard, steps: Sequence[Step]) -> dict[int, str]:
    """What the hand does at each step of a card, by its place; how a technique is done is left out where the step
    before it on the card is done so, too. How many coats, and what is said of an edge, stays."""
    out, before = {}, ""
    for k in card.steps:
        step = steps[k]
        manner = technique(step.technique).how(step.settings)
        how = step.how.replace(manner, "", 1) if manner == before else step.how
        out[k], before = " ".join(how.split()), manner
    return out


def used_on(site: Site, coats: Sequence[Coat], puddle: Puddle) -> str:
    """What a puddle is for: “for Cloak, Hood”."""
    names = {r.id: r.name for r in site.marking.regions}
    return (
        "for "
        f"{', '.join(dict.fromkeys(names.get(c.region, 'the whole model') for c in coats if c.mix == puddle.mix))}"
    )


def wet_minutes(room: Room) -> float:
    """How long a puddle stays usable on the palette, uncovered."""
    return price("wet") * room.wait("layer")


def wet_words(puddle: Puddle, letters: Sequence[str], steps: Sequence[Step], room: Room) -> str:
    """From which step to which a puddle is needed, and whether it has to be kept wet for that."""
    at = [k for k, letter in enumerate(letters) if letter == puddle.letter]
    at += [k for k, letter in enumerate(letters) if letter in puddle.feeds]
    if not at:
        return ""
    first, last = min(at), max(at)
    if first == last:
        return f"at step {steps[first].number}"
    said = f"from step {steps[first].number} to {steps[last].number}"
    between = sum(s.hand_minutes + s.set_up_minutes for s in steps[first:last])
    return f"{said}; cover it, that is {minutes_words(between)}" if between > wet_minutes(room) else said


def pictures_of(card: StepCard, steps: Sequence[Step]) -> list[tuple[int, str]]:
    """Which pictures a card has, as the place of a step and a view: the undercoat one of each coat; a region what its
    first and its last step make, and the last from behind."""
    first, last = card.steps[0], card.steps[-1]
    if steps[first].stage == "undercoat":
        return [(k, "display") for k in card.steps[:MOST_PICTURES]]
    wanted = [(first, "display"), *([(last, "display")] if last != first else []), (last, "back")]
    return wanted[:MOST_PICTURES]
