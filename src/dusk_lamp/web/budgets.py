"""How far? The model as it would come out in an evening, as a game piece, for display: what each takes and how near
it comes."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from flask import Blueprint, Response, jsonify, request, url_for
from numpy.typing import NDArray

from ..core.coat.stack import looks
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.plan.economy.budget import DISPLAY, EVENING, GAME, MOST_STEPS_ON, Budget
from ..core.plan.economy.plan import FRONT, Economy
from ..core.plan.features.colour.feature import FEATURE
from ..core.units import counted
from ..core.view.camera import Camera
from ..core.view.curve import front_svg
from ..core.view.raster import colour_picture
from ..store.cache import code_mark, key_of
from .background import Say, in_background, not_yet
from .editing import OpenPlan, opened
from .limits import number_of
from .ranges import within
from .responses import drawn_once
from .workshop import workshop

blueprint = Blueprint("budgets", __name__)
NAMED = {EVENING: "An evening", GAME: "A game piece", DISPLAY: "Display"}
PICTURE_SIZE = (132, 168)
MORE_MINUTES, LEAST_BETTER = 10.0, 0.5  # what is said to come next, and the per cent that is worth saying


def budget_from(open_plan: OpenPlan, given: Mapping[str, Any]) -> Budget:
    """A budget as a page asks for it: minutes, and at most so many pots, puddles and steps; no number for what is
    usual. blends, neat: as they are ticked; here: only the pots of what is painted now; on-K: steps on the region of
    a number.

    Raises:
        SettingError: one is no number, or outside its range.
    """
    usual = Budget.usual(within(str(given.get("minutes", GAME)), "minutes"))
    wanted: dict[str, Any] = {k: int(within(str(given[k]), k)) for k in ("pots", "puddles", "steps") if given.get(k)}
    only: tuple[str, ...] = ()
    if given.get("here") in (True, "1"):
        laid = open_plan.context.coats(FEATURE.name)
        only = tuple(dict.fromkeys(name for c in laid for name in c.mix.counted()))
        if not only:
            raise SettingError(
                "nothing is painted in colour yet, so no pots are out; untick “only the pots that are out”"
            )
    pinned = {k[3:]: v for k, v in given.items() if k.startswith("on-") and v}
    steps_on = {
        str(open_plan.id(number)): int(number_of(str(count), "the number of steps", 1, MOST_STEPS_ON))
        for number, count in pinned.items()
    }
    return replace(
        usual,
        **wanted,
        only=only,
        blends=given.get("hard") not in (True, "1"),
        neat=given.get("neat") in (True, "1"),
        steps_on=steps_on,
    )


def economy_of(open_plan: OpenPlan, budget: Budget, say: Say = lambda *_: None) -> Economy:
    """A plan for a budget, worked out once."""
    say(f"Choosing pots, puddles and steps for {budget.minutes:.0f} minutes", 0.3)
    return FEATURE.economy(open_plan.planning, budget)


@blueprint.get("/sculpts/<int:sculpt_id>/economy.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """An evening, a game piece, display, and a budget of one's own (minutes, pots, puddles): each in numbers and
    words."""
    with workshop().store.session() as session:
        try:
            open_plan = opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
    if not FEATURE.planned(open_plan.context):
        return jsonify(trouble="Mark the regions first: a plan is made for what is marked.")
    arguments = request.args.to_dict()
    budgets = [Budget.usual(m) for m in NAMED]
    lies = open_plan.context.wishes(FEATURE.name).budget
    if lies is not None and plain(lies) not in [plain(b) for b in budgets]:
        budgets.append(lies)
    if arguments:
        try:
            budgets.append(budget_from(open_plan, arguments))
        except SettingError as e:
            return jsonify(trouble=str(e))

    def work(say: Say) -> None:
        found = _long_enough(open_plan, budgets, say)
        say("Looking at ten minutes more", 0.95)
        _ten_more(open_plan, _here(open_plan, found))

    try:
        if working := in_background(("economy", sculpt_id, open_plan.turn, str(budgets)), work):
            return not_yet(working)
        found = _long_enough(open_plan, budgets)
    except SettingError as e:
        return jsonify(trouble=str(e))
    rows = [_row(sculpt_id, open_plan, e, arguments if k == len(found) else {}) for k, e in enumerate(found, 1)]
    return jsonify(turn=open_plan.turn, more=_ten_more(open_plan, _here(open_plan, found)), plans=rows)


@blueprint.get("/sculpts/<int:sculpt_id>/economy/front.json")
def whole_front(sculpt_id: int) -> Response | tuple[Response, int]:
    """Half an hour to five hours as a curve (SVG): how near each comes; minutes of each point."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    if not FEATURE.planned(open_plan.context):
        return jsonify(trouble="Mark the regions first: a plan is made for what is marked.")
    budgets = [Budget.usual(m) for m in FRONT]

    def work(say: Say) -> None:
        _long_enough(open_plan, budgets, say)

    try:
        if working := in_background(("front", sculpt_id, open_plan.turn), work):
            return not_yet(working)
        found = _long_enough(open_plan, budgets)
    except SettingError as e:
        return jsonify(trouble=str(e))
    best: list[Economy] = []
    for plan in found:  # with more time never a worse one
        best.append(max([plan, *best[-1:]], key=lambda e: e.near_5_weighted))
    rows = [(e.minutes, e.near_5_weighted, e.words) for e in best]
    here = next((k for k, e in enumerate(found) if _is_here(open_plan, e.budget)), None)
    return jsonify(
        svg=front_svg(rows, here),
        plans=[{"minutes": e.budget.minutes, "words": b.words} for e, b in zip(found, best, strict=True)],
    )


