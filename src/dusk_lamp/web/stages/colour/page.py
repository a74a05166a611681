"""The colours as a page shows them: regions with their ways, coats, the palette."""

from typing import Any

import numpy as np
from flask import Response, jsonify, url_for
from sqlalchemy.orm import Session

from ....core.coat.coat import Coat
from ....core.coat.finish import finish_words, shares_of
from ....core.coat.technique import techniques
from ....core.errors import SettingError
from ....core.paint.colour import ILLUMINANTS, delta_e, lab, xyz
from ....core.plain import plain
from ....core.plan.brief import NEAR
from ....core.plan.economy.coats import WAY as ECONOMY
from ....core.plan.features.colour.feature import FEATURE
from ....core.plan.features.colour.overspray import overspray
from ....core.plan.features.colour.ways import ways
from ....core.plan.palette.puddles import palette_for, palette_words
from ....core.plan.steps.cards import used_on
from ....core.plan.steps.cautions import cautions_for
from ....core.plan.steps.order import WHOLE_MODEL, out_of_order, region_of
from ....core.plan.steps.step import drops_of_each, row_of
from ....core.plan.steps.times import times_of
from ....core.results import known
from ....core.sculpt.parts import seams
from ....core.units import counted, minutes_words
from ....store import painters, paints, plans
from ....store.cache import key_of
from ....store.models import Sculpt
from ....store.open_sculpts import OpenSculpt
from ...background import Say, not_yet, waited_for
from ...editing import OpenPlan, opened, shown_once
from ...stage_registry import STAGES, state_of
from ...workshop import colour_names, workshop
from .common import blueprint, colours_of, looked

CHANGED = (
    "The light or the look has changed since these were laid: press a plan above, or a way, to lay them for "
    "what holds now."
)


def panel(session: Session, sculpt: Sculpt, open_sculpt: OpenSculpt) -> dict[str, Any]:
    """What the panel shows; the coats come as colour.json."""
    return {
        "ways": ways(),
        "lights": ILLUMINANTS,
        "techniques": [t for t in techniques().values() if t.by_hand],
        "colours": colour_names(session),
        "tools": painters.tools_of(session),
        "varnishes": [(p.name, p.of("finish")) for p in paints.varnishes(session)],
    }


@blueprint.get("/sculpts/<int:sculpt_id>/colour.json")
def shown(sculpt_id: int) -> Response | tuple[Response, int]:
    """Regions with the way each is painted and how near it comes; the coats in colour as a painter reads them."""
    with workshop().store.session() as session:
        try:
            open_plan = opened(session, sculpt_id)
        except SettingError as e:
            return jsonify(trouble=str(e), rack=url_for("rack.rack"))
        undo, redo = plans.can_step(session, open_plan.sculpt)

    def work(say: Say) -> None:
        say("Laying the undercoat", 0.1)
        looked(open_plan, 0)
        say("Laying the colours", 0.5)
        looked(open_plan, len(colours_of(open_plan)))

    again = state_of(open_plan.sculpt, next(s for s in STAGES if s.name == "colour")) == "again"
    if working := waited_for(known(_facts, open_plan, again), ("colour", sculpt_id, open_plan.turn), work):
        return not_yet(working)
    return jsonify(turn=open_plan.turn, undo=undo, redo=redo, **_facts(open_plan, again))


@shown_once()
def _facts(open_plan: OpenPlan, again: bool) -> dict[str, Any]:
    """What the page says. again: something that these coats rest on has changed."""
    context, site, coats = open_plan.context, open_plan.site, colours_of(open_plan)
    region_ids = [region_of(site, c) for c in coats]
    areas, near = site.marking.areas(site.surface, site.paintable), FEATURE.near(context)
    rows = [
        _region_row(open_plan, k, coats, region_ids, areas, near.get(k))
        for k in range(1, len(site.marking.regions) + 1)
    ]
    steps = open_plan.steps(coats, context.before(FEATURE.name))
    listed = [_coat_row(open_plan, k, s, n) for k, (s, n) in enumerate(zip(steps, region_ids, strict=True))]
    kept = [s for s in steps if not s.muted]
    share, times = FEATURE.near_share(context, near), times_of(kept, open_plan.plan.models).words if kept else ""
    names = {WHOLE_MODEL: "The whole model", **dict(enumerate(["the rest", *(r.name for r in site.marking.regions)]))}
    done, count = sum(r["done"] for r in rows), len(rows)
    words = (
        "Mark the regions first: each is painted its own way then."
        if not rows
        else f"{done} of {counted(count, 'region', 'regions')}, {counted(len(coats), 'coat', 'coats')}: "
        f"{100 * (share or 0):.0f} % of what is painted comes near its colour (ΔE {NEAR:g}). {times}."
        if coats
        else "Choose a region, then a way to paint it: each is shown on this very model."
    )
    if coats and again:
        words = f"{words} {CHANGED}"
    shares = shares_of(context.simulation.finish([*context.before(FEATURE.name), *coats])[0], site.areas)
    return {
        "words": words,
        "regions": rows,
        "done": f"{done} of {count} painted" if rows else "none marked",
        "coats": listed,
        "count": counted(len(coats), "coat", "coats") if coats else "none yet",
        "times": times,
        "limit": NEAR,
        "near": share and round(share, 4),
        "under": key_of(context.target_key(FEATURE.name), plain(context.before(FEATURE.name)))[:12],
        "seams": _seams(open_plan),
        "order": [{"region": names[p.region], "why": p.why} for p in FEATURE.places(context)],
        "out_of_order": list(dict.fromkeys(b.why for b in out_of_order(site, coats))),
        "palette": _palette(open_plan, coats, steps),
        "planned": str(context.wishes(FEATURE.name).budget),
        "aim": key_of("aim", 1, context.target_key("metal"), [p.name for p in context.rack])[:12],
        "finish": finish_words(shares) if coats else "Nothing is painted in colour yet.",
        "cautions": cautions_for(*dict.fromkeys(tag for s in kept for tag in s.caution_tags)),
    }


