"""What is left for the brush."""

from dataclasses import replace

from flask import Response, jsonify

from ....core.coat.coat import Coat
from ....core.errors import SettingError
from ....core.plain import plain
from ....core.plan.features.undercoat.feature import FEATURE
from ....core.plan.features.undercoat.touch_up import TouchUp, touch_ups, with_all
from ....core.units import counted
from ....store.cache import key_of
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
    context, values, pots = open_plan.context, FEATURE.values(open_plan.context), FEATURE.pots(open_plan.context)
    chain = context.simulation.chain(undercoats(open_plan))[-1]
    key = key_of(
        "touch-ups",
        2,
        chain,
        plain(FEATURE.span(context)),
        plain(context.tools),
        [plain(m) for m in pots.shades],
        context.target_key(),
    )

    def make() -> list[TouchUp]:
        return touch_ups(
            open_plan.site, context.simulation.reflectance(undercoats(open_plan)), values, pots, context.tools
        )

    return context.memory.of("touch-up", key, make)


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
