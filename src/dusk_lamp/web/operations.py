"""How the bench does: alive, ready to work, numbers for Prometheus, and a line of JSON for every request."""

import hashlib
import json
import logging
import secrets
import sys
import time
from typing import Any

from flask import Blueprint, Flask, Response, abort, g, jsonify, request
from sqlalchemy import func, select, text
from sqlalchemy.exc import SQLAlchemyError

from ..store.models import JobRow
from ..store.owner import acting_for
from .workshop import workshop

blueprint = Blueprint("operations", __name__)
log = logging.getLogger("dusk_lamp.requests")
NOT_COUNTED = ("operations.alive", "operations.ready", "operations.metrics", "static")
UP_TO_S = (0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)


@blueprint.get("/healthz")
def alive() -> Response:
    """Whether the process answers."""
    return jsonify(alive=True)


@blueprint.get("/readyz")
def ready() -> tuple[Response, int]:
    """Whether what it needs can be reached: database, broker, files; 503 where one of them cannot."""
    found = {"database": _database(), "broker": _broker(), "files": _files()}
    return jsonify(ready=all(found.values()), **found), 200 if all(found.values()) else 503


def _database() -> bool:
    try:
        with workshop().store.engine.connect() as connection:
            return connection.execute(text("SELECT 1")).scalar() == 1
    except SQLAlchemyError:
        return False


def _broker() -> bool:
    try:
        len(workshop().queue.huey)
    except Exception:  # whatever client the queue uses
        return False
    return True


def _files() -> bool:
    return workshop().store.files_answer()


def follow_requests(app: Flask) -> None:
    """Give every request a number of its own, write a line for it where that is wished, and count it."""
    settings = app.extensions["workshop"].settings
    counters: dict[str, Any] = {}
    if settings.metrics:
        from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram

        registry = CollectorRegistry()
        counters |= {
            "registry": registry,
            "answers": Counter("dusk_lamp_answers", "Requests answered", ["page", "kind"], registry=registry),
            "seconds": Histogram(
                "dusk_lamp_answer_seconds", "How long an answer took", ["page"], buckets=UP_TO_S, registry=registry
            ),
            "jobs": Gauge("dusk_lamp_jobs", "Jobs by state", ["state"], registry=registry),
        }
        app.extensions["counters"] = counters
    if settings.logs and not log.handlers:
        handler = logging.StreamHandler(sys.stderr)
        handler.setFormatter(logging.Formatter("%(message)s"))
        log.addHandler(handler)
        log.setLevel(logging.INFO)
        log.propagate = False

    @app.before_request
    def _begin() -> None:
        g.began, g.request_id = time.monotonic(), secrets.token_hex(8)

    @app.after_request
    def _end(response: Response) -> Response:
        response.headers["X-Request-Id"] = g.get("request_id", "")
        if request.endpoint in NOT_COUNTED:
            return response
        seconds = time.monotonic() - g.get("began", time.monotonic())
        page = request.endpoint or "none"
        if counters:
            counters["answers"].labels(page, f"{response.status_code // 100}xx").inc()
            counters["seconds"].labels(page).observe(seconds)
        if settings.logs:
            log.info(json.dumps(line(page, response.status_code, seconds, g.get("painter_id", 0), g.request_id)))
        return response


def line(page: str, code: int, seconds: float, painter_id: int, number: str) -> dict[str, Any]:
    """What is written down of a request: no address of a sculpt, no name of a file or of a painter."""
    who = hashlib.sha256(f"painter {painter_id}".encode()).hexdigest()[:12] if painter_id else ""
    at = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
    return {"at": at, "request": number, "page": page, "code": code, "ms": round(1000 * seconds, 1), "painter": who}


@blueprint.get("/metrics")
def metrics() -> Response:
    """Numbers for Prometheus, where the setting METRICS is on."""
    from flask import current_app

    counters = current_app.extensions.get("counters") or abort(404)
    from prometheus_client import CONTENT_TYPE_LATEST, generate_latest

    with acting_for(None), workshop().store.session() as session:
        counted = dict(session.execute(select(JobRow.state, func.count()).group_by(JobRow.state)).all())
    for state in ("waiting", "working", "done", "failed", "stopped"):
        counters["jobs"].labels(state).set(counted.get(state, 0))
    return Response(generate_latest(counters["registry"]), content_type=CONTENT_TYPE_LATEST)
