"""The shelf: every sculpt, and where new ones are dropped."""

from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory

from flask import (
    Blueprint,
    Response,
    abort,
    current_app,
    jsonify,
    redirect,
    render_template,
    request,
    send_file,
    url_for,
)
from sqlalchemy import select
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SculptFileError
from ..core.sculpt.read import FORMATS
from ..store import plans
from ..store.backup import backup
from ..store.models import JobRow, Sculpt, now
from ..store.store import UNDO_DAYS, free_name, new_job
from .responses import picture
from .stage_registry import mark_open, string_of
from .workshop import taken_in, the_sculpt, wants_json, workshop

blueprint = Blueprint("shelf", __name__)
MOST_FILES = 60


@blueprint.get("/")
def shelf() -> str:
    """Every sculpt, newest first, and what was deleted lately."""
    with workshop().store.session() as session:
        sculpts = session.scalars(select(Sculpt).where(Sculpt.deleted_at.is_(None)).order_by(Sculpt.id.desc())).all()
        gone = session.scalars(
            select(Sculpt)
            .where(Sculpt.deleted_at > now() - timedelta(days=UNDO_DAYS))
            .order_by(Sculpt.deleted_at.desc())
        ).all()
        return render_template(
            "shelf.html",
            sculpts=sculpts,
            gone=gone,
            string_of=string_of,
            formats=FORMATS,
            guarded="login" in current_app.extensions,
            welcome=_welcome(sculpts),
        )


WELCOME = (  # what a fresh demo shows: the sculpt's file, a title, words, and the page to begin with
    (
        "wick-warden.ply",
        "Half painted",
        ("The wick-warden: ten steps are done. See the next one, with its mix and where it goes."),
        "paint",
    ),
    (
        "sluice-knight.ply",
        "Metal without metal",
        ("The knight's plate mirrors a small world. Turn it, change the world, see it painted."),
        "metal",
    ),
    (
        "reed-runner-1.ply",
        "An evening's plan",
        (
            "A runner of five in one scheme, planned for an hour and a half: what to have out and to mix, in which "
            "order."
        ),
        "sheet",
    ),
    (
        "kiln-keeper.ply",
        "Yours to try",
        "Nobody has touched the kiln-keeper. Three words, and it is planned for you.",
        "for-me",
    ),
)


def _welcome(sculpts: Sequence[Sculpt]) -> list[dict[str, str]]:
    """What there is to see on a demo shelf, one card each; none where it is no demo any more."""
    by_file = {s.file_name: s for s in sculpts}
    if any(file not in by_file for file, *_ in WELCOME):
        return []
    return [
        {
            "title": title,
            "words": words,
            "sculpt": by_file[file].name,
            "href": f"{url_for('.shelf')}sculpts/{by_file[file].id}/{page}",
        }
        for file, title, words, page in WELCOME
    ]


def _card(sculpt: Sculpt) -> str:
    return render_template("_card.html", sculpt=sculpt, string_of=string_of)


@blueprint.get("/sculpts/<int:sculpt_id>/card/rest")
def rest(sculpt_id: int) -> str:
    """What changes on a card while its sculpt is prepared, asked for again and again: never the name, which may be
    being typed.

    seen: the picture that is shown; a newer one comes along.
    """
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        html = render_template("_card_rest.html", sculpt=sculpt, string_of=string_of)
        if (sculpt.thumb_key or "")[:12] != request.args.get("seen", ""):
            html += render_template("_card_picture.html", sculpt=sculpt, beside=True)
        return html


@blueprint.post("/sculpts")
def upload() -> tuple[Response, int] | AnyResponse:
    """Take in a dropped file; several at once are the parts of one sculpt."""
    files = [taken_in(file) for file in request.files.getlist("file") if file.filename]
    if not files:
        raise SculptFileError("no file came along; drop it again")
    if len(files) > MOST_FILES:
        raise SculptFileError(f"a sculpt is put together from at most {MOST_FILES} files; these are {len(files)}")
    with workshop().store.saving() as session:
        again = session.scalars(
            select(Sculpt).where(Sculpt.file_sha == files[0]["sha"], Sculpt.deleted_at.is_(None)).order_by(Sculpt.id)
        ).first()
        wanted = PurePosixPath(files[0]["name"]).stem.replace("_", " ").strip() or "Sculpt"
        sculpt = plans.add_sculpt(session, free_name(session, wanted), files)
        job = new_job(session, sculpt)
        said = f"You already have this file as '{again.name}'; this is a second copy." if again else ""
        sculpt_id, job_id = sculpt.id, job.id
        html = _card(sculpt)
    workshop().queue.add(job_id)
    if wants_json():
        return jsonify(id=sculpt_id, said=said, card=html), 201
    return redirect(url_for(".shelf"))


