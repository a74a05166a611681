"""The application: settings, safety, blueprints."""

import errno
import hashlib
import logging
from contextlib import suppress
from functools import cache
from pathlib import Path
from urllib.parse import urlencode

from flask import Flask, Response, g, jsonify, render_template, request
from flask_compress import Compress
from flask_wtf import CSRFProtect
from flask_wtf.csrf import CSRFError
from jinja2.bccache import Bucket, FileSystemBytecodeCache
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge
from werkzeug.middleware.proxy_fix import ProxyFix

from ..core.errors import DuskLampError, Stopped
from ..core.units import counted, grouped, minutes_words, ml_words
from ..jobs.queue import Queue
from ..settings import Settings, settings_from
from ..store.models import OWNER
from ..store.open_sculpts import OpenSculpts
from ..store.store import Store
from . import (
    accounts,
    bench,
    budgets,
    cards,
    check,
    clock,
    drills,
    editing,
    events,
    exports,
    face,
    for_me,
    guide,
    health,
    log,
    operations,
    palette,
    photos,
    pieces_page,
    rack,
    ranges,
    schemes,
    shelf,
    squads,
    stage_registry,
    tonight,
    tools,
)
from .background import Background
from .background import blueprint as background
from .limits import Numbered, guard
from .login import lock
from .stage_registry import in_groups
from .whose import answer_for
from .workshop import Workshop, wants_json

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; frame-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)


slips = logging.getLogger("dusk_lamp.slips")
STATIC = Path(__file__).parent / "static"
A_YEAR = 31_536_000


@cache
def _stamp() -> str:
    """What the static files are, in a few letters: part of their address, so that a browser may keep them for
    ever."""
    found = hashlib.sha256()
    for path in sorted(STATIC.rglob("*")):
        if path.is_file():
            found.update(str(path.relative_to(STATIC)).encode() + path.read_bytes())
    return found.hexdigest()[:10]


