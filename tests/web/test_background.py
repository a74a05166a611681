"""What is worked out beside the requests: in which order, and how it ends."""

import os
import threading
from itertools import count

import pytest

from dusk_lamp.core.errors import SettingError, Stopped
from dusk_lamp.store.at_work import AtWork
from dusk_lamp.web import background
from dusk_lamp.web.background import AT_ONCE, Background


@pytest.fixture
def busy(monkeypatch, tmp_path):
    """All its hands at work until the first of them is let go; by a clock that goes on with every look at it."""
    ticks = count()
    monkeypatch.setattr(background, "BLINK_S", 0.02)
    monkeypatch.setattr(background.time, "monotonic", lambda: float(next(ticks)))
    there, hands = Background(AtWork(tmp_path)), [threading.Event() for _ in range(AT_ONCE)]
    for k, hand in enumerate(hands):
        assert there.of(k, lambda say, hand=hand: hand.wait(20)) is not None
    yield there, hands[0]
    for hand in hands:
        hand.set()


def end(there, key):
    """Ask until it is there."""
    while there.of(key, lambda say: None) is not None:
        pass


def test_the_page_that_is_looked_at_goes_before_pages_that_were_left(busy):
    """Three pages are opened one after another, and it is the first that somebody goes back to."""
    there, let_go = busy
    done = []
    for key in "abc":
        there.of(key, lambda say, key=key: done.append(key))
    there.of("a", lambda say: done.append("never: it waits already"))
    let_go.set()
    for key in "abc":
        end(there, key)
    assert done == ["a", "c", "b"]


def test_what_nobody_asks_for_any_more_is_not_worked_out_and_begun_anew_for_who_comes_back(busy, monkeypatch):
    there, let_go = busy
    done = []
    there.of("left", lambda say: done.append("left"))
    monkeypatch.setattr(background, "LEFT_S", 5)  # looks at the clock of this test
    for _ in range(9):
        there.of("looked at", lambda say: done.append("looked at"))
    let_go.set()
    end(there, "looked at")
    assert done == ["looked at"] and there.of("left", lambda say: done.append("come back")) is None
    assert done == ["looked at", "come back"]


def test_what_it_raised_is_told_and_what_is_not_wanted_any_more_ends(busy):
    there, let_go = busy

    def refused(say):
        raise SettingError("there is no white on the rack")

    def long(say):
        say("Laying coats", 0.5)
        done.append("too much")

    done = []
    there.of("refused", refused)
    going = there.of("long", long)
    assert there.stop(going["number"]) and not there.stop(99)
    let_go.set()
    with pytest.raises(SettingError, match="no white"):
        end(there, "refused")
    with pytest.raises(Stopped):
        end(there, "long")
    assert done == []


def test_other_processes_see_that_pages_are_worked_out_until_the_last_is(busy, tmp_path):
    there, let_go = busy
    assert AtWork(tmp_path).seen()
    there.of("more", lambda say: say("Laying coats", 0.5))
    let_go.set()
    end(there, "more")
    assert AtWork(tmp_path).seen(), "the other hand is still at work"
    os.utime(tmp_path / "at-work", (0, 0))
    assert not AtWork(tmp_path).seen(), "a server that was killed leaves its sign"


def test_a_page_is_worked_out_where_no_sign_can_be_shown(tmp_path):
    there, done = Background(AtWork(tmp_path / "not there")), []
    there.of("page", lambda say: (say("Laying coats", 0.5), done.append("page")))
    end(there, "page")
    assert done == ["page"] and not AtWork(tmp_path / "not there").seen()