def _long_enough(open_plan: OpenPlan, budgets: Sequence[Budget], say: Say = lambda *_: None) -> list[Economy]:
    """A plan for each budget that there is time enough in; for the longest, what is in the way of it is raised."""
    found = []
    for k, budget in enumerate(budgets):
        say(f"Choosing for {budget.minutes:.0f} minutes", k / len(budgets))
        try:
            found.append(economy_of(open_plan, budget))
        except SettingError:
            if budget is budgets[-1]:
                raise
    return found


def _row(sculpt_id: int, open_plan: OpenPlan, found: Economy, arguments: dict[str, str]) -> dict[str, Any]:
    budget = found.budget
    numbers = {k: v for k in ("pots", "puddles", "steps") if (v := getattr(budget, k)) is not None}
    given: dict[str, Any] = arguments or {"minutes": f"{budget.minutes:g}", **numbers}
    return {
        "title": NAMED.get(budget.minutes, "Your own") if not arguments else "Your own",
        "asked": given,
        "words": found.words,
        "short": f"{found.minutes:.0f} min, {counted(len(found.pots), 'pot', 'pots')}\n"
        f"{counted(len(found.puddles), 'puddle', 'puddles')}, {100 * found.near_5_weighted:.0f} % near",
        "minutes": round(found.minutes),
        "near": round(found.near_5_weighted, 4),
        "here": _is_here(open_plan, budget),
        "picture": url_for(".look", sculpt_id=sculpt_id, v=_key(open_plan, found)[:12], **given),
    }


def _here(open_plan: OpenPlan, found: Sequence[Economy]) -> Economy:
    """The plan that lies on the model, else the one for a game piece, else the longest."""
    game = next((e for e in found if e.budget.minutes == GAME), found[-1])
    return next((e for e in found if _is_here(open_plan, e.budget)), game)


def _is_here(open_plan: OpenPlan, budget: Budget) -> bool:
    return plain(open_plan.context.wishes(FEATURE.name).budget) == plain(budget)


def _ten_more(open_plan: OpenPlan, found: Economy) -> str:
    """What ten minutes more, and what they need, would bring."""
    wider = {k: v + 2 for k in ("pots", "puddles", "steps") if (v := getattr(found.budget, k)) is not None}
    more = FEATURE.economy(open_plan.planning, replace(found.budget, minutes=found.minutes + MORE_MINUTES, **wider))
    names = {r.id: r.name for r in open_plan.site.marking.regions}
    steps = [Counter(names.get(c.region, "") for c in e.coats) for e in (found, more)]
    gained = [
        f"{'one more step' if n == 1 else f'{n} more steps'} on {name}" for name, n in (steps[1] - steps[0]).items()
    ]
    better = 100 * (more.near_5_weighted - found.near_5_weighted)
    if better < LEAST_BETTER:
        return "Ten minutes more would bring next to nothing."
    return f"+{MORE_MINUTES:.0f} min: {better:.0f} % more near{'; ' if gained else ''}{', '.join(gained[:3])}."


def _key(open_plan: OpenPlan, found: Economy) -> str:
    return key_of(
        "economy",
        code_mark(),
        open_plan.open.surface_key,
        list(open_plan.context.view),
        plain(list(found.under)),
        plain(list(found.coats)),
    )


@blueprint.get("/sculpts/<int:sculpt_id>/economy.png")
def look(sculpt_id: int) -> Response:
    """The model as a budget (minutes, pots, puddles) would leave it, from the display view."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)
    found, context = economy_of(open_plan, budget_from(open_plan, request.args.to_dict())), open_plan.context

    def draw() -> NDArray:
        levels = looks(context.simulation.reflectance([*found.under, *found.coats]))[1]
        return colour_picture(
            open_plan.site.surface, levels[open_plan.site.shown], Camera(*context.view), *PICTURE_SIZE
        )

    return drawn_once(_key(open_plan, found), draw)