@blueprint.post("/sculpts/<int:sculpt_id>/rename")
def rename(sculpt_id: int) -> str:
    """Give a sculpt another name."""
    wanted = " ".join(request.form.get("name", "").split())
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        if wanted and wanted != sculpt.name:
            same = wanted.lower() == sculpt.name.lower()  # only its capitals change
            sculpt.name = wanted[:110] if same else free_name(session, wanted)
        return _card(sculpt)


@blueprint.post("/sculpts/<int:sculpt_id>/duplicate")
def duplicate(sculpt_id: int) -> str:
    """A copy with its own light and ladder; the file and the computed fields are shared."""
    with workshop().store.saving() as session:
        first = the_sculpt(session, sculpt_id)
        copy = plans.add_sculpt(session, free_name(session, first.name), first.files)
        for column in Sculpt.COPIED:
            setattr(copy, column, getattr(first, column))
        mark_open(copy, "paint")  # another model, with nothing on it yet
        plans.copy(session, first, copy)
        job = new_job(session, copy) if copy.sky_key is None else None
        session.flush()
        cards = _card(copy) + _card(first)
        job_id = job.id if job else None
    if job_id is not None:
        workshop().queue.add(job_id)
    return cards


@blueprint.post("/sculpts/<int:sculpt_id>/delete")
def delete(sculpt_id: int) -> str:
    """Take a sculpt off the shelf; it can be put back."""
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        sculpt.deleted_at = now()
        for job in sculpt.jobs:
            if job.open:
                job.stop_asked = True
        return render_template("_deleted_card.html", sculpt=sculpt)


@blueprint.post("/sculpts/<int:sculpt_id>/restore")
def restore(sculpt_id: int) -> str:
    """Put a deleted sculpt back on the shelf."""
    job_id = None
    with workshop().store.saving() as session:
        sculpt = session.get(Sculpt, sculpt_id)
        if sculpt is None:
            abort(404)
        if sculpt.deleted_at is not None:
            sculpt.name = free_name(session, sculpt.name)  # another may have taken it meanwhile
        sculpt.deleted_at = None
        if sculpt.sky_key is None and not ((job := sculpt.latest_job()) and job.state == "failed"):
            job_id = new_job(session, sculpt).id
        html = _card(sculpt)
    if job_id is not None:
        workshop().queue.add(job_id)
    return html


@blueprint.post("/sculpts/<int:sculpt_id>/prepare")
def prepare_again(sculpt_id: int) -> str:
    """Start the preparation again after it was stopped or failed; finished stages are not done twice."""
    with workshop().store.saving() as session:
        sculpt = the_sculpt(session, sculpt_id)
        job_id = new_job(session, sculpt).id
        html = _card(sculpt)
    workshop().queue.add(job_id)
    return html


@blueprint.post("/jobs/<int:job_id>/stop")
def stop(job_id: int) -> str:
    """Ask a job to stop."""
    with workshop().store.saving() as session:
        job = session.get(JobRow, job_id)
        if job is None:
            abort(404)
        if job.open:
            job.stop_asked = True
            if job.state == "waiting":
                job.state, job.message = "stopped", "stopped before it began; start again whenever you like."
        return _card(job.sculpt)


@blueprint.get("/backup.zip")
def take_backup() -> AnyResponse:
    """Everything on the shelf and the rack in one file, as `dusk-lamp backup` writes it; on a bench of one."""
    if workshop().settings.accounts or workshop().settings.database:
        abort(404)
    root = workshop().store.root
    with TemporaryDirectory(dir=root) as folder:
        backup(root, Path(folder) / "backup.zip")
        file = (Path(folder) / "backup.zip").open("rb")  # outlives its name: gone once it is sent, whatever happens
    return send_file(file, "application/zip", as_attachment=True, download_name=f"dusk-lamp {now():%Y-%m-%d}.zip")


@blueprint.get("/sculpts/<int:sculpt_id>/thumb.png")
def thumb(sculpt_id: int) -> Response:
    """The lit picture on the card."""
    with workshop().store.session() as session:
        key = the_sculpt(session, sculpt_id).thumb_key
    try:
        content = workshop().store.cache.blob(key or "", "thumb.png")
    except KeyError:
        abort(404)
    return picture(content)
