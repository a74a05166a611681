"""For whom a request is answered: sessions of the store then see that painter's rows, and nobody else's."""

from collections.abc import Callable
from contextlib import ExitStack

from flask import Flask, g

from ..store.owner import acting_for

NOBODY = 0  # whose nothing is


def answer_for(app: Flask, painter: Callable[[], int]) -> None:
    """Answer every request of an application for the painter that a function finds."""

    @app.before_request
    def _begin() -> None:
        g.acting = ExitStack()
        with acting_for(NOBODY):
            painter_id = painter()
        g.painter_id = painter_id
        g.acting.enter_context(acting_for(painter_id))

    @app.teardown_request
    def _end(_error: BaseException | None) -> None:
        acting: ExitStack | None = g.pop("acting", None)
        if acting is not None:
            acting.close()
