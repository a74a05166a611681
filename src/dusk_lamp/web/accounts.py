"""Painters of one bench: coming in by name or by an invitation, an account of one's own, what one shows to others,
and for who looks after the bench what everybody takes up."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from flask import Blueprint, Flask, abort, current_app, g, redirect, render_template, request, send_file, url_for
from flask import session as cookie
from sqlalchemy.orm import Session
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from ..store import accounts, paints
from ..store.models import Painter, Recipe, Sculpt, now
from ..store.owner import acting_for
from ..store.plans import add_sculpt, copy
from ..store.store import free_name, new_job
from .limits import number_of
from .login import Tries
from .stage_registry import mark_open
from .stages import sheet
from .workshop import the_sculpt, wants_json, workshop

blueprint = Blueprint("accounts", __name__)
OPEN = {
    "accounts.enter",
    "accounts.let_in",
    "accounts.invited",
    "accounts.accept",
    "accounts.shown",
    "accounts.shown_picture",
    "static",
}
VIEWS = ("display", "front", "back", "left", "right")


def who_asks() -> int:
    """The painter of a request, by its cookie; 0 for nobody."""
    token = cookie.get("painter")
    if not isinstance(token, str):
        return 0
    with acting_for(None), workshop().store.session() as session:
        painter = accounts.logged_in(session, token)
    if painter is None:
        return 0
    if accounts.not_seen_lately(painter):
        with acting_for(None), workshop().store.saving() as session:
            accounts.keep_seen(session, painter.id)
    return painter.id


def ask(app: Flask) -> None:
    """Ask for a name and a passphrase before any page."""
    app.extensions["accounts"] = Tries()
    app.register_blueprint(blueprint)

    @app.before_request
    def _ask() -> AnyResponse | None:
        if _painter_id() or request.endpoint in OPEN or request.endpoint in app.config["WITHOUT_LOGIN"]:
            return None
        if wants_json() or request.method != "GET":
            abort(401)
        return redirect(url_for("accounts.enter"))


def _painter_id() -> int:
    """The painter who asks."""
    return int(g.painter_id)


# --- coming in
@blueprint.get("/login")
def enter() -> str:
    """The page that asks who is there."""
    return render_template("come_in.html", trouble="", name="")


@blueprint.post("/login")
def let_in() -> AnyResponse | tuple[str, int]:
    """Let in a painter who knows the passphrase."""
    name, tries = request.form.get("name", "")[:200], current_app.extensions["accounts"]
    try:
        tries.count(request.remote_addr or "", name.casefold())
    except SettingError as e:
        return render_template("come_in.html", trouble=str(e), name=name), 429
    with acting_for(None), workshop().store.session() as session:
        painter = accounts.who_is(session, name, request.form.get("passphrase", ""))
    if painter is None:
        return render_template("come_in.html", trouble="this name and passphrase do not fit", name=name), 403
    with acting_for(None), workshop().store.saving() as session:
        _enter(session, painter)
    tries.forget(request.remote_addr or "", name.casefold())
    return redirect(url_for("shelf.shelf"))


def _enter(session: Session, painter: Painter) -> None:
    cookie.clear()
    cookie["painter"] = accounts.log_in(session, painter)


@blueprint.post("/login/leave")
def leave() -> AnyResponse:
    """End this session; with `everyone`, all of this painter's."""
    token = None if request.form.get("everyone") else str(cookie.get("painter", ""))
    with acting_for(None), workshop().store.saving() as session:
        accounts.log_out(session, _painter_id(), token)
    cookie.clear()
    return redirect(url_for(".enter"))


@blueprint.get("/invited/<token>")
def invited(token: str) -> str:
    """The page of an invitation."""
    with acting_for(None), workshop().store.session() as session:
        accounts.invitation(session, token)
    return render_template("invited.html", token=token, trouble="", shortest=accounts.SHORTEST, name="")


