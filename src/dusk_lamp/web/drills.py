"""Drills: two minutes of exercise for the eye, from a sculpt on the shelf, graded and explained."""

import secrets
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, Response, abort, jsonify, render_template, request, url_for

from ..core.drill import drill, drills
from ..core.drill.practice import next_drill
from ..core.errors import SettingError
from ..core.plain import plain
from ..core.sculpt.site import Site
from ..core.view.formats import png_bytes
from ..store import drills as kept
from .body import json_body
from .cards import exercises
from .limits import number_of
from .responses import picture
from .workshop import laid_out, shelf_of, the_sculpt, workshop

blueprint = Blueprint("drills", __name__)
MOST_SEEDS = 1_000_000


@blueprint.get("/drills")
def index() -> str:
    """All drills, how well each is known, and which comes next."""
    with workshop().store.session() as session:
        cards = kept.due_cards(session)
        ready = [s for s in shelf_of(session) if s.ready]
        following = next_drill(kept.plain_cards(session), tuple(drills()), datetime.now(UTC))
        rows = [
            {
                "drill": exercise,
                "card": cards.get(name),
                "next": name == following,
            }
            for name, exercise in drills().items()
        ]
        painted = [{"card": exercise, "done": cards.get(exercise.name)} for exercise in exercises()]
        return render_template("drills.html", rows=rows, painted=painted, sculpts=ready, following=following)


@blueprint.get("/drills/<name>")
def play(name: str) -> str:
    """One question of a drill: sculpt and seed say which; another seed where none is named."""
    exercise = _named(name)
    with workshop().store.session() as session:
        ready = [s for s in shelf_of(session) if s.ready]
    if not ready:
        raise SettingError("drills are made from a sculpt: add one to the shelf first")
    wanted = request.args.get("sculpt", "")
    sculpt_id = int(wanted) if wanted.isdecimal() else ready[0].id
    seed = int(number_of(request.args.get("seed") or str(secrets.randbelow(MOST_SEEDS)), "the seed", 0, MOST_SEEDS))
    site = _site(sculpt_id)
    question = exercise.make(site, seed)
    asked_for = {k: v for k, v in plain(question).items() if k not in ("truth", "why")}
    shown = url_for(".shown", name=name, sculpt_id=sculpt_id, seed=seed, which="asked")
    return render_template(
        "drill.html", drill=exercise, task=asked_for, picture=shown, sculpts=ready, sculpt_id=sculpt_id, seed=seed
    )


@blueprint.get("/drills/<name>/<int:sculpt_id>/<int:seed>/<which>.png")
def shown(name: str, sculpt_id: int, seed: int, which: str) -> Response:
    """The picture of a question, or solved."""
    if which not in ("asked", "solved"):
        abort(404)
    exercise, site = _named(name), _site(sculpt_id)
    return picture(png_bytes(exercise.picture(site, exercise.make(site, seed), which == "solved")))


@blueprint.post("/drills/<name>/<int:sculpt_id>/<int:seed>")
def answer(name: str, sculpt_id: int, seed: int) -> Response:
    """An answer graded, explained, and kept for what comes next."""
    exercise, site = _named(name), _site(sculpt_id)
    question = exercise.make(site, seed)
    grade = exercise.grade(question, json_body().get("answer"))
    with workshop().store.saving() as session:
        kept.answered(session, name, grade.good)
        following = next_drill(kept.plain_cards(session), tuple(drills()), datetime.now(UTC))
    return jsonify(
        **plain(grade),
        truth=question.truth,
        teaches=exercise.teaches,
        solved=url_for(".shown", name=name, sculpt_id=sculpt_id, seed=seed, which="solved"),
        again=url_for(".play", name=name, sculpt=sculpt_id),
        next=url_for(".play", name=following, sculpt=sculpt_id),
        next_title=drill(following).title,
    )


def _named(name: str) -> Any:
    if name not in drills():
        abort(404)
    return drill(name)


def _site(sculpt_id: int) -> Site:
    """The sculpt that questions are made from."""
    with workshop().store.session() as session:
        open_sculpt = laid_out(the_sculpt(session, sculpt_id))
    if open_sculpt.site.visibility is None:
        abort(409)
    return open_sculpt.site
