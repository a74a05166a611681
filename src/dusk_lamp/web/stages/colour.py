"""The colour stage: each region painted one way over the undercoat, with real mixes, predicted on this very model."""

import threading
from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, request, url_for
from sqlalchemy.orm import Session

from ...core.coat.coat import Coat, usual_coat
from ...core.coat.finish import films_of, finish_of, finish_words, metal_of, shares_of
from ...core.coat.stack import looks
from ...core.coat.technique import technique, techniques
from ...core.directions import direction_of
from ...core.errors import SettingError
from ...core.paint.colour import ILLUMINANTS, delta_e, lab, rgb, xyz
from ...core.plain import plain
from ...core.plan.cards import palette_for, used_on
from ...core.plan.cautions import cautions_for
from ...core.plan.economy.coats import WAY as ECONOMY
from ...core.plan.gradient import gradients
from ...core.plan.order import WHOLE_MODEL, broken, move_refused, region_of
from ...core.plan.overspray import overspray
from ...core.plan.stages import Item
from ...core.plan.stages.colour import STAGE, Tried
from ...core.plan.stages.face import STAGE as FACE
from ...core.plan.step import in_drops, row_of
from ...core.plan.times import times_of
from ...core.plan.ways import ways
from ...core.plan.ways.way import FINE, NEAR, seen_after, wrong
from ...core.sculpt.parts import seams
from ...core.sculpt.site import WHOLE, Where
from ...core.units import counted, minutes_words
from ...core.view.camera import Camera
from ...core.view.formats import png_bytes
from ...core.view.raster import colour_picture
from ...core.view.sheen import NUMBERS, with_sheen
from ...store import painters, paints, plans
from ...store.cache import key_of
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt
from ..background import Say, in_background, not_yet
from ..budgets import budget_from, economy_of
from ..coat_editing import ACTIONS, ONE_COAT, by_hand, changed_coats, mix_called
from ..editing import Edit, Opened, answer, changed, opened, settled
from ..responses import packed
from ..responses import picture as png
from ..workshop import asked, colour_names, workshop

blueprint = Blueprint("colour", __name__)
PICTURES = 3
PICTURE_SIZE = (132, 168)
MARKS = ("fine", "light", "dark", "grey", "vivid", "hue")
MARK_WORDS = {
    "light": "too light {} mm² (rising lines)", "dark": "too dark {} mm² (falling)", "grey": "too grey {} mm² (level)",
    "vivid": "too vivid {} mm² (upright)", "hue": "of another hue {} mm² (dots)",
}  # fmt: skip
_drawing = threading.Lock()


