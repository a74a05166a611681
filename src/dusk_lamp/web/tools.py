"""My tools: what is at the table. Schools, settings and steps propose nothing else."""

from datetime import datetime
from typing import Any

from flask import Blueprint, Response, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from ..core.paint.thin import NEEDLES
from ..core.plan.features.undercoat.schools import schools
from ..core.workplace.room import USUAL_C, USUAL_DAMP, Room
from ..core.workplace.room_sensor import read
from ..core.workplace.tools import VARNISHES, Tools
from ..store import painters
from .ranges import within
from .workshop import wants_json, workshop

blueprint = Blueprint("tools", __name__)
MOST_BRUSHES = 12


@blueprint.get("/tools")
def tools() -> str:
    """The form, filled with what was kept."""
    with workshop().store.session() as session:
        tools_here = painters.tools_of(session)
    return _page(tools_here)


def _page(tools: Tools, trouble: str = "", kept: bool = False) -> str:
    lacks = {s.title: tools.lack(*s.needs) for s in schools().values()} | {"Fitted passes": tools.lack("airbrush")}
    return render_template(
        "tools.html",
        own=tools,
        needles=NEEDLES,
        varnishes=VARNISHES,
        trouble=trouble,
        kept=kept,
        lacks=lacks,
        sensor=workshop().settings.room_sensor,
        brushes=", ".join(f"{b:g}" for b in tools.brushes),
    )


@blueprint.get("/tools/room.json")
def room() -> Response:
    """What the room's sensor reads now: temperature, humidity, and what that asks of the hand."""
    now = datetime.now()
    found = read(workshop().settings.room_sensor, now.hour * 60 + now.minute)
    words = f"{found.drying_words} {found.words}".strip()
    return jsonify(temperature=found.temperature, humidity=found.humidity, words=words)


@blueprint.post("/tools")
def keep() -> AnyResponse | tuple[str, int]:
    """Keep what is at the table."""
    try:
        tools_here = _from_form(request.form)
    except SettingError as e:
        if wants_json():
            raise
        with workshop().store.session() as session:
            return _page(painters.tools_of(session), str(e)), 400
    with workshop().store.saving() as session:
        painters.keep_tools(session, tools_here)
    return redirect(url_for(".tools"))


def _from_form(form: Any) -> Tools:
    widths = [w for w in form.get("brushes", "").replace(";", " ").replace(",", " ").split() if w]
    if len(widths) > MOST_BRUSHES:
        raise SettingError(f"{MOST_BRUSHES} brushes are enough to plan with; leave some out")
    return Tools(
        airbrush="airbrush" in form,
        can="can" in form,
        dryer="dryer" in form,
        needles=tuple(n for n in NEEDLES if f"{n:g}" in form.getlist("needle")),
        brushes=tuple(sorted(within(w, "brush") for w in widths)),
        varnishes=tuple(v for v in VARNISHES if v in form.getlist("varnish")),
        highest_psi=within(form.get("highest_psi", ""), "highest_psi"),
        room=Room(
            within(form.get("temperature", f"{USUAL_C:g}"), "temperature"),
            within(form.get("humidity", f"{USUAL_DAMP:g}"), "humidity"),
        ),
        drops_per_ml=within(form.get("drops_per_ml", ""), "drops_per_ml"),
    )
