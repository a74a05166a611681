"""The palette and the glaze bench: mixes, ladders, matches, recipes, passes; all of it worked out in the core."""

from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, jsonify, render_template, url_for
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.paint.colour import ILLUMINANTS, colour_of, colour_of_hex
from ..core.paint.cost import EFFICIENCY, amount, drop_words, drops_for
from ..core.paint.glaze import USUAL_SHARE, USUAL_THINNING, glaze, thinning_for
from ..core.paint.ladder import CUSTOMARY, LadderStep, customary, ladder, ladder_unevenness
from ..core.paint.mix import EARNS, MOST_PAINTS_IN_A_MIX, MOST_PARTS, Mix, coloured, match, near_words
from ..core.paint.rack import Paint, Rack
from ..core.paint.thin import JOBS
from ..core.plain import built, plain
from ..core.units import DROPS_PER_ML
from ..store import paints, plans
from ..store.models import Recipe, Sculpt, now
from .body import Body, json_body
from .editing import opened
from .primers import weighed_primers
from .rack import COATS, drawdown
from .ranges import within
from .workshop import shelf_of, workshop

blueprint = Blueprint("palette", __name__)
MOST_PLANS, MOST_MIXES = 3, 12  # that are shown under the mix
GROUNDS = ("black", "#777777", "white")


@blueprint.get("/palette")
def palette() -> str:
    """Mix paints."""
    with workshop().store.session() as session:
        rack = paints.rack_of(session)
        shelf = [s for s in shelf_of(session) if s.ready]
        return render_template(
            "palette.html",
            paints=_listed(rack),
            recipes=_recipes(session),
            planned=_planned(session, shelf),
            wells=MOST_PAINTS_IN_A_MIX,
            most=MOST_PARTS,
            jobs=JOBS,
            tools=list(EFFICIENCY),
            drops_per_ml=DROPS_PER_ML,
            customary=list(CUSTOMARY),
            shelf=shelf,
        )


@blueprint.get("/glaze")
def glaze_bench() -> str:
    """Passes over a sketch, one by one."""
    with workshop().store.session() as session:
        return render_template(
            "glaze.html",
            paints=_listed(paints.rack_of(session)),
            recipes=_recipes(session),
            thinning=USUAL_THINNING,
            keep=USUAL_SHARE,
        )


def _listed(rack: Rack) -> list[dict[str, Any]]:
    return [
        {"name": p.name, "kind": p.kind, "hex": p.looks.hex, "value": round(p.looks.value, 1)}
        for p in sorted(rack, key=lambda p: p.name.casefold())
        if p.of_kind.changes_colour
    ]


def _recipes(session: Session) -> list[dict[str, Any]]:
    return [
        {
            "id": r.id,
            "name": r.name,
            "hex": r.mix.colour.hex,
            "value": round(r.mix.colour.value, 1),
            "words": r.mix.words(),
            "wells": [{"paint": p["name"], "parts": n} for p, n in zip(r.paints, r.parts, strict=True)],
        }
        for r in paints.recipes(session)
    ]


def _planned(session: Session, shelf: list[Sculpt]) -> list[dict[str, Any]]:
    """The mixes of the plans on the shelf that were made last, by sculpt: those of two paints and more, as they are
    used."""
    out = []
    for sculpt in [s for s in shelf if s.held.coats_key][:MOST_PLANS]:
        coats = [c for c in plans.plan_of(session, sculpt).coats if not c.muted and len(c.mix.counted()) > 1]
        uses: dict[str, tuple[Mix, str]] = {}
        for coat in coats:
            uses.setdefault(coat.mix.words(), (coat.mix, coat.label))
        mixes = [
            {
                "words": words,
                "hex": mix.colour.hex,
                "value": round(mix.colour.value, 1),
                "for": label,
                "mix": ",".join(f"{name}:{n}" for name, n in mix.counted().items()),
            }
            for words, (mix, label) in uses.items()
        ]
        if mixes:
            out.append({"name": sculpt.name, "mixes": mixes[:MOST_MIXES], "more": max(0, len(mixes) - MOST_MIXES)})
    return out


