"""Background: what takes longer than a blink is worked out beside the request, which says how far it is until it is
there.

A page asks again and again; each asking joins the work that is going on for the same thing, and what was asked for
last is begun first. The work fills what is remembered with a sculpt in memory, so the page itself then finds
everything at hand. It can be stopped whenever it says how far it is.
"""

import itertools
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from dataclasses import dataclass, field
from typing import Any

from flask import Blueprint, Response, abort, current_app, jsonify

from ..core.errors import Stopped
from ..store.at_work import AtWork
from ..store.owner import acting, acting_for

BLINK_S = 0.7  # nobody needs a sign for less
LEFT_S = 40.0  # what waits and was not asked for any more for so long is left out; a page that is open asks again
AT_ONCE = 2  # pieces of work beside the requests: there are as many processors on a small machine

blueprint = Blueprint("background", __name__)
Say = Callable[[str, float], None]


@dataclass(eq=False)
class _Going:
    """One piece of work, by its key. progress: how far it is, and its number. renew: asked for whenever it goes on.
    painter: for whom. asked: when somebody last asked, in seconds. stop: somebody does not want it any more."""

    key: Any
    work: Callable[[Say], object]
    progress: dict[str, Any]
    renew: Callable[[], None]
    painter: int | None = None
    asked: float = 0.0
    stop: bool = False
    future: "Future[None]" = field(default_factory=Future)

    def run(self) -> None:
        """Do it, for the painter who asked."""
        try:
            with acting_for(self.painter):
                self.work(self._say)  # what it comes to is remembered with the sculpt
            self.future.set_result(None)
        except BaseException as error:
            self.future.set_exception(error)
        finally:
            del self.work  # with the sculpt that it knows

    def _say(self, step: str, share: float) -> None:
        if self.stop:
            raise Stopped("stopped; what was kept before is as it was")
        self.progress.update(step=step, share=round(share, 3))
        self.renew()


class Background:
    """The work that is going on beside the requests of one application. at_work: the sign that it shows meanwhile."""

    def __init__(self, at_work: AtWork) -> None:
        self._at_work = at_work
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="background")
        self._going: dict[Any, _Going] = {}
        self._waiting: list[_Going] = []
        self._lock = threading.Lock()
        self._numbers = itertools.count(1)

    def of(self, key: Any, work: Callable[[Say], object]) -> dict[str, Any] | None:
        """None once a piece of work is done; until then how far it is: its number, step in words, and share. What it
        raised is raised here."""
        key = (acting(), key)
        with self._lock:
            going = self._going.get(key)
            if going is None:
                self._forget()
                progress = {"number": next(self._numbers), "step": "Beginning", "share": 0.0}
                going = self._going[key] = _Going(key, work, progress, self._at_work.renew, acting())
                self._waiting.append(going)
                self._pool.submit(self._next)
            going.asked = time.monotonic()
        try:
            going.future.result(BLINK_S)
        except NotYet:
            if not going.future.done():
                return dict(going.progress)
            going.future.result()  # it ended in this very moment: well, or with what it raised
        finally:
            if going.future.done():
                with self._lock:
                    self._going.pop(key, None)
        return None

    def _forget(self) -> None:
        """What ended after its page was left: what it raised may know a sculpt."""
        since = time.monotonic() - LEFT_S
        for key in [k for k, going in self._going.items() if going.future.done() and going.asked < since]:
            del self._going[key]

    def _next(self) -> None:
        """Do what was asked for last: a page that was left asks no more, and waits behind the one that is looked
        at, or is not worked out at all."""
        with self._lock:
            going = max(self._waiting, key=lambda one: one.asked)
            self._waiting.remove(going)
            left = time.monotonic() - going.asked > LEFT_S
            if left:
                del self._going[going.key]
        if not left:
            with self._at_work.shown():
                going.run()

    def progress(self) -> list[dict[str, Any]]:
        """How far each piece of work of this painter is that goes on."""
        with self._lock:
            mine = [going for going in self._going.values() if going.painter == acting()]
            return [dict(going.progress) for going in mine if not going.future.done()]

    def stop(self, number: int) -> bool:
        """Have a piece of work end when it next says how far it is; False where there is none by that number."""
        with self._lock:
            mine = [going for going in self._going.values() if going.painter == acting()]
            found = [going for going in mine if going.progress["number"] == number]
        for going in found:
            going.stop = True
        return bool(found)


@blueprint.post("/working/<int:number>/stop")
def stop(number: int) -> Response:
    """Stop a piece of work that somebody waits for."""
    if not current_app.extensions["background"].stop(number):
        abort(404)
    return Response(status=204)


def in_background(key: Any, work: Callable[[Say], object]) -> dict[str, Any] | None:
    """Have a piece of work done; None once it is there, else how far it is. In tests it is done at once."""
    app = current_app._get_current_object()  # ty: ignore[missing-attribute]
    if app.testing and not app.config.get("PATIENT"):
        work(lambda *_: None)
        return None

    def with_app(say: Say) -> None:
        with app.app_context():
            work(say)

    return app.extensions["background"].of(key, with_app)


def waited_for(known: object, key: Any, work: Callable[[Say], object]) -> dict[str, Any] | None:
    """The same for a result: None where it is known already; see core.results."""
    return in_background(key, work) if known is None else None


def not_yet(progress: dict[str, Any]) -> tuple[Response, int]:
    """The answer of a page that is being worked out."""
    return jsonify(progress), 202


def done_once(page: Response | tuple[Response, int], url: str) -> Response | tuple[Response, int]:
    """The page that answers a change which is kept already. While it is still being worked out it says where to ask
    for it, so that nobody sends the change a second time."""
    if isinstance(page, tuple) and page[1] == 202:
        return jsonify({**page[0].get_json(), "then": url}), 202
    return page
