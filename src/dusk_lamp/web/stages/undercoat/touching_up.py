"""What is left for the brush."""

from dataclasses import replace

from flask import Response, jsonify

from ....core.coat.coat import Coat
from ....core.errors import SettingError
from ....core.plain import plain
from ....core.plan.context import Context
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.features.undercoat.touch_up import TouchUp, touch_ups, with_all
from ....core.results import digest, result
from ....core.units import counted
from ...background import Say, in_background, not_yet
from ...body import Body
from ...editing import OpenPlan, opened
from ...workshop import workshop
from .common import blueprint, looks_of, undercoats


def touched(open_plan: OpenPlan, given: Body) -> list[Coat]:
    """The coats with touch-ups: the one at a place of the list, or all of them."""
    found, coats = _touch_ups(open_plan), undercoats(open_plan)
    if given.get("all"):
        return with_all(coats, found)
    k = given.whole("place")
    if not 0 <= k < len(found):
        raise SettingError("this touch-up is not there any more; look again")
    return with_all(coats, [found[k]])


def _touch_ups(open_plan: OpenPlan) -> list[TouchUp]:
    """What is left for the brush, worked out once for what is painted."""
    return _left_for_the_brush(open_plan.context, undercoats(open_plan))


def _rests_on(context: Context, coats: list[Coat]) -> str:
    return digest(
        context.simulation.chain(coats)[-1],
        plain(FEATURE.span(context)),
        plain(context.tools),
        [plain(m) for m in FEATURE.pots(context).shades],
        context.target_key(),
    )


@result(most=4, depends=_rests_on)
def _left_for_the_brush(context: Context, coats: list[Coat]) -> list[TouchUp]:
    seen = context.simulation.reflectance(coats)
    return touch_ups(context.site, seen, FEATURE.values(context), FEATURE.pots(context), context.tools)


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/touch-ups")
def to_touch_up(sculpt_id: int) -> Response | tuple[Response, int]:
    """What the nozzle could not reach, as a short list for the brush."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id)

    def look(say: Say) -> None:
        say("Looking for what the nozzle cannot reach", 0.3)
        _touch_ups(open_plan)

    if working := in_background(("touch", sculpt_id, open_plan.turn), look):
        return not_yet(working)
    found, near = _touch_ups(open_plan), looks_of(open_plan, undercoats(open_plan))[-1].within
    then = min(1.0, near + sum(p.gains for p in found))
    rows = [
        {
            **plain(replace(p, coat=None)),
            "words": p.words,
            "hex": p.coat.mix.colour.hex if p.coat else "",
            "gain_words": f"{counted(p.spots, 'spot', 'spots')}, {p.mm2:.0f} mm²: +{100 * p.gains:.1f} %. Take it",
        }
        for p in found
    ]
    words = (
        f"{100 * near:.1f} % is near now; with all of these {100 * then:.1f} %. Take what is worth it to you and "
        "leave the rest."
        if found
        else f"{100 * near:.1f} % of the surface is near: nothing is worth a brush."
    )
    return jsonify(turn=open_plan.turn, touch_ups=rows, within=round(near, 4), then=round(then, 4), words=words)