def panel(session: Session, sculpt: Sculpt, own: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the coats come as colour.json."""
    return {
        "ways": ways(), "lights": ILLUMINANTS, "techniques": [t for t in techniques().values() if t.by_hand],
        "colours": colour_names(session), "tools": painters.tools_of(session),
        "varnishes": [(p.name, p.of("finish")) for p in paints.varnishes(session)],
    }  # fmt: skip


def _own(own: Opened) -> list[Coat]:
    """The coats that this page lists: colours, then what is added for faces."""
    return own.context.coats(STAGE.name, FACE.name)


def _looked(own: Opened, number: int) -> np.ndarray:
    """(N, 36) after the undercoat and so many coats in colour."""
    return own.context.simulation.reflectance([*own.context.before(STAGE.name), *_own(own)[:number]])


@blueprint.get("/sculpts/<int:sculpt_id>/colour.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with the way each is painted and how near it comes; the coats in colour as a painter reads them."""
    with workshop().store.session() as session:
        try:
            own = opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = plans.can_step(session, own.sculpt)

    def work(say: Say) -> None:
        say("Laying the undercoat", 0.1)
        _looked(own, 0)
        say("Laying the colours", 0.5)
        _looked(own, len(_own(own)))

    if working := in_background(("colour", sculpt_id, own.turn), work):
        return not_yet(working)
    context, site, coats = own.context, own.site, _own(own)
    of = [region_of(site, c) for c in coats]
    areas, near = site.marking.areas(site.surface, site.paintable), STAGE.near(context)
    rows = [_region_row(own, k, coats, of, areas, near.get(k)) for k in range(1, len(site.marking.regions) + 1)]
    steps = own.steps(coats, context.before(STAGE.name))
    listed = [_coat_row(own, k, s, n) for k, (s, n) in enumerate(zip(steps, of, strict=True))]
    kept = [s for s in steps if not s.muted]
    share, times = STAGE.near_share(context), times_of(kept, own.plan.models).words if kept else ""
    names = {WHOLE_MODEL: "The whole model", **dict(enumerate(["the rest", *(r.name for r in site.marking.regions)]))}
    done, count = sum(bool(r["coats"]) for r in rows), len(rows)
    words = (
        "Mark the regions first: each is painted its own way then."
        if not rows
        else f"{done} of {counted(count, 'region', 'regions')}, {counted(len(coats), 'coat', 'coats')}: "
        f"{100 * (share or 0):.0f} % of what is painted comes near its colour (ΔE {NEAR:g}). {times}."
        if coats
        else "Choose a region, then a way to paint it: each is shown on this very model."
    )
    shares = shares_of(context.simulation.finish([*context.before(STAGE.name), *coats])[0], site.areas)
    return jsonify(
        turn=own.turn, undo=undo, redo=redo, words=words, regions=rows, coats=listed, times=times, limit=NEAR,
        near=share and round(share, 4), under=key_of(context.target_key(STAGE.name), plain(context.before(STAGE.name)))[:12],
        seams=_seams(own), order=[{"region": names[p.region], "why": p.why} for p in STAGE.places(context)],
        out_of_order=list(dict.fromkeys(b.why for b in broken(site, coats))),
        palette=_palette(own, coats, steps), planned=str(context.wishes(STAGE.name).budget),
        aim=key_of("aim", 1, context.target_key("metal"), [p.name for p in context.rack])[:12],
        finish=finish_words(shares) if coats else "Nothing is painted in colour yet.",
        cautions=cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
    )  # fmt: skip


def _palette(own: Opened, coats: list[Coat], steps: list[Any]) -> dict[str, Any]:
    """Pots to have out and puddles to mix for all that is brushed on, in the order they are needed."""
    kept = [(c, s) for c, s in zip(coats, steps, strict=True) if not c.muted]
    laid = [c for c, _ in kept]
    puddles, _ = palette_for(laid, [s for _, s in kept], own.context.tools.drops_per_ml)
    rows = [
        {
            "letter": p.letter,
            "hex": p.mix.colour.hex,
            "words": p.words.split(": ", 1)[1],
            "used": used_on(own.site, laid, p),
        }
        for p in puddles
    ]
    return {"pots": list(dict.fromkeys(name for p in puddles for name in p.parts)), "puddles": rows}


def _region_row(own: Opened, k: int, coats: list[Coat], of: list[int], areas: Any, near: Any) -> dict[str, Any]:
    region, count, can = own.site.marking.regions[k - 1], of.count(k), bool(areas[k] > 0)
    way = coats[of.index(k)].way if count else ""
    title = ways()[way].title if way in ways() else "planned together" if way == ECONOMY else "by hand"
    words = f"{title}, {counted(count, 'coat', 'coats')}" if count else "not painted yet"
    return {
        "number": k, "name": region.name, "hex": own.context.locals[k].colour, "way": way if count and can else "", "coats": count,
        "near": plain(near) if near else None, "material": region.material, "can": can,
        "share": round(float(areas[k] / max(areas.sum(), 1e-9)), 4), "words": words if can else "nothing of it can be painted",
    }  # fmt: skip


def _coat_row(own: Opened, k: int, step: Any, number: int) -> dict[str, Any]:
    coats = _own(own)
    much = f"{step.laid_um:g} µm" if step.laid_um is not None else f"{step.seconds:g} s"
    beside = overspray(own.site, coats[k], coats[k + 1 :]).words
    facts = f"{in_drops(step.drops_of_one)}; {minutes_words(step.hand_minutes)} at the model, {minutes_words(step.wait_minutes)} to dry."
    return {
        **row_of(step, own.site), "number": k + 1, "region": number, "words": f"{step.paint}, {much}", "beside": beside,
        "facts": " ".join(w for w in (facts, beside, *step.warnings) if w),
    }  # fmt: skip


def _seams(own: Opened) -> list[str]:
    """How far the colours on either side of each seam of parts painted apart are from each other."""
    named, site = own.sculpt.named_parts, own.site
    if not any(part.apart for part in named):
        return []
    seen, out = _looked(own, len(_own(own))), []
    for seam in seams(site.surface, named, site.paintable):
        one, other = (
            lab(xyz(np.average(seen[on], axis=0, weights=site.areas[on] + 1e-9))) for on in (seam.on_a, seam.on_b)
        )
        off = float(delta_e(one, other))
        words = "they match" if off <= NEAR else "they do not match where they meet"
        out.append(f"{named[seam.a].name} on {named[seam.b].name}, {seam.length:.0f} mm: ΔE {off:.1f}, {words}")
    return out


def _opened_at(sculpt_id: int, number: int) -> Opened:
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    if not 0 <= number <= len(_own(own)):
        abort(404)
    return own


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>.bin")
def after_bin(sculpt_id: int, number: int) -> Response:
    """The model after so many coats in colour: four bytes for every sample, three of colour and one that says what is
    wrong with it most of all, in the order of MARKS. light: that it is looked at by."""
    own, light = _opened_at(sculpt_id, number), request.args.get("light", ILLUMINANTS[0])
    if light not in ILLUMINANTS:
        abort(404)
    seen, site = _looked(own, number), own.site
    levels = np.round(rgb(xyz(seen, light)) * 255).astype(np.uint8)
    mark = wrong(lab(xyz(seen)), own.context.target(STAGE.name).lab)
    mark[site.labels == 0] = FINE  # what is not marked stays a sketch
    areas = {name: round(float(site.areas[mark == k].sum()), 1) for k, name in enumerate(MARKS)}
    said = ", ".join(words.format(round(areas[name])) for name, words in MARK_WORDS.items())
    heading = {"number": number, "areas": areas, "words": f"{said[0].upper()}{said[1:]}."}
    return packed(heading, np.column_stack([levels, mark])[site.shown])


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/finish.bin")
def finish_bin(sculpt_id: int, number: int) -> Response:
    """How shiny every sample is after so many coats in colour: four bytes, from matt to gloss and how much metallic paint
    shows; the heading says where the lamp is."""
    own = _opened_at(sculpt_id, number)
    coats = [*own.context.before(STAGE.name), *_own(own)[:number]]
    finish, metal = own.context.simulation.finish(coats)
    heading = {"number": number, "lamp": plain(own.context.lamp.direction, 4), "sheen": NUMBERS}
    both = np.round(np.clip(np.column_stack([finish, metal, 0 * finish, 0 * finish]), 0, 1) * 255).astype(np.uint8)
    return packed(heading, both[own.site.shown])


def _tried(sculpt_id: int, number: int, name: str) -> tuple[Opened, Tried]:
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    if name not in ways() or not 1 <= number <= len(own.site.marking.regions):
        abort(404)
    with _drawing:
        return own, STAGE.tried(own.context, number, name)


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.json")
def way_json(sculpt_id: int, number: int, name: str) -> Response:
    """How near a way brings a region, and what it takes."""
    _, found = _tried(sculpt_id, number, name)
    near, count, mixes = found.nearness, len(found.coats), len({c.mix.words() for c in found.coats})
    short = "cannot be done"
    if near:
        short = f"{100 * near.within:.0f} % near\n{counted(count, 'coat', 'coats')}, {minutes_words(found.minutes)}"
    return jsonify(
        trouble=found.trouble, near=plain(near) if near else None, minutes=round(found.minutes), wait=round(found.wait),
        coats=count, mixes=mixes, short=short, words=found.trouble or (near.words if near else ""),
    )  # fmt: skip


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/<name>.png")
def way_png(sculpt_id: int, number: int, name: str) -> Response:
    """A picture of this very model with a region painted one way, over its undercoat."""
    own, found = _tried(sculpt_id, number, name)
    site, cache, view, under = own.site, workshop().store.cache, own.context.view, own.context.before(STAGE.name)
    key = key_of("way picture", PICTURES, own.open.surface_key, list(view), plain(found.coats), plain(under))
    with _drawing:
        if key not in cache:
            levels = looks(seen_after(own.context.task(STAGE.name, number), found.coats))[1]
            if any(c.mix.kind == "metallic" for c in found.coats):  # else its picture would show no metal
                stack = list(zip(found.coats, films_of(site, found.coats), strict=True))
                shine = finish_of(stack, len(site)), metal_of(stack, len(site))
                levels = with_sheen(levels, site.surface, *shine, own.context.lamp.direction, direction_of(*view))
            drawn = colour_picture(site.surface, levels[site.shown], Camera(*view), *PICTURE_SIZE)
            cache.put(key, blobs={"look.png": png_bytes(drawn)})
    return png(cache.blob(key, "look.png"))


@blueprint.get("/sculpts/<int:sculpt_id>/colour/<int:number>/gradients.json")
def gradients_json(sculpt_id: int, number: int) -> Response:
    """The borders between neighbouring mixes of a region, and how the hand makes each smooth."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id)
    found = gradients(own.site, STAGE.by_region(own.context).get(number, []))
    return jsonify(
        [
            {**plain(g), "line": f"{g.lower} to {g.upper}: {g.mm:.0f} mm, {g.step:.1f} value apart; {g.words}."}
            for g in found
        ]
    )


@blueprint.post("/sculpts/<int:sculpt_id>/colour")
def change(sculpt_id: int) -> tuple[Response, int] | Response:
    """do: plan (minutes, pots, puddles): all regions together; way (region, name), all (name: every region that has none yet), clear (region), order: as the craft has
    it; add (region, technique, paint; on), warm (region), varnish (name): the last one; mute, remove, up, down (number,
    from 1), set (number and settings of its technique), paint (number, name)."""
    given = asked()
    if given.get("do") in ("way", "all"):
        with workshop().store.session() as session:
            own = opened(session, sculpt_id)
        wishes = _wishes(own, str(given["do"]), given)

        def find(say: Say) -> None:
            say("Laying the undercoat", 0.0)
            _looked(own, 0)
            for k, (number, name) in enumerate(wishes.items()):
                say(f"Mixing for {own.site.marking.regions[number - 1].name}", k / len(wishes))
                STAGE.tried(own.context, number, name)

        if wishes and (working := in_background(("ways", sculpt_id, own.turn, str(wishes)), find)):
            return not_yet(working)
    if given.get("do") == "plan":
        with workshop().store.session() as session:
            own = opened(session, sculpt_id)
        budget = budget_from(given)
        if working := in_background(
            ("economy", sculpt_id, own.turn, str(budget)), lambda say: economy_of(own, budget, say)
        ):
            return not_yet(working)
    return answer(sculpt_id, changed(sculpt_id, given, _changed))


def _wishes(own: Opened, what: str, given: dict[str, Any]) -> dict[int, str]:
    """Which regions should be painted which way, by their numbers."""
    name, site = str(given.get("name")), own.site
    if name not in ways():
        raise SettingError("this way of painting is not known; reload the page")
    if what == "way":
        return {own.number(given.get("region")): name}
    areas, painted = site.marking.areas(site.surface, site.paintable), set(STAGE.by_region(own.context))
    regions = enumerate(site.marking.regions, 1)
    return {k: name for k, r in regions if ways()[name].suits(r.material) and k not in painted and areas[k] > 0}


def _changed(session: Session, own: Opened, what: str, given: dict[str, Any]) -> Edit:
    """The plan after a change; see change."""
    context, plan, site = own.context, own.kept.plan, own.site
    names, action = ["the rest", *(r.name for r in site.marking.regions)], ACTIONS.get(what, "colours changed")

    def kept(coats: list[Coat], action: str, plan: Any = plan) -> Edit:
        return Edit(settled(plan, context, coats), action, done=("colour",))

    def listed(coats: list[Coat], action: str) -> Edit:
        return kept([*context.before(STAGE.name), *coats, *context.after(FACE.name)], action)

    if what in ("way", "all"):
        wishes = _wishes(own, what, given)
        for number, name in wishes.items():
            context = context.with_coats(STAGE.painted(context, Item(name, site.marking.ids[number])))
        coats = STAGE.in_order(context) if len(wishes) > 1 else list(context.plan.coats)
        title = ways()[str(given["name"])].title
        return kept(
            coats, f"{title}: {names[next(iter(wishes))] if what == 'way' else 'all others'}" if wishes else action
        )
    if what == "plan":
        budget = budget_from(given)
        new = plan.with_wishes(STAGE.name, replace(context.wishes(STAGE.name), budget=budget))
        context = context.on(replace(new, coats=own.plan.coats))
        coats = STAGE.painted(context, STAGE.items(context)[-1])
        return kept(coats, f"planned for {budget.minutes:.0f} minutes", new)
    if what == "clear":
        number = own.number(given["region"])
        return kept(STAGE.put(context, Item("", site.marking.ids[number]), []), f"coats removed: {names[number]}")
    if what == "add":
        whole = given.get("on") == "whole"
        number = 0 if whole else own.number(given.get("region"))
        mix = mix_called(session, given["paint"], varnish=True)
        name = str(given["technique"])
        label = f"{'Whole model' if whole else names[number]}: {technique(name).title.lower()}"
        coat = by_hand(own, name, mix, label, STAGE.name)
        if whole:
            return listed([*_own(own), coat], "coat added: whole model")
        coat = replace(coat, where=Where.some(site.labels == number), region=site.marking.ids[number])
        return listed(_after_its_own(own, number, coat), f"coat added: {names[number]}")
    if what == "warm":
        number = own.number(given.get("region"))
        item = Item("warmth", site.marking.ids[number])
        face = context.wishes(FACE.name)
        new = plan.with_wishes(FACE.name, replace(face, warm=tuple(dict.fromkeys((*face.warm, item.region)))))
        return kept(FACE.painted(context, item), f"warmed: {names[number]}", new)
    if what == "varnish":
        varnish = paints.varnish_called(session, str(given["name"]))
        if varnish is None:
            raise SettingError("this varnish is not on the rack any more; choose another")
        last = usual_coat("brush", varnish, f"last varnish, {given['name']}, all over", STAGE.name)
        left = [c for c in _own(own) if not (c.mix.clear and c.where == WHOLE)]
        return listed([*left, last], "last varnish chosen")
    if what == "order":
        return kept(STAGE.in_order(context), "coats put in order")
    if what not in ONE_COAT:
        raise SettingError("this change of the colours is not known; reload the page")
    refuse = lambda new: move_refused(site, _own(own), new)  # noqa: E731
    return listed(changed_coats(session, own, _own(own), what, given, refuse), action)


def _after_its_own(own: Opened, number: int, new: Coat) -> list[Coat]:
    """The coats in colour with one more after those of its region, or before what is common to the whole model."""
    coats = _own(own)
    of = [region_of(own.site, c) for c in coats]
    mine = [k for k, n in enumerate(of) if n == number]
    shared = [k for k, n in enumerate(of) if n == WHOLE_MODEL]
    at = mine[-1] + 1 if mine else shared[0] if shared else len(coats)
    return [*coats[:at], new, *coats[at:]]
