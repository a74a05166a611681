"""Every piece of the interface on one page, for who designs and who reviews: `/pieces`, in debug mode alone
(`FLASK_DEBUG=1`)."""

from flask import Blueprint, abort, current_app, render_template

from ..core.coat.spray import Spray
from ..core.plain import described

blueprint = Blueprint("pieces_page", __name__)


@blueprint.get("/pieces")
def pieces_shown() -> str:
    """The pieces."""
    if not (current_app.debug or current_app.testing):
        abort(404)
    return render_template("pieces.html", settings=described(Spray))