@blueprint.post("/invited/<token>")
def accept(token: str) -> AnyResponse | tuple[str, int]:
    """Take an invitation: a name and a passphrase."""
    name = request.form.get("name", "")[:200]
    try:
        with acting_for(None), workshop().store.saving() as session:
            painter = accounts.accept(session, token, name, request.form.get("passphrase", ""))
            _enter(session, painter)
    except SettingError as e:
        page = render_template("invited.html", token=token, trouble=str(e), shortest=accounts.SHORTEST, name=name)
        return page, 400
    return redirect(url_for("shelf.shelf"))


# --- one's own account
@blueprint.get("/account")
def account() -> str:
    """One's own account, what one shows to others, and for who looks after the bench everybody's sizes and times."""
    return _account()


def _account(trouble: str = "", link: str = "") -> str:
    painter_id = _painter_id()
    with workshop().store.session() as session:
        mine = [(s, _words(session, s)) for s in accounts.shares(session)]
        recipes = paints.recipes(session)
    with acting_for(None), workshop().store.session() as session:
        me = session.get(Painter, painter_id) or abort(401)
        everybody = accounts.takes(session, workshop().store) if me.looks_after else []
        room = accounts.bytes_of(session, workshop().store, me.id)
        return render_template(
            "account.html",
            me=me,
            shares=mine,
            recipes=recipes,
            everybody=everybody,
            megabytes=room / 1e6,
            quota=workshop().settings.quota_gb,
            trouble=trouble,
            link=link,
            days=accounts.INVITED_DAYS,
            shortest=accounts.SHORTEST,
        )


def _words(session: Session, share: Any) -> str:
    """What a share shows, in words."""
    if share.kind == "rack":
        return "Your rack"
    row: Sculpt | Recipe | None
    row = session.get(Sculpt, share.of) if share.kind == "sculpt" else session.get(Recipe, share.of)
    return row.name if row is not None else "(gone)"


@blueprint.post("/account/passphrase")
def passphrase() -> AnyResponse | tuple[str, int]:
    """Another passphrase; all other sessions end."""
    try:
        with acting_for(None), workshop().store.saving() as session:
            me = session.get(Painter, _painter_id()) or abort(401)
            accounts.change_passphrase(session, me, request.form.get("old", ""), request.form.get("new", ""))
            _enter(session, me)
    except SettingError as e:
        return _account(trouble=str(e)), 400
    return redirect(url_for(".account"))


@blueprint.get("/account/everything.zip")
def everything() -> AnyResponse:
    """All that is one's own, to take along."""
    store = workshop().store
    with TemporaryDirectory(dir=store.root) as folder:
        accounts.leaving(store, _painter_id(), Path(folder) / "all.zip")
        file = (Path(folder) / "all.zip").open("rb")  # outlives its name
    return send_file(file, "application/zip", as_attachment=True, download_name=f"dusk-lamp {now():%Y-%m-%d}.zip")


@blueprint.post("/account/delete")
def delete() -> AnyResponse | tuple[str, int]:
    """Delete the account and everything in it, for good."""
    with acting_for(None), workshop().store.saving() as session:
        me = session.get(Painter, _painter_id()) or abort(401)
        fine = accounts.who_is(session, me.name, request.form.get("passphrase", "")) is not None
        if fine:
            accounts.remove_painter(session, me.id)
    if not fine:
        return _account(trouble="that is not your passphrase; nothing was deleted"), 400
    cookie.clear()
    return redirect(url_for(".enter"))


# --- who looks after the bench
def _looks_after(session: Session) -> None:
    me = session.get(Painter, _painter_id())
    if me is None or not me.looks_after:
        abort(404)


@blueprint.post("/account/invite")
def invite() -> str:
    """A link that lets one painter in, once."""
    with acting_for(None), workshop().store.saving() as session:
        _looks_after(session)
        token = accounts.invite(session, bool(request.form.get("looks_after")))
    return _account(link=url_for(".invited", token=token, _external=True))


@blueprint.post("/account/remove")
def remove() -> AnyResponse:
    """Remove another painter with everything of theirs: form with painter (their number) and name, to be sure."""
    with acting_for(None), workshop().store.saving() as session:
        _looks_after(session)
        number = int(number_of(request.form.get("painter", ""), "the painter", 1, 2**31 - 1))
        other = session.get(Painter, number)
        if other is None or other.id == _painter_id() or other.name != request.form.get("name", ""):
            raise SettingError("type the painter's name as it is written to remove them; nothing was removed")
        accounts.remove_painter(session, other.id)
    return redirect(url_for(".account"))


