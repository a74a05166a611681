"""Around the paint (CP-2, CP-44): the tasks that belong between the coats of a plan, each at its place."""

from collections.abc import Sequence
from dataclasses import replace

from ...coat.coat import Coat
from ...units import counted
from ..context import Context
from .care import care
from .step import Step
from .task import Task


def tasks_around(context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
    """The tasks of a plan with these coats, none of them muted, each with the place of the coat it is done before;
    after the last coat where that is their number. In the order they are done."""
    found = [(0, task) for task in _first(coats)]
    for feature in context.features.values():
        found += feature.tasks(context, coats)
    found += _assembly(context, coats)
    found += _looks(coats)
    return sorted(found, key=lambda one: one[0])


def with_tasks(context: Context, coats: Sequence[Coat], steps: Sequence[Step]) -> list[Step]:
    """Steps of coats, none of them muted, with the tasks around them."""
    before: dict[int, list[Task]] = {}
    for k, task in tasks_around(context, coats) if steps else []:
        before.setdefault(k, []).append(task)
    last = tuple(before.pop(len(steps), ()))
    out = [replace(step, before=tuple(before.get(k, ()))) for k, step in enumerate(steps)]
    return [*out[:-1], replace(out[-1], after=last)] if last else out


def _first(coats: Sequence[Coat]) -> list[Task]:
    """What comes before any paint."""
    pots = len({p.name for c in coats for p in c.mix.paints})
    return [
        Task(
            "Clean it",
            "Scrape off mould lines and supports, wash it in lukewarm water with a drop of soap, and let it dry.",
            care("clean"),
            care("clean dries"),
            ("knife", "resin", "small parts"),
        ),
        Task(
            "Shake the bottles",
            f"Shake each of the {counted(pots, 'pot', 'pots')} for a quarter of a minute: pigment settles, and what "
            "is on top is medium.",
            pots * care("shake"),
            0.0,
            ("lamp",),
            once=True,
        ),
    ]


def _assembly(context: Context, coats: Sequence[Coat]) -> list[tuple[int, Task]]:
    """Glue faces kept bare, and the parts put together before the grime that they share."""
    loose = sorted(context.site.loose)
    if not loose:
        return []
    site = context.site
    mm2 = float(site.surface.areas[site.glued].sum())
    kept = Task(
        "Keep the glue faces bare",
        f"Cover where the {counted(len(loose), 'part', 'parts')} painted apart will be glued"
        f"{f', {mm2:.0f} mm² on both sides' if mm2 >= 1 else ''}: a dab of putty or tape, before the primer.",
        care("mask") * len(loose),
        0.0,
        ("putty",),
    )
    joined = Task(
        "Put the parts together",
        "Take the covers off, scrape the glue faces clean, dry-fit, then cement. What is common to all parts is "
        "painted once, from here on.",
        care("join") * len(loose),
        care("cement dries"),
        ("knife", "cement"),
    )
    shared = ("wear", "finish")
    at = next((k for k, c in enumerate(coats) if c.stage in shared), len(coats))
    return [(0, kept), (at, joined)]


def _looks(coats: Sequence[Coat]) -> list[tuple[int, Task]]:
    """To look again with rested eyes: when the light is laid down, and when all colour is on."""
    out = []
    again = Task("Look again", "From arm's length, after five minutes away from it.", 1.0, care("look again"))
    under = sum(c.stage == "undercoat" for c in coats)
    if 0 < under < len(coats):
        words = " Is the light where you want it? Too grey all over: put the dark back before any colour."
        out.append((under, replace(again, how=again.how + words)))
    at = next((k for k, c in enumerate(coats) if c.stage in ("wear", "finish")), len(coats))
    if at > under:
        words = " Lights that jump out or a border that shows are mended now, before wear and varnish."
        out.append((at, replace(again, how=again.how + words)))
    return out
