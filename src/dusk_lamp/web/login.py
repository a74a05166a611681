"""The login: a passphrase, wherever the bench is served beyond this machine. None is asked for on loopback."""

import secrets
import threading
import time
from collections import OrderedDict

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from flask import Blueprint, Flask, abort, redirect, render_template, request, url_for
from flask import session as cookie
from werkzeug.wrappers import Response as AnyResponse

from ..core.errors import SettingError
from .workshop import wants_json

blueprint = Blueprint("login", __name__)
SHORTEST = 12  # letters of a passphrase; NIST SP 800-63B asks for at least 8, and for 15 where it is all there is
TRIES, NAME_TRIES, TRIES_S = 5, 20, 60.0  # wrong ones from one address, for one name, in so many seconds
MOST_ADDRESSES = 10_000
OPEN = {"login.enter", "login.let_in", "static", "operations.alive", "operations.ready"}


class Tries:
    """Who tried to come in how often, by address and by name."""

    def __init__(self) -> None:
        self._tries: OrderedDict[tuple[str, str], list[float]] = OrderedDict()
        self._lock = threading.Lock()

    def count(self, address: str, name: str = "") -> None:
        """Count a try.

        Raises:
            SettingError: too many wrong ones lately, from this address or for this name.
        """
        now = time.monotonic()
        with self._lock:
            for key, most in (((address, ""), TRIES), (("", name), NAME_TRIES)):
                lately = [t for t in self._tries.get(key, []) if t > now - TRIES_S]
                if len(lately) >= most and any(key):
                    raise SettingError("too many wrong passphrases; wait a minute and try again")
                self._tries[key] = [*lately, now]
                self._tries.move_to_end(key)
            while len(self._tries) > MOST_ADDRESSES:
                self._tries.popitem(last=False)

    def forget(self, address: str, name: str = "") -> None:
        """Somebody came in: what was wrong before counts no more."""
        with self._lock:
            for key in ((address, ""), ("", name)):
                self._tries.pop(key, None)


class Logins:
    """One passphrase, hashed; the sessions that are open."""

    def __init__(self, passphrase: str) -> None:
        if len(passphrase) < SHORTEST:
            raise SettingError(f"a passphrase has at least {SHORTEST} letters (DUSK_LAMP_PASSPHRASE)")
        self._hasher = PasswordHasher()
        self._hash = self._hasher.hash(passphrase)
        self._open: set[str] = set()
        self._tries = Tries()
        self._lock = threading.Lock()

    def check(self, address: str, passphrase: str) -> str | None:
        """A new session's name, or None for a wrong passphrase.

        Raises:
            SettingError: too many wrong ones lately.
        """
        self._tries.count(address)
        try:
            self._hasher.verify(self._hash, passphrase[:1000])
        except VerifyMismatchError:
            return None
        name = secrets.token_urlsafe(24)
        self._tries.forget(address)
        with self._lock:
            self._open.add(name)
        return name

    def knows(self, name: str | None) -> bool:
        """Whether a session is open."""
        return bool(name) and name in self._open

    def end(self, name: str | None, everyone: bool = False) -> None:
        """End one session, or all of them."""
        with self._lock:
            if everyone:
                self._open.clear()
            else:
                self._open.discard(name or "")


def lock(app: Flask, passphrase: str) -> None:
    """Ask for a passphrase before any page."""
    app.extensions["login"] = logins = Logins(passphrase)
    app.register_blueprint(blueprint)

    @app.before_request
    def _ask() -> AnyResponse | None:
        if request.endpoint in OPEN or logins.knows(cookie.get("guest")):
            return None
        if wants_json() or request.method != "GET":
            abort(401)
        return redirect(url_for("login.enter"))


def _logins() -> Logins:
    from flask import current_app

    return current_app.extensions["login"]


@blueprint.get("/login")
def enter() -> str:
    """The page that asks for the passphrase."""
    return render_template("login.html", trouble="")


@blueprint.post("/login")
def let_in() -> AnyResponse | tuple[str, int]:
    """Let in those who know it."""
    try:
        name = _logins().check(request.remote_addr or "", request.form.get("passphrase", ""))
    except SettingError as e:
        return render_template("login.html", trouble=str(e)), 429
    if name is None:
        return render_template("login.html", trouble="that is not the passphrase"), 403
    cookie.clear()
    cookie["guest"] = name
    return redirect(url_for("shelf.shelf"))


@blueprint.post("/login/leave")
def leave() -> AnyResponse:
    """End this session; with `everyone`, all of them."""
    _logins().end(cookie.get("guest"), everyone=bool(request.form.get("everyone")))
    cookie.clear()
    return redirect(url_for("login.enter"))
