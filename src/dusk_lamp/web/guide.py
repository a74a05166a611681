"""The guide: docs/guide.md as a page, with its pictures, so that it can be read at the bench."""

from functools import cache
from pathlib import Path

import mistune
from flask import Blueprint, Response, abort, render_template, send_file, url_for
from markupsafe import Markup

blueprint = Blueprint("guide", __name__)
FOLDER = Path(__file__).parent / "docs"  # the repository's own, by a link


@cache
def _page() -> Markup:
    text = (FOLDER / "guide.md").read_text("utf-8").replace("](screenshots/", f"]({url_for('.picture', name='')}")
    return Markup(mistune.html(text))  # noqa: S704 - our own page


@blueprint.get("/guide")
def guide() -> str:
    """One evening, from a file to a painted model."""
    return render_template("guide.html", page=_page())


@blueprint.get("/guide/pictures/")
@blueprint.get("/guide/pictures/<name>")
def picture(name: str = "") -> Response:
    """One of its pictures."""
    path = FOLDER / "screenshots" / name
    if not name.endswith(".png") or "/" in name or not path.is_file():
        abort(404)
    return send_file(path, max_age=3600)
