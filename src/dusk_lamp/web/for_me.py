"""Plan it for me: regions guessed, colours from three words or a picture, undercoat fitted, the two-hour plan laid,
at a press."""

from dataclasses import replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, render_template, request, url_for
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.paint.colour import rgb_from_hex
from ..core.plan.simulation import digest
from ..core.target.scheme import (
    WORDS,
    Scheme,
    in_scheme,
    named_by_place,
    palette_of_picture,
    schemes_of_picture,
    schemes_of_words,
)
from ..core.view.camera import Camera
from ..core.view.raster import colour_picture
from ..store.cache import code_mark, key_of
from ..store.store import new_job
from .background import in_background, not_yet
from .bench import url_for_stage, waiting
from .body import Body, json_body
from .editing import Edit, OpenPlan, changed, opened, with_marking
from .responses import drawn_once
from .stage_registry import string_of
from .stages.regions.pieces import guessed, tree_of_pieces
from .workshop import laid_out, the_sculpt, workshop

blueprint = Blueprint("for_me", __name__)
KIND = "for_me"
PICTURE_SIZE = (264, 336)
LARGEST_PIXELS = 40_000_000
SMALL = (400, 400)
USUAL_WORDS = ("sea", "warm", "old")


@blueprint.get("/sculpts/<int:sculpt_id>/for-me")
def for_me(sculpt_id: int) -> str:
    """Three words or a picture, three schemes to choose from, and one button."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready or not sculpt.sky_key:
            return waiting(sculpt, "sketch")
        return render_template(
            "for_me.html",
            sculpt=sculpt,
            stages=string_of(sculpt),
            words=WORDS,
            usual=USUAL_WORDS,
            turn=sculpt.plan_id,
            marked=len(sculpt.document["regions"]),
        )


@blueprint.post("/sculpts/<int:sculpt_id>/for-me/schemes")
def schemes(sculpt_id: int) -> tuple[Response, int] | Response:
    """Three schemes for words, or for the palette of a picture; regions are guessed first where there are none."""
    given = json_body()
    found = _schemes(given)
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        bare, turn, laid = not sculpt.document["regions"], sculpt.plan_id, laid_out(sculpt)
    if bare:
        if working := in_background(("guess", sculpt_id, laid.surface_key), lambda say: tree_of_pieces(laid, say)):
            return not_yet(working)
        done = changed(sculpt_id, Body(turn=turn), _guess, sky=False)
        if not isinstance(done, int):
            return done
        turn = done
    rows = [
        {
            "name": s.name,
            "colours": s.colours,
            "picture": url_for(".look", sculpt_id=sculpt_id, colours=",".join(s.colours), turn=turn),
        }
        for s in found
    ]
    return jsonify(turn=turn, schemes=rows)


def _schemes(given: Body) -> list[Scheme]:
    if given.get("palette"):
        colours = [str(c) for c in given.listed("palette", 12)]
        for colour in colours:
            rgb_from_hex(colour)  # refused here where it is none
        return schemes_of_picture(colours)
    return schemes_of_words([str(w) for w in given.listed("words")])


def _guess(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    site = open_plan.site
    named = named_by_place(guessed(open_plan.open), site.surface, site.paintable).renewed(site.marking)
    return with_marking(open_plan, named, "regions guessed for you", ("regions",))


@blueprint.get("/sculpts/<int:sculpt_id>/for-me.png")
def look(sculpt_id: int) -> Response:
    """What the model ought to look like in four colours (`colours`, by commas), from the display view."""
    scheme = Scheme("", _four(request.args.get("colours", "").split(",")))
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    context, regions = open_plan.context, _coloured(open_plan, scheme)
    key = key_of(
        "for me",
        code_mark(),
        open_plan.open.surface_key,
        digest(open_plan.site.labels, [r.colour for r in regions]),
        list(context.view),
    )

    def draw() -> NDArray:
        aim = context.on(replace(context.plan, regions=regions)).target("colour")
        return colour_picture(
            open_plan.site.surface, aim.colour[open_plan.site.shown], Camera(*context.view), *PICTURE_SIZE
        )

    return drawn_once(key, draw)


def _four(colours: list[Any]) -> tuple[str, str, str, str]:
    if len(colours) != 4:
        raise SettingError("a scheme has four colours; choose one of those shown")
    for colour in colours:
        rgb_from_hex(str(colour))
    a, b, c, d = (str(colour) for colour in colours)
    return a, b, c, d


def _coloured(open_plan: OpenPlan, scheme: Scheme) -> tuple[Any, ...]:
    site = open_plan.site
    return in_scheme(
        open_plan.plan.regions, site.marking.areas(site.surface, site.paintable)[1:], scheme, open_plan.context.rack
    )


@blueprint.post("/sculpts/<int:sculpt_id>/for-me/palette")
def palette(sculpt_id: int) -> Response:
    """The colours that a picture is made of; nothing of it is kept."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise SettingError("no picture came along; choose one")
    try:
        Image.MAX_IMAGE_PIXELS = LARGEST_PIXELS
        with Image.open(file.stream, formats=("JPEG", "PNG", "WEBP", "GIF")) as opened_:
            if opened_.width * opened_.height > LARGEST_PIXELS:
                raise SettingError("the picture is larger than 40 megapixels; make it smaller")
            opened_.draft("RGB", SMALL)
            small = ImageOps.exif_transpose(opened_.convert("RGB"))
            small.thumbnail(SMALL)
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as e:
        raise SettingError("the picture is larger than 40 megapixels; make it smaller") from e
    except (UnidentifiedImageError, OSError, ValueError) as e:
        if isinstance(e, SettingError):
            raise
        raise SettingError("this is no picture this bench can read; bring a JPEG or PNG") from e
    return jsonify(palette=palette_of_picture(np.asarray(small, np.float64) / 255))


@blueprint.post("/sculpts/<int:sculpt_id>/for-me")
def plan(sculpt_id: int) -> tuple[Response, int] | Response:
    """Take a scheme (`colours`), and have everything else worked out. `turn` says which revision it was made on."""
    done = changed(sculpt_id, json_body(), _taken, sky=False)
    if not isinstance(done, int):
        return done
    with workshop().store.saving() as session:
        job_id = new_job(session, the_sculpt(session, sculpt_id), KIND).id
    workshop().queue.add(job_id)
    return jsonify(turn=done), 202


def _taken(session: Session, open_plan: OpenPlan, what: str, given: Body) -> Edit:
    if not open_plan.plan.regions:
        raise SettingError("choose words or a picture first")
    scheme = Scheme("", _four(given.listed("colours")))
    return Edit(
        replace(open_plan.kept.plan, regions=_coloured(open_plan, scheme)),
        "colours chosen for you",
        done=("regions", "view", "light", "greys", "sketch", "undercoat", "colour"),
    )


@blueprint.get("/sculpts/<int:sculpt_id>/for-me/state")
def state(sculpt_id: int) -> Response:
    """How far the plan is: open, step and share; where to go once it is there; what went wrong."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        job = next((j for j in sorted(sculpt.jobs, key=lambda j: -j.id) if j.kind == KIND), None)
        if job is None:
            return jsonify(open=False, number=None)
        return jsonify(
            open=job.open,
            number=job.id,
            step=job.step,
            share=job.share,
            state=job.state,
            message=job.message,
            sheet=url_for_stage("sheet", sculpt_id),
            stop=url_for("shelf.stop", job_id=job.id),
        )