def _mix(session: Session, given: Body) -> Mix:
    """The mix that came from the page: `wells` of paint and parts, or `name` of a recipe or paint."""
    if given.get("name"):
        mix = paints.colour_called(session, str(given["name"]))
        if mix is None:
            raise SettingError(f"there is no paint or recipe called “{given['name']}” any more")
        return mix
    rack = paints.rack_of(session)
    kept = {p["name"].casefold(): p for r in paints.recipes(session) for p in r.paints}
    wells = [(str(w["paint"]), w.whole("parts")) for w in given.bodies("wells", MOST_PAINTS_IN_A_MIX)]
    on_rack = {p.name.casefold(): p for p in rack}
    chosen = []
    for name, _ in wells:
        key = name.casefold()
        chosen.append(
            on_rack[key] if key in on_rack else built(Paint, kept[key], "a paint") if key in kept else rack.find(name)
        )
    return coloured(Mix(tuple(chosen), tuple(n for _, n in wells)))


def _number(given: Body, name: str, usual: float, low: float, high: float) -> float:
    try:
        value = float(given.get(name, usual))
    except (TypeError, ValueError) as e:
        raise SettingError(f"{name.replace('_', ' ')} is a number, such as {usual:g}") from e
    if not (np.isfinite(value) and low <= value <= high):
        raise SettingError(f"{name.replace('_', ' ')} is between {low:g} and {high:g}, not {value:g}")
    return value


@blueprint.post("/palette/look")
def look() -> Response:
    """A mix: its colour under three lamps, its drawdown, its coats over the cards, drops for one model and the
    squad."""
    given = json_body()
    area = _number(given, "area", 500, 0, 1e7)
    models = int(_number(given, "models", 1, 1, 1000))
    per_ml = _number(given, "drops_per_ml", DROPS_PER_ML, 1, 200)
    tool = str(given.get("tool", "brush"))
    with workshop().store.session() as session:
        mix = _mix(session, given)
    one = amount(area, mix.coat_um, mix.solids, 1, tool, per_ml)
    of_one, of_all = (drops_for(mix.counted(), n * one.ml, per_ml) for n in (1, models))
    words = f"One coat: {one.ml:.2f} ml, {drop_words(of_one)}"
    if models > 1:
        words += f"; for all {models}: {models * one.ml:.2f} ml, {drop_words(of_all)}"
    return jsonify(
        {
            "words": mix.words(),
            "colour": plain(mix.colour),
            "lamps": {light: plain(colour_of(mix.pigment.masstone, light)) for light in ILLUMINANTS},
            "drawdown": drawdown(mix.pigment, mix.coat_um, GROUNDS),
            "contrast": [round(mix.pigment.contrast_ratio(n * mix.coat_um), 3) for n in COATS],
            "coat_um": round(mix.coat_um, 1),
            "one": plain(one) | {"parts": of_one},
            "squad": {"ml": round(one.ml * models, 3), "parts": of_all},
            "amount_words": words,
        }
    )


@blueprint.post("/palette/worn")
def worn() -> Response:
    """Which plans on the shelf have a mix, and at which of their steps."""
    found = []
    with workshop().store.session() as session:
        parts = _mix(session, json_body()).counted()
        for sculpt in (s for s in shelf_of(session) if s.held.coats_key):
            coats = [c for c in plans.plan_of(session, sculpt).coats if not c.muted]
            steps = [(k, c.label) for k, c in enumerate(coats, 1) if c.mix.counted() == parts]
            if steps:
                number, label = steps[0]
                words = f"{label} (step {number})" + (f" and {len(steps) - 1} more" if steps[1:] else "")
                sheet = url_for("sheet.sheet", sculpt_id=sculpt.id, _anchor=f"step-{number}")
                found.append({"name": sculpt.name, "words": words, "sheet": sheet})
    return jsonify(worn=found)


@blueprint.post("/palette/match")
def find() -> Response:
    """The three best mixes for a colour."""
    given = json_body()
    wanted = colour_of_hex(str(given.get("colour", "")))
    with workshop().store.session() as session:
        best = match(
            wanted, paints.rack_of(session).mixable(), int(_number(given, "most", 3, 1, 3)), best=3, earns=EARNS
        )
    return jsonify(
        wanted=plain(wanted),
        mixes=[
            m.report()
            | {
                "near": near_words(m.delta_e),
                "words": m.mix.words(),
                "wells": [{"paint": k, "parts": n} for k, n in m.mix.counted().items()],
            }
            for m in best
        ],
    )