class KeptTemplates(FileSystemBytecodeCache):
    """Templates as they were compiled, for the next start; a page does not need them."""

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Keep one, where there is room."""
        with suppress(OSError):
            super().dump_bytecode(bucket)


def create_app(data: Path, settings: Settings | None = None, *, testing: bool = False) -> Flask:
    """The application over one data folder."""
    app = Flask(__name__, static_url_path=f"/static/{_stamp()}")
    settings = settings or settings_from()
    limit = settings.upload_limit_mb
    open_folder(app, data, settings)
    app.config.update(
        TESTING=testing,
        MAX_CONTENT_LENGTH=limit * 1_000_000 + 65_536,  # the file, and the form around it
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_SECURE=bool(settings.secure_cookies),
        WTF_CSRF_TIME_LIMIT=None,  # a page left open over a drying coat must still work
        WTF_CSRF_SSL_STRICT=False,
        SEND_FILE_MAX_AGE_DEFAULT=A_YEAR,
        COMPRESS_ALGORITHM=["gzip"],
        COMPRESS_MIMETYPES=["text/css", "text/javascript", "image/svg+xml"],  # nothing that carries a secret (BREACH)
    )
    app.url_map.converters["int"] = Numbered
    guard(app, settings)
    if settings.proxies:
        app.wsgi_app = ProxyFix(app.wsgi_app, settings.proxies, settings.proxies)
    operations.follow_requests(app)
    CSRFProtect(app)
    Compress(app)
    app.config["WITHOUT_LOGIN"] = frozenset({"operations.alive", "operations.ready", "operations.metrics"})
    if settings.accounts:
        answer_for(app, accounts.who_asks)
        accounts.ask(app)
    else:
        answer_for(app, lambda: OWNER)
        if settings.passphrase:
            lock(app, settings.passphrase)
    app.jinja_env.bytecode_cache = KeptTemplates(str(app.extensions["workshop"].store.templates))
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.filters["number"] = grouped
    app.jinja_env.filters["limits"] = ranges.limits
    app.jinja_env.filters["counted"] = counted
    app.jinja_env.filters["minutes"] = minutes_words
    app.jinja_env.filters["millilitres"] = ml_words
    app.jinja_env.globals["ranges"] = ranges.RANGES  # ty: ignore[invalid-assignment]
    app.jinja_env.filters["in_groups"] = in_groups
    app.jinja_env.filters["clock_query"] = lambda query: urlencode(query, doseq=True)

    for page in (
        shelf,
        bench,
        editing,
        events,
        schemes,
        budgets,
        face,
        for_me,
        guide,
        health,
        exports,
        rack,
        palette,
        tools,
        clock,
        check,
        photos,
        pieces_page,
        cards,
        drills,
        log,
        operations,
        squads,
        tonight,
        *(stage.page for stage in stage_registry.STAGES),
    ):
        app.register_blueprint(page.blueprint)
    app.register_blueprint(background)
    app.add_template_global(bench.url_for_stage, "url_for_stage")

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
        return {"upload_limit_mb": limit, "accounts": bool(settings.accounts)}

    app.register_error_handler(Stopped, lambda e: _said(str(e), 409))
    app.register_error_handler(DuskLampError, lambda e: _said(str(e), 400))
    app.register_error_handler(
        CSRFError, lambda e: _said("this page is too old to be trusted; reload it and try again", 400)
    )
    app.register_error_handler(
        RequestEntityTooLarge,
        lambda e: _said(f"the file is larger than the limit of {limit} MB; decimate it, or raise the limit", 413),
    )
    app.register_error_handler(HTTPException, _http_error)
    app.register_error_handler(OperationalError, _database)
    app.register_error_handler(OSError, _disk)
    if not testing:  # a test sees what was raised
        app.register_error_handler(Exception, _slip)
    return app


def open_folder(app: Flask, data: Path, settings: Settings) -> None:
    """Have an application work on a data folder: all of it that is not the same for every folder."""
    store = Store(data, settings)
    app.secret_key = settings.secret or store.secret()
    app.extensions["workshop"] = Workshop(settings, store, Queue(store), OpenSculpts(store))
    app.extensions["background"] = Background(store.at_work)
    app.extensions["events"] = events.Events()


def _database(error: OperationalError) -> tuple[Response | str, int]:
    """A save that could not be made: a full disk, or a database that somebody else holds."""
    if "disk" in str(error) or "full" in str(error):
        return _said("the disk is full: this was not saved, all before it was. Make room and try again", 507)
    return _said("the database is busy: this was not saved, all before it was. Try again", 503)


def _disk(error: OSError) -> tuple[Response | str, int]:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return _said("the disk is full: this was not saved, all before it was. Make room and try again", 507)
    raise error


def _slip(error: Exception) -> tuple[Response | str, int]:
    """A slip of the program: logged whole, and the painter gets the number of the request."""
    number = g.get("request_id", "")
    slips.error("request %s to %s", number, request.endpoint, exc_info=error)
    return _said(f"something went wrong on our side; nothing was lost. If you report it, say number {number}", 500)


def _http_error(error: HTTPException) -> tuple[Response | str, int]:
    words = {
        400: "what arrived is garbled; reload the page and try again",
        401: "this bench asks for its passphrase first; reload the page",
        404: "there is nothing here; it may have been cleared away",
        405: "this page cannot do that",
        409: "the sculpt is being prepared; wait until it is lit",
        413: "what was sent is larger than Dusk Lamp takes",
        415: "this page cannot read what was sent; reload it and try again",
        421: "Dusk Lamp does not answer to this host name; add it to the setting TRUSTED_HOSTS",
    }
    code = error.code or 500
    sentence = words.get(code, "something went wrong on our side; nothing was lost")
    if code == 409 and "X-Waits" in request.headers:  # a script that waits asks again
        return jsonify(step="Waiting for its light", share=0.0, number=0), 202
    return _said(sentence, code)


def _said(sentence: str, code: int) -> tuple[Response | str, int]:
    """The sentence as JSON for scripts, as a page for people."""
    if wants_json():
        return jsonify(error=sentence), code
    return render_template("error.html", sentence=sentence, code=code), code
