"""The figures of every room are as they are kept (see figures.py): a plan comes out as it did before, unless a change
was meant."""

import json

import numpy as np
import pytest

from .figures import HERE, ROOMS, figures

KEPT = json.loads(HERE.read_text())
SHARE, LEAST = 0.02, 2e-3  # that a figure may be off: another processor rounds otherwise, and a ray more or less hits


def differences(kept, now, where=""):
    """Where two figures differ, as sentences."""
    if isinstance(kept, dict) and isinstance(now, dict):
        gone = [f"{where}: {k} is {'gone' if k in kept else 'new'}" for k in sorted(kept.keys() ^ now.keys())]
        return gone + [
            d for k in sorted(kept.keys() & now.keys()) for d in differences(kept[k], now[k], f"{where}/{k}")
        ]
    if isinstance(kept, list) and isinstance(now, list):
        if len(kept) != len(now):
            return [f"{where}: {len(now)} in place of {len(kept)}"]
        size = max([abs(x) for x in kept if isinstance(x, int | float)], default=0)
        return [
            d
            for k, (a, b) in enumerate(zip(kept, now, strict=True))
            for d in ([] if _near(a, b, size) else differences(a, b, f"{where}/{k}"))
        ]
    return [] if _near(kept, now) else [f"{where}: {str(now)[:80]} in place of {str(kept)[:80]}"]


def _near(a, b, size=0.0):
    """Whether two values are the same; numbers of one list may be off by a share of the largest of them, too."""
    if a is None or b is None or isinstance(a, bool | str) or isinstance(b, bool | str):
        return a == b
    if not isinstance(a, int | float) or not isinstance(b, int | float):
        return False
    return bool(np.isclose(a, b, rtol=SHARE, atol=max(LEAST, 1e-3 * size)))


@pytest.mark.long
@pytest.mark.parametrize("room", list(ROOMS))
def test_the_figures_of_a_room_are_as_they_were(room):
    found = differences(KEPT[room], figures(room))
    assert not found, "if it is meant: python -m tests.core.figures, and a word in the change log\n" + "\n".join(
        found[:12]
    )


def test_a_difference_is_noticed():
    assert differences({"a": [1.0, "x"]}, {"a": [1.5, "x"]}) and differences({"a": [1.0, "x"]}, {"a": [1.0, "y"]})
    assert differences({"a": 1}, {"b": 1}) and not differences({"a": [1.0, 200.0]}, {"a": [1.0001, 201.0]})
