"""The application: settings, safety, blueprints."""

from dataclasses import dataclass
from pathlib import Path

from flask import Flask, Response, current_app, jsonify, render_template, request
from flask_wtf import CSRFProtect
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from ..core.errors import DuskLampError
from ..jobs.queue import Queue
from ..store.scenes import Scenes
from ..store.store import Store

# name: (default, help). Every one can be set in the environment as DUSK_LAMP_<NAME>.
SETTINGS: dict[str, tuple[int, str]] = {
    "UPLOAD_LIMIT_MB": (300, "largest file that may be dropped on the shelf, in MB"),
    "MOST_SAMPLES": (0, "most samples a sculpt is laid out in; 0 for as many as its detail wants, at most 190,000"),
}

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


@dataclass
class Workshop:
    """What every page needs: the store, the queue and the scenes in memory."""

    store: Store
    queue: Queue
    scenes: Scenes


def workshop() -> Workshop:
    """The workshop of the running application."""
    return current_app.extensions["workshop"]


def create_app(data: Path, *, testing: bool = False, upload_limit_mb: int | None = None) -> Flask:
    """The application over one data folder."""
    app = Flask(__name__)
    store = Store(data)
    app.config.from_prefixed_env("DUSK_LAMP")
    limit = upload_limit_mb or int(app.config.get("UPLOAD_LIMIT_MB") or SETTINGS["UPLOAD_LIMIT_MB"][0])
    app.config.update(
        SECRET_KEY=store.secret(),
        TESTING=testing,
        UPLOAD_LIMIT_MB=limit,
        MAX_CONTENT_LENGTH=limit * 1_000_000 + 65_536,  # the file, and the form around it
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Strict",
        WTF_CSRF_TIME_LIMIT=None,  # a page left open over a drying coat must still work
        WTF_CSRF_SSL_STRICT=False,
        SEND_FILE_MAX_AGE_DEFAULT=3600,
    )
    app.extensions["workshop"] = Workshop(store, Queue(store), Scenes(store))
    CSRFProtect(app)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.filters["number"] = lambda x, digits=0: f"{x:,.{digits}f}".replace(",", "\u202f")

    from . import bench, display, exports, palette, parts, rack, regions, sheet, shelf, standing, undercoat

    for page in (shelf, standing, parts, bench, regions, display, sheet, exports, rack, palette, undercoat):
        app.register_blueprint(page.blueprint)

    @app.after_request
    def _safely(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        if request.endpoint != "static":
            response.headers.setdefault("Cache-Control", "no-store")
        return response

    @app.context_processor
    def _common() -> dict[str, object]:
        return {"upload_limit_mb": app.config["UPLOAD_LIMIT_MB"]}

    app.register_error_handler(DuskLampError, lambda e: _said(str(e), 400))
    app.register_error_handler(
        CSRFError, lambda e: _said("this page is too old to be trusted; reload it and try again", 400)
    )
    app.register_error_handler(
        RequestEntityTooLarge,
        lambda e: _said(f"the file is larger than the limit of {limit} MB; decimate it, or raise the limit", 413),
    )
    app.register_error_handler(HTTPException, _http_error)
    return app


def _http_error(error: HTTPException) -> tuple[Response | str, int]:
    words = {404: "there is nothing here; it may have been cleared away", 405: "this page cannot do that"}
    return _said(
        words.get(error.code or 500, "something went wrong on our side; nothing was lost"), error.code or 500
    )


def _said(sentence: str, code: int) -> tuple[Response | str, int]:
    """The sentence as JSON for scripts, as a page for people."""
    if wants_json():
        return jsonify(error=sentence), code
    return render_template("error.html", sentence=sentence, code=code), code


def wants_json() -> bool:
    """Whether a script is asking."""
    return request.headers.get("X-Requested-With") == "fetch"