# --- what is shown to others
@blueprint.post("/shares")
def share() -> AnyResponse:
    """Show a sculpt, the rack or a recipe by a link: kind, of (its number), look (only)."""
    shared_id = int(number_of(request.form.get("of", "0"), "what is shared", 0, 2**31 - 1))
    with workshop().store.saving() as session:
        accounts.share(session, request.form.get("kind", ""), shared_id, not request.form.get("look"))
    return redirect(url_for(".account") + "#shares")


@blueprint.post("/shares/<int:share_id>/back")
def take_back(share_id: int) -> AnyResponse:
    """Take a link back: nobody sees anything by it any more."""
    with workshop().store.saving() as session:
        share_row = next((s for s in accounts.shares(session) if s.id == share_id), None) or abort(404)
        session.delete(share_row)
    return redirect(url_for(".account") + "#shares")


def _shared(session: Session, token: str) -> Any:
    return accounts.shared(session, token) or abort(404)


@blueprint.get("/shared/<token>")
def shown(token: str) -> str:
    """What somebody shows by a link."""
    with acting_for(None), workshop().store.session() as session:
        share_row = _shared(session, token)
        by = session.get_one(Painter, share_row.user_id).name
    with acting_for(share_row.user_id), workshop().store.session() as session:
        rack = list(paints.rack_of(session)) if share_row.kind == "rack" else []
        named = _words(session, share_row) if share_row.kind != "rack" else "Rack"
        mix = session.get_one(Recipe, share_row.of).mix if share_row.kind == "recipe" else None
    inside = bool(_painter_id())
    return render_template(
        "shared.html", own=share_row, by=by, named=named, rack=rack, mix=mix, views=VIEWS, inside=inside
    )


@blueprint.get("/shared/<token>/<view>.png")
def shown_picture(token: str, view: str) -> Any:
    """A picture of a model that somebody shows, as it comes out."""
    if view not in VIEWS:
        abort(404)
    with acting_for(None), workshop().store.session() as session:
        share_row = _shared(session, token)
    if share_row.kind != "sculpt":
        abort(404)
    with acting_for(share_row.user_id):
        return sheet.picture(share_row.of, "finished", view)


@blueprint.post("/shared/<token>/copy")
def take_copy(token: str) -> AnyResponse:
    """A copy of what somebody shows, on one's own shelf, rack or palette."""
    me, job_id = _painter_id(), None
    with acting_for(None), workshop().store.session() as session:
        share_row = _shared(session, token)
        if not share_row.copies:
            raise SettingError("this is shown to be looked at, not to be copied")
        source, shared_id = share_row.user_id, share_row.of
    if share_row.kind == "sculpt":
        with acting_for(me), workshop().store.session() as session:
            name = free_name(session, _name_of(source, shared_id))
        with acting_for(None), workshop().store.saving() as session:
            first = session.get_one(Sculpt, shared_id)
            new = add_sculpt(session, name, first.files, painter_id=me)
            for column in Sculpt.COPIED:
                setattr(new, column, getattr(first, column))
            mark_open(new, "paint")
            copy(session, first, new)
            job_id = new_job(session, new).id if new.sky_key is None else None
        if job_id is not None:
            workshop().queue.add(job_id)
        return redirect(url_for("shelf.shelf"))
    with acting_for(source), workshop().store.session() as session:
        rack = paints.rack_of(session)
        recipe = session.get_one(Recipe, shared_id) if share_row.kind == "recipe" else None
        mix = recipe.mix if recipe else None
    with workshop().store.saving() as session:
        if recipe is not None and mix is not None:
            paints.keep_recipe(session, recipe.name, mix)
            return redirect(url_for("palette.palette"))
        paints.bring_new(session, rack)
    return redirect(url_for("rack.rack"))


def _name_of(painter_id: int, sculpt_id: int) -> str:
    with acting_for(painter_id), workshop().store.session() as session:
        return the_sculpt(session, sculpt_id).name
