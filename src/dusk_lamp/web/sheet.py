"""The plan sheet: on screen, for the printer, and as PDF."""

import threading
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, render_template
from werkzeug.utils import secure_filename

from ..core.plan.steps import rig_words
from ..core.sculpt.parts import seams
from ..core.sculpt.site import Site
from ..core.view.camera import VIEWS
from ..core.view.sheet import SheetFacts, plan_pdf
from ..store.models import Sculpt
from ..store.plans import Plan, draw, plan_of
from .app import workshop
from .common import stages_of, the_sculpt

blueprint = Blueprint("sheet", __name__)
FONTS = Path(__file__).parent / "static" / "vendor" / "fonts"
_drawing = threading.Lock()  # twenty-five pictures are asked for at once and drawn once


@lru_cache(maxsize=4)
def _worked_out(surface_key: str, sky: bool, revision: int, wishes: str, sculpt_id: int) -> tuple[Site, Plan]:
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        site = workshop().scenes.of(sculpt).site
        return site, plan_of(sculpt, site)


def plan_for(sculpt: Sculpt) -> tuple[Site, Plan]:
    """The plan of a sculpt as it is kept now, worked out once."""
    if sculpt.surface_key is None:
        abort(409)
    try:
        return _worked_out(
            sculpt.surface_key,
            sculpt.sky_key is not None,
            sculpt.revision,
            repr((sculpt.display, sculpt.shadowless)),
            sculpt.id,
        )
    except KeyError:
        abort(409)


@blueprint.get("/sculpts/<int:sculpt_id>/sheet")
def sheet(sculpt_id: int) -> str:
    """The steps, each with its grey, its pictures, how much of the surface, and what to mind."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if not sculpt.ready:
            return render_template(
                "waiting.html", sculpt=sculpt, stages=stages_of(sculpt, "sheet"), stages_of=stages_of
            )
        site, plan = plan_for(sculpt)
        return render_template(
            "sheet.html", sculpt=sculpt, stages=stages_of(sculpt, "sheet"), plan=plan, views=list(VIEWS),
            seams=seams_of(sculpt, site, plan.value), words=rig_words(plan.rig), surface=site.surface, whole=float(plan.bands.area_mm2.sum()),
        )  # fmt: skip


def seams_of(sculpt: Sculpt, site: Site, value: np.ndarray) -> list[dict[str, Any]]:
    """The seams to be matched, with the value (N,) on either side and the length in mm, as plain values."""
    named, out = sculpt.named_parts, []
    for seam in seams(site.surface, named, site.paintable):
        on_a, on_b = seam.either_side(site.surface, value)
        out.append(
            {
                "a": named[seam.a].name, "b": named[seam.b].name, "value_a": round(on_a, 1),
                "value_b": round(on_b, 1), "length": round(seam.length, 1),
            }
        )  # fmt: skip
    return out


def seam_words(seam: dict[str, Any]) -> str:
    """One seam in a line."""
    return "{a} on {b}: N {value_a:.1f} against N {value_b:.1f}, along {length:.0f} mm".format(**seam)


def _picture(sculpt: Sculpt, name: str) -> bytes:
    site, plan = plan_for(sculpt)
    with _drawing:
        draw(workshop().store.cache, site, plan)
    return workshop().store.cache.blob(plan.key, name)


@blueprint.get("/sculpts/<int:sculpt_id>/steps/<which>/<view>.png")
def picture(sculpt_id: int, which: str, view: str) -> Response:
    """A step's picture (numbered from 1) from one view, or `finished`."""
    if view not in (*VIEWS, "display") or not (which == "finished" or which.isdecimal()):
        abort(404)
    name = f"finished-{view}.png" if which == "finished" else f"{int(which) - 1}-{view}.png"
    with workshop().store.session() as session:
        try:
            return Response(_picture(the_sculpt(session, sculpt_id), name), mimetype="image/png")
        except KeyError:
            abort(404)


@blueprint.get("/sculpts/<int:sculpt_id>/plan.pdf")
def pdf(sculpt_id: int) -> Response:
    """The sheet as PDF."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        site, plan = plan_for(sculpt)
        facts = SheetFacts(
            sculpt.name,
            rig_words(plan.rig),
            site.surface.height,
            float(plan.bands.area_mm2.sum()),
            plan.bands.notice,
            [seam_words(seam) for seam in seams_of(sculpt, site, plan.value)],
        )
        content = plan_pdf(
            facts, plan.steps, list(VIEWS), lambda k, view: _picture(sculpt, f"{k}-{view}.png"),
            _picture(sculpt, "finished-display.png"), FONTS,
        )  # fmt: skip
        return download(content, "application/pdf", f"{sculpt.name} plan.pdf")


def download(content: bytes, kind: str, name: str) -> Response:
    """A file for the painter's disk, under a harmless name."""
    safe = secure_filename(name) or "sculpt"
    return Response(content, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{safe}"'})