@blueprint.post("/palette/ladder")
def steps() -> Response:
    """A ladder from one paint to another, even, and the customary ones beside it where there is a middle."""
    given = json_body()
    with workshop().store.session() as session:
        rack = paints.rack_of(session)
        dark, light = (rack.find(str(given.get(k, ""))) for k in ("dark", "light"))
        middle = rack.find(str(given["mid"])) if given.get("mid") else None
    rungs = ladder(dark, light, middle, int(within(str(given.get("steps", 5)), "rungs")))
    ladders = [{"name": "even steps", **_rungs(rungs)}]
    if middle is not None:
        ladders += [{"name": name, **_rungs(customary(dark, middle, light, name))} for name in CUSTOMARY]
    return jsonify(ladders=ladders)


def _rungs(rungs: list[LadderStep]) -> dict[str, Any]:
    return {
        "unevenness": round(ladder_unevenness(rungs), 1),
        "steps": [
            r.report()
            | {"words": r.mix.words(), "wells": [{"paint": k, "parts": n} for k, n in r.mix.counted().items()]}
            for r in rungs
        ],
    }


@blueprint.post("/recipes")
def keep() -> Response:
    """Keep a mix as a recipe."""
    given = json_body()
    with workshop().store.saving() as session:
        paints.keep_recipe(session, str(given.get("called", "")), _mix(session, given))
        return jsonify(recipes=_recipes(session))


@blueprint.post("/recipes/<int:recipe_id>/<what>")
def recipe(recipe_id: int, what: str) -> Response:
    """Take a recipe away, or put it back."""
    with workshop().store.saving() as session:
        recipe = session.get(Recipe, recipe_id)
        if recipe is None or what not in ("delete", "restore"):
            abort(404)
        taken = {r.name.casefold() for r in paints.recipes(session)}
        if what == "restore" and recipe.deleted_at is not None and recipe.name.casefold() in taken:
            raise SettingError(
                f"there is another recipe called “{recipe.name}” by now; give that one another name first"
            )
        recipe.deleted_at = now() if what == "delete" else None
        session.flush()
        return jsonify(recipes=_recipes(session))


@blueprint.post("/palette/primer")
def primer() -> Response:
    """Which primer costs the fewest coats for a sculpt's regions and their colours, with the table behind it."""
    given = json_body()
    with workshop().store.session() as session:
        open_plan = opened(session, int(_number(given, "sculpt", 0, 1, 1e9)), sky=False)
        verdicts, missing = weighed_primers(session, open_plan)
    if not verdicts:
        raise SettingError(
            "there is nothing to weigh primers by: no region of this sculpt has a colour yet (choose colours under "
            "“Mark regions”), or there is no primer on the rack"
        )
    return jsonify(
        missing=missing,
        primers=[
            {
                "name": v.primer.name,
                "hex": v.primer.looks.hex,
                "coats": round(v.coats, 1),
                "minutes": round(v.minutes),
                "rows": v.rows,
            }
            for v in verdicts
        ],
    )


@blueprint.post("/glaze/passes")
def passes() -> Response:
    """What passes of a glaze make of a sketch's values, and the advised stop."""
    given = json_body()
    with workshop().store.session() as session:
        mix = _mix(session, given)
    try:
        sketch = [float(v) for v in given.get("sketch", (1.5, 3.5, 5.5, 7.5, 9.5))][:12]
    except (TypeError, ValueError) as e:
        raise SettingError("a sketch is a row of values between 0 and 10") from e
    keep = within(str(given.get("keep", USUAL_SHARE)), "kept")
    found = glaze(
        mix,
        sketch,
        int(within(str(given.get("passes", 6)), "passes")),
        within(str(given.get("thinning", USUAL_THINNING)), "thinning"),
        keep,
    )
    advice = thinning_for(mix, keep, sketch)
    return jsonify(
        advice=plain(advice),
        words=mix.words(),
        film_um=round(found.film_um, 1),
        advised=found.advised,
        sketch=found.sketch.tolist(),
        passes=[
            {
                "hexes": row,
                "values": found.value[k].round(1).tolist(),
                "left": round(float(found.left[k]), 3),
                "chroma": round(float(found.chroma[k].mean()), 1),
            }
            for k, row in enumerate(found.hexes)
        ],
    )
