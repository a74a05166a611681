"""What a photo gives to the plan: mends, its lamp, the pattern of its shine."""

import json
from collections.abc import Sequence
from dataclasses import replace

from flask import Response, jsonify
from sqlalchemy.orm import Session

from ...core.check.photo import Photo
from ...core.check.shine import shine_coats
from ...core.check.whole import (
    lamp_in_photo,
    shone_in_photo,
)
from ...core.coat.coat import Coat, coat_from
from ...core.errors import SettingError
from ...core.light.rig import Rig
from ...core.plain import built, plain
from ...core.plan.document import Plan
from ..background import Say
from ..body import Body, json_body
from ..editing import Edit, OpenPlan, change
from ..limits import LARGEST_ID, number_of
from ..sheets import PlanSheet
from ..workshop import workshop
from .common import blueprint, kept_as, of_photo, points_in


@blueprint.post("/sculpts/<int:sculpt_id>/check/lamp")
def lamp(sculpt_id: int) -> Response | tuple[Response, int]:
    """Where the lamp of a photo shines (photo, points, step), in words; it can be taken by its key."""
    given = json_body()
    points = points_in(given)

    def work(plan: PlanSheet, count: int, photo: Photo, say: Say) -> dict[str, bytes]:
        say("Trying the lamp all round", 0.2)
        found = lamp_in_photo(plan.site, plan.context.simulation.reflectance(plan.coats[:count]), photo, points)
        rig = found.rig(plan.context.plan.light)
        return {"lamp.json": json.dumps({"words": found.words, "rig": plain(rig)}).encode()}

    key, _, waiting = of_photo("lamp of", sculpt_id, given, work, given.listed("points"))
    return waiting or jsonify(key=key, words=kept_as(key, "lamp.json")["words"])


@blueprint.post("/sculpts/<int:sculpt_id>/check/shine")
def shine(sculpt_id: int) -> Response | tuple[Response, int]:
    """Where metal shone in a photo (photo, points, step, region: its id), in words; it can be taken by its key."""
    given = json_body()
    points, region = points_in(given), int(number_of(str(given.get("region")), "the region", 1, LARGEST_ID))

    def work(plan: PlanSheet, count: int, photo: Photo, say: Say) -> dict[str, bytes]:
        say("Looking for what shone", 0.2)
        site = plan.site
        if region not in site.marking.ids:
            raise SettingError("this region is not there any more; reload the page")
        number = site.marking.number_of(region)
        seen = plan.context.simulation.reflectance(plan.coats[:count])
        found = shone_in_photo(site, seen, photo, points, number)
        coats = shine_coats(site, found, plan.coats)
        words = found.words(site.marking.regions[number - 1].name)
        said = {"words": words, "coats": [plain(c) for c in coats]}
        return {"shine.json": json.dumps(said).encode()}

    key, _, waiting = of_photo("shine of", sculpt_id, given, work, given["points"], region)
    return waiting or jsonify(key=key, words=kept_as(key, "shine.json")["words"])


@blueprint.post("/sculpts/<int:sculpt_id>/check/take")
def take(sculpt_id: int) -> tuple[Response, int] | Response:
    """Take a mend into the plan as a coat: key (of the check), number (of the fault), turn; or do: lamp, the lamp of
    a photo as the plan's own, by its key."""
    done = change(sculpt_id, _taken)
    return jsonify(turn=done) if isinstance(done, int) else done


def _taken(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    key = str(given["key"])
    if what == "lamp":
        try:
            wanted = json.loads(workshop().store.cache.blob(key, "lamp.json"))["rig"]
        except KeyError:
            raise SettingError("this lamp is not at hand any more; look for it again") from None
        return Edit(
            replace(open_plan.kept.plan, light=built(Rig, wanted, "the light", whole=True)),
            "lamp taken from a photo",
            done=("light",),
        )
    if what == "shine":
        return _shine_taken(open_plan, key)
    n = given.whole("number")
    try:
        coats = json.loads(workshop().store.cache.blob(key, "coats.json"))
    except KeyError:
        raise SettingError("this check is not at hand any more; check the photo again") from None
    if not 0 <= n < len(coats) or coats[n] is None:
        raise SettingError("this mend is no coat; do it as it says")
    coat = coat_from(coats[n])
    return Edit(_laid_in(open_plan, [coat], "colour"), f"mended: {coat.label}", done=("colour",))


def _shine_taken(open_plan: OpenPlan, key: str) -> Edit:
    try:
        coats = [coat_from(c) for c in json.loads(workshop().store.cache.blob(key, "shine.json"))["coats"]]
    except KeyError:
        raise SettingError("this is not at hand any more; look for it again") from None
    return Edit(_laid_in(open_plan, coats, "metal"), f"painted: {coats[0].label}", done=("metal",))


def _laid_in(open_plan: OpenPlan, coats: Sequence[Coat], stage: str) -> Plan:
    """The plan with more coats at the end of a stage."""
    plan = open_plan.kept.plan
    after = open_plan.context.after(stage)
    at = len(plan.coats) - len([c for c in plan.coats if c in after])
    return replace(plan, coats=(*plan.coats[:at], *coats, *plan.coats[at:]))