def _palette(open_plan: OpenPlan, coats: list[Coat], steps: list[Any]) -> dict[str, Any]:
    """Pots to have out and puddles to mix for all that is brushed on, in the order they are needed."""
    kept = [(c, s) for c, s in zip(coats, steps, strict=True) if not c.muted]
    laid = [c for c, _ in kept]
    puddles, _ = palette_for(laid, [s.all_ml for _, s in kept], open_plan.context.tools.drops_per_ml)
    rows = [
        {
            "letter": p.letter,
            "hex": p.mix.colour.hex,
            "words": p.mixing,
            "used": used_on(open_plan.site, laid, p),
        }
        for p in puddles
    ]
    pots = list(dict.fromkeys(name for p in puddles for name in p.parts))
    count = f"{counted(len(pots), 'pot', 'pots')}, {counted(len(puddles), 'puddle', 'puddles')}" if pots else ""
    words = f"Have out, in this order: {', '.join(pots)}. Puddles: {palette_words(puddles)}." if pots else ""
    return {"pots": pots, "puddles": rows, "count": count, "words": words}


def _region_row(
    open_plan: OpenPlan, k: int, coats: list[Coat], region_ids: list[int], areas: Any, near: Any
) -> dict[str, Any]:
    region, count, can = open_plan.site.marking.regions[k - 1], region_ids.count(k), bool(areas[k] > 0)
    way = coats[region_ids.index(k)].way if count else ""
    title = ways()[way].title if way in ways() else "planned together" if way == ECONOMY else "by hand"
    covered = FEATURE.covered(open_plan.context).get(region.id)
    left = f"left to “{covered}”, which covers all of it" if covered else "not painted yet"
    words = f"{title}, {counted(count, 'coat', 'coats')}" if count else left
    return {
        "number": k,
        "name": region.name,
        "hex": open_plan.context.locals[k].colour,
        "way": way if count and can else "",
        "coats": count,
        "done": bool(count or covered),
        "near": plain(near) if near else None,
        "material": region.material,
        "can": can,
        "share": round(float(areas[k] / max(areas.sum(), 1e-9)), 4),
        "words": words if can else "nothing of it can be painted",
    }


def _coat_row(open_plan: OpenPlan, k: int, step: Any, number: int) -> dict[str, Any]:
    coats = colours_of(open_plan)
    much = f"{step.laid_um:g} µm" if step.laid_um is not None else f"{step.seconds:g} s"
    beside = overspray(open_plan.site, coats[k], coats[k + 1 :]).words
    facts = (
        f"{drops_of_each(step.drops_of_one)}; {minutes_words(step.hand_minutes)} at the model, "
        f"{minutes_words(step.wait_minutes)} to dry."
    )
    return {
        **row_of(step, open_plan.site),
        "number": k + 1,
        "region": number,
        "words": f"{step.paint}, {much}",
        "beside": beside,
        "facts": " ".join(w for w in (facts, beside, *step.warnings) if w),
    }


def _seams(open_plan: OpenPlan) -> list[str]:
    """How far the colours on either side of each seam of parts painted apart are from each other."""
    named, site = open_plan.sculpt.named_parts, open_plan.site
    if not any(part.apart for part in named):
        return []
    seen, out = looked(open_plan, len(colours_of(open_plan))), []
    for seam in seams(site.surface, named, site.paintable):
        one, other = (
            lab(xyz(np.average(seen[on], axis=0, weights=site.areas[on] + 1e-9))) for on in (seam.on_a, seam.on_b)
        )
        off = float(delta_e(one, other))
        words = "they match" if off <= NEAR else "they do not match where they meet"
        out.append(f"{named[seam.a].name} on {named[seam.b].name}, {seam.length:.0f} mm: ΔE {off:.1f}, {words}")
    return out
