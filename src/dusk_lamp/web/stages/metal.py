"""The metal stage: painted metal by one of three schools on this very model, edge highlights, and their coats."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat
from ...core.coat.stack import looks
from ...core.errors import SettingError
from ...core.light.lamp import Lamp
from ...core.light.reflect import WORLDS
from ...core.light.rig import Rig
from ...core.paint.colour import encoded
from ...core.plain import built, plain
from ...core.plan.edges import crests_of
from ...core.plan.metal import metal_schools
from ...core.plan.metal.painted import STAGE, Metal, coats, colours, edge_coats, holds, jumps, values
from ...core.plan.order import region_of
from ...store import painted, painters, schemes, sketches
from ...store.glows import GLOW
from ...store.laid import Laid
from ...store.models import Sculpt
from ..coats import elsewhere, plan_of
from ..packet import packed
from ..patience import not_yet, patiently
from ..workshop import asked, the_sculpt, workshop
from . import mark_done, mark_open

blueprint = Blueprint("metal", __name__)


@dataclass(frozen=True)
class Opened:
    """What the stage works on. before: coats of the stages before; own: of this one; later: those after it."""

    sculpt: Sculpt
    laid: Laid
    made: sketches.Sketched
    lamp: Lamp
    before: list[Coat]
    own: list[Coat]
    later: list[Coat]
    choice: schemes.Choice
    seen: int


def panel(session: Session, sculpt: Sculpt, laid: Laid) -> dict[str, Any]:
    """What the panel shows; regions and coats come as metal.json."""
    return {"schools": metal_schools(), "worlds": [w for w in WORLDS if w != "uniform"]}


def _opened(session: Session, sculpt_id: int) -> Opened:
    plan = plan_of(session, sculpt_id)
    lamp = built(Rig, plan.sculpt.rig, "the light").lamp or Lamp(0, 60)
    before, own, later = plan.besides(STAGE, GLOW), plan.of(STAGE), plan.of(GLOW)
    return Opened(plan.sculpt, plan.laid, plan.made, lamp, before, own, later, plan.choice, plan.seen)


def _metal(opened: Opened, number: int) -> Metal:
    """How a region is painted: as it was set, or as usual, from the display view."""
    kept = (opened.sculpt.metal or {}).get(_name(opened, number))
    own = built(Metal, kept, "the metal") if kept else Metal()
    display = opened.sculpt.display
    return replace(own, shine=replace(own.shine, view=(display["azimuth"], display["elevation"])))


def _name(opened: Opened, number: int) -> str:
    """Of a region: by it its metal is kept, since numbers change."""
    return opened.made.site.marking.regions[number - 1].name


def _of(opened: Opened, number: int, way: str) -> list[Coat]:
    """The coats of one region that paint its metal, or its edges."""
    return [c for c in opened.own if c.way == way and region_of(opened.made.site, c) == number]


def _with(opened: Opened, number: int, settings: dict[str, Any]) -> Metal:
    own = plain(_metal(opened, number))
    shine = {k: v for k, v in settings.items() if k in own["shine"] and k != "view"}
    named = {k: v for k, v in settings.items() if k in ("school", "world")}
    return built(Metal, {**own, **named, "shine": {**own["shine"], **shine}}, "the metal")


def _values(opened: Opened, metal: Metal) -> np.ndarray:
    key = f"{plain(metal)} {opened.lamp}"
    return opened.laid.metals.of(key, lambda: values(opened.made.site, metal, opened.lamp))


@blueprint.get("/sculpts/<int:sculpt_id>/metal.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with how their metal is painted; the coats; the edges."""
    with workshop().store.session() as session:
        try:
            opened = _opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = schemes.can_step(session, opened.sculpt)
        tools = painters.tools_of(session)
    site = opened.made.site
    display = opened.sculpt.display

    def work(say: Any) -> None:
        say("Looking for edges", 0.2)
        _ = site.lines

    if told := patiently(("metal", sculpt_id, opened.sculpt.surface_key), work):
        return not_yet(told)
    edges = crests_of(site, opened.lamp, (display["azimuth"], display["elevation"]))
    every = [*opened.before, *opened.own]
    steps = painted.steps(opened.laid, site, every, tools=tools, models=opened.sculpt.models)[len(opened.before) :]
    rows = [
        {
            "number": k, "name": r.name, "material": r.material, "hex": opened.made.locals_[k].colour, **plain(_metal(opened, k)),
            "painted": bool(_of(opened, k, "metal")), "set": r.name in (opened.sculpt.metal or {}),
            "edged": bool(_of(opened, k, "edges")),
            "crests_mm": round(sum(c.length_mm for c in edges.crests if c.region == k), 1),
            "lit_mm": round(sum(c.lit_mm for c in edges.crests if c.region == k), 1),
            "jumps": jumps(_of(opened, k, "metal")),
        }
        for k, r in enumerate(site.marking.regions, 1)
    ]  # fmt: skip
    listed = [
        {
            "number": n + 1,
            "label": s.purpose,
            "hex": s.hex,
            "paint": s.paint,
            "minutes": round(s.hand_minutes),
            "region": region_of(site, c),
        }
        for n, (s, c) in enumerate(zip(steps, opened.own, strict=True))
    ]
    return jsonify(
        turn=opened.seen, regions=rows, coats=listed, undo=undo, redo=redo, total_mm=edges.total_mm, lit_mm=edges.lit_mm,
        strokes=len(edges.strokes), minutes=round(edges.minutes),
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/metal.bin")
def look(sculpt_id: int) -> Response:
    """Four bytes for every sample, of which three are its colour. region: shown as metal, over what is planned; school,
    world, roughness and the rest: as it would be so, nothing is kept. painted: as its coats leave it."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    site = opened.made.site
    levels = looks(painted.seen(opened.laid, site, [*opened.before, *opened.own]))[1]
    if "region" in request.args and "painted" not in request.args:
        number = _number(opened, request.args["region"])
        settings = {
            k: (v if k in ("school", "world") else _float(v)) for k, v in request.args.items() if k != "region"
        }
        metal = _with(opened, number, settings)
        own = site.labels == number
        rgb = colours(_values(opened, metal)[own], metal, opened.made.locals_[number].colour)
        levels = levels.copy()
        levels[own] = np.round(encoded(np.clip(rgb, 0, 1)) * 255)
    return packed({"samples": len(site)}, np.column_stack([levels, np.zeros(len(site), np.uint8)])[site.shown])


def _float(value: str) -> float:
    try:
        return float(value)
    except ValueError as e:
        raise SettingError("a setting of the metal is no number; reload the page") from e


def _number(opened: Opened, given: Any) -> int:
    try:
        number = int(given)
    except (TypeError, ValueError):
        number = 0
    if not 1 <= number <= len(opened.made.site.marking.regions):
        raise SettingError("choose the region first")
    return number


@blueprint.get("/sculpts/<int:sculpt_id>/metal/<int:number>/holds.json")
def holding(sculpt_id: int, number: int) -> Response | tuple[Response, int]:
    """From how far round a region's metal tells the same story."""
    with workshop().store.session() as session:
        opened = _opened(session, sculpt_id)
    number = _number(opened, number)
    metal = _metal(opened, number)
    found: list[Any] = []
    key = ("holds", sculpt_id, number, str(plain(metal)), opened.made.key)

    def work(say: Any) -> None:
        say("Looking from the sides", 0.3)
        own = opened.made.site.labels == number
        found.append(opened.laid.metals.of(f"holds {key}", lambda: holds(opened.made.site, own, metal, opened.lamp)))

    if told := patiently(key, work):
        return not_yet(told)
    work(lambda *_: None)
    return jsonify(words=found[-1].words, told=found[-1].told)


@blueprint.post("/sculpts/<int:sculpt_id>/metal")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: set (region and settings), usual (region), paint, unpaint, edges, unedge (region), undo, redo. `turn` says which
    state of the coats it was made on."""
    given = asked()
    what = str(given.get("do"))
    try:
        with workshop().store.session() as session:
            opened = _opened(session, sculpt_id)
            if given.get("turn", opened.seen) != opened.seen:
                return elsewhere()
            number = 0 if what in ("undo", "redo") else _number(opened, given.get("region"))
            if what == "set":
                _with(opened, number, dict(given["settings"]))  # refused here
            new = _coats(session, opened, what, number)
        with workshop().store.saving() as session:
            sculpt = the_sculpt(session, sculpt_id)
            if what in ("undo", "redo"):
                schemes.step(session, sculpt, -1 if what == "undo" else 1, opened.seen)
            elif new is not None:
                schemes.keep(session, sculpt, [*opened.before, *new, *opened.later], opened.choice, opened.seen)
            kept = dict(sculpt.metal or {})  # as it is now: two changes may cross
            if what == "set":
                kept[_name(opened, number)] = plain(
                    _with(replace(opened, sculpt=sculpt), number, dict(given["settings"]))
                )
            elif what == "usual":
                kept.pop(_name(opened, number), None)
            sculpt.metal = kept
            session.flush()
            (mark_done if kept or new or opened.own else mark_open)(sculpt, "metal")
        return jsonify(kept=True)
    except schemes.ChangedElsewhereError:
        return elsewhere()
    except (KeyError, TypeError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("the change that arrived is incomplete; reload the page") from e


def _coats(session: Session, opened: Opened, what: str, number: int) -> list[Coat] | None:
    """The coats of this stage after a change; None where they stay."""
    if what not in ("paint", "unpaint", "edges", "unedge"):
        if what not in ("set", "usual", "undo", "redo"):
            raise SettingError("this bench does not know that change; reload the page")
        return None
    mark = "metal" if what.endswith("paint") else "edges"
    gone = _of(opened, number, mark)
    left = [c for c in opened.own if not any(c is old for old in gone)]
    if what.startswith("un"):
        return left
    under = painted.seen(opened.laid, opened.made.site, opened.before)
    task = sketches.task_for(session, opened.sculpt, opened.made, number, under)
    if what == "paint":
        metal = _metal(opened, number)
        new = coats(task, metal, _values(opened, metal), opened.made.locals_[number].colour)
        first = [c for c in left if c.way != "edges"]
        return [*first, *new, *(c for c in left if c.way == "edges")]
    return [*left, *edge_coats(task, opened.lamp)]
