"""Running a plan: every stage in turn, from its document on a site to all coats, their films and steps.

The page, the file and the command line all come here, so that the same plan gives the same coats.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..coat.coat import Coat
from ..errors import SettingError
from ..target.target import Target
from ..units import counted
from .context import Context
from .nearness import Nearness
from .registry import features
from .steps.around import with_tasks
from .steps.step import Step, steps_of

Say = Callable[[str, float], None]


@dataclass(frozen=True)
class FeatureDone:
    """What one stage did. coats: how many it has. settled: whether they were taken as listed. words: in a
    sentence."""

    name: str
    title: str
    coats: int = 0
    settled: bool = False
    words: str = ""


@dataclass(frozen=True)
class Run:
    """A plan that was run. context: with all its coats; films (N,) µm and steps of each that is not muted. near: of
    each region painted in colour, by its number. done: what each stage did."""

    context: Context
    target: Target
    coats: list[Coat]
    films: list[NDArray[np.float32]]
    steps: list[Step]
    near: dict[int, Nearness]
    done: list[FeatureDone] = field(default_factory=list)


def laid(context: Context, say: Say = lambda *_: None) -> tuple[Context, list[FeatureDone]]:
    """The plan with the coats of every stage that is not settled, worked out from its wishes, and what each stage
    did.

    Raises:
        SettingError: the rack lacks something, or a coat was made for another laying-out of the sculpt.
    """
    for coat in context.plan.coats:
        if coat.where.kind == "mask" and coat.where.number != len(context.site):
            raise SettingError(
                f"“{coat.label}” goes on some of {coat.where.number:,} spots, but this sculpt is laid out in "
                f"{len(context.site):,}: it is another file, stands another way, or was laid out with another "
                "number of samples; give wishes instead of coats"
            )
    given = context.plan.settled
    settled = {name for name in features() if context.coats(name) or name in given}
    context = context.on(replace(context.plan, settled=tuple(name for name in features() if name in settled)))
    found, done = _laid(context, say)
    again = next((name for name, f in features().items() if name not in settled and f.laid_again(found)), None)
    if again is None:
        return found.on(replace(found.plan, settled=given)), done
    feature, first_time = features()[again], found
    try:
        for item in feature.items(found):
            found = found.with_coats(feature.painted(found, item))
    except SettingError as e:  # no time for all that is wished: the colours stay as they fit without the rest
        said_why = [replace(d, words=f"{d.words}; {e}") if d.name == again else d for d in done]
        return first_time.on(replace(first_time.plan, settled=given)), said_why
    if "undercoat" not in settled:
        under = features()["undercoat"]
        found = found.on(found.plan.with_wishes("undercoat", under.came_to(found)))
    later = {name for name, f in features().items() if f.order > feature.order} - settled
    kept = tuple(c for c in found.plan.coats if c.stage not in later)
    earlier = tuple(name for name in features() if name not in later)
    first = found.on(replace(found.plan, coats=kept, settled=tuple(dict.fromkeys((*context.plan.settled, *earlier)))))
    again_done, second = _laid(first, say)
    said = {d.name: d for d in done}
    return again_done.on(replace(again_done.plan, settled=given)), [
        d if d.name in later else replace(said[d.name], coats=d.coats) for d in second
    ]


def _laid(context: Context, say: Say) -> tuple[Context, list[FeatureDone]]:
    """Every feature in turn."""
    done = []
    for k, (name, feature) in enumerate(features().items()):
        coats_here = context.coats(name)
        if coats_here or name in context.plan.settled:
            done.append(
                FeatureDone(
                    name,
                    feature.title,
                    len(coats_here),
                    True,
                    f"{counted(len(coats_here), 'coat', 'coats')}, as listed",
                )
            )
            continue
        items, troubles = feature.items(context), []
        for item in items:
            say(f"{feature.title}: {item.title}" if item.title else feature.title, k / len(features()))
            try:
                context = context.with_coats(feature.painted(context, item))
            except SettingError as e:
                if feature.needed:
                    raise
                troubles.append(f"{item.title or feature.title}: {e}")
        if items:
            context = context.on(context.plan.with_wishes(name, feature.came_to(context)))
            context = context.with_coats(feature.in_order(context))
        done.append(_said(name, len(items), len(context.coats(name)), troubles))
    return context, done


def _said(name: str, wanted: int, coats: int, troubles: list[str]) -> FeatureDone:
    words = (
        f"{counted(coats, 'coat', 'coats')} for {counted(wanted, 'wish', 'wishes')}"
        if wanted
        else "nothing was wished"
    )
    return FeatureDone(name, features()[name].title, coats, False, "; ".join([words, *troubles]))


def run(context: Context, say: Say = lambda *_: None) -> Run:
    """Every coat of a plan on its site, as films and steps.

    Raises:
        SettingError: see `laid`.
    """
    context, done = laid(context, say)
    coats = [c for c in context.plan.coats if not c.muted]
    films = context.simulation.films(coats)
    steps = with_tasks(context, coats, steps_of(context.site, coats, films, context.tools, context.plan.models))
    near = {k: found for feature in features().values() for k, found in feature.near(context).items()}
    return Run(context, context.target(), coats, films, steps, near, done)


def settled(context: Context) -> Context:
    """The same plan with all coats worked out and every stage settled."""
    context, _ = laid(context)
    return context.on(replace(context.plan, settled=tuple(features())))


def relaid(context: Context, *names: str) -> Context:
    """The plan with all coats of some stages laid again, as their wishes are now.

    Raises:
        SettingError: the rack lacks something for one.
    """
    for name in names:
        feature = features()[name]
        context = context.with_coats([c for c in context.plan.coats if c.stage != name])
        for item in feature.items(context):
            context = context.with_coats(feature.painted(context, item))
    return context
