"""Limits and login: what is refused, in how many words, and that nothing answers with a fault of its own."""

import io
import re

import pytest
from PIL import Image

from dusk_lamp.core.errors import SettingError
from dusk_lamp.demo.load import load_rack
from dusk_lamp.settings import Settings, settings_from
from dusk_lamp.web.app import create_app
from dusk_lamp.web.login import TRIES, Logins
from dusk_lamp.web.serve import passphrase_for

from ..hostile import BODIES, NUMBERS, regions_that_wrap


def addresses(app, numbers=("1", "2", "9223372036854775808")):
    """Every route of the application with each of some numbers in it, and the methods it takes."""
    words = {
        "stage": "light",
        "view": "front",
        "which": "1",
        "kind": "ply",
        "name": "ladder",
        "what": "delete",
        "up": "z",
        "front": "-y",
        "filename": "x",
    }
    for rule in app.url_map.iter_rules():
        for number in numbers if "<int" in rule.rule else numbers[:1]:
            url = re.sub(r"<int:\w+>", number, rule.rule)
            url = re.sub(r"<(?:any\([^)]*\)|path|string)?:?(\w+)>", lambda m: words.get(m[1], "x"), url)
            for method in rule.methods - {"HEAD", "OPTIONS"}:
                yield method, url


@pytest.mark.long
def test_no_body_whatever_gets_a_fault_of_ours_from_any_route(app, painter, sculpt_id, monkeypatch):
    small = io.BytesIO()  # a photo takes a second to draw
    Image.new("RGB", (300, 400), (90, 80, 70)).save(small, "JPEG")
    monkeypatch.setattr("dusk_lamp.web.check.page.trial_photo", lambda *_: small.getvalue())
    load_rack(app.extensions["workshop"].store)
    app.config["PROPAGATE_EXCEPTIONS"] = False
    token = painter.token()
    bad = []
    for method, url in addresses(app):
        if method == "GET":
            continue
        # another sculpt's number, or one that there is not, meets the same reader: a few bodies show it
        for kind, body in BODIES if "2" not in url else BODIES[::6]:
            headers = {"X-CSRFToken": token, "X-Requested-With": "fetch"}
            answer = painter.client.open(url, method=method, data=body, content_type=kind, headers=headers)
            if answer.status_code >= 500:
                bad.append((method, url, kind, body[:60], answer.status_code))
            elif answer.status_code >= 400:
                assert len(answer.get_json()["error"].split()) > 3
    assert bad == []


def test_a_slip_of_the_program_is_no_fault_of_the_painters(app, painter, sculpt_id, monkeypatch, caplog):
    """It answers 500 with the request's number, which stands in the log with what was raised, and keeps nothing."""
    from dusk_lamp.web.app import _slip
    from dusk_lamp.web.stages import view

    def slips(*_):
        raise KeyError("a name that is not there")

    monkeypatch.setattr(view, "_changed", slips)
    monkeypatch.setitem(app.error_handler_spec[None][None], Exception, _slip)
    turn = painter.client.get(f"/sculpts/{sculpt_id}/history").get_json()["turn"]
    body = {"do": "look", "azimuth": 1, "elevation": 2, "turn": turn}
    answer = painter.json("POST", f"/sculpts/{sculpt_id}/display", body, 500).get_json()
    number = re.search(r"number ([0-9a-f]{16})", answer["error"])[1]
    assert "our side" in answer["error"] and number in caplog.text and "a name that is not there" in caplog.text
    assert painter.client.get(f"/sculpts/{sculpt_id}/history").get_json()["turn"] == turn


@pytest.mark.parametrize(
    "sent",
    [{}, {"azimuth": "x", "elevation": 2}, {"azimuth": [1], "elevation": 2}, {"azimuth": True, "elevation": 2}],
)
def test_a_change_that_is_incomplete_is_refused_at_the_door(painter, sculpt_id, sent):
    answer = painter.json("POST", f"/sculpts/{sculpt_id}/display", {"do": "look", **sent}, 400)
    said = answer.get_json()["error"]
    assert "incomplete" in said and "reload" in said


def test_no_number_in_an_address_stops_the_bench(app, painter, sculpt_id):
    """A view toward no direction once held the one pool of rays for good."""
    app.config["PROPAGATE_EXCEPTIONS"] = False
    for number in NUMBERS:
        for query in (f"azimuth={number}", f"azimuth=0&elevation={number}", f"ground={number}"):
            answer = painter.client.get(f"/sculpts/{sculpt_id}/view.png?{query}")
            assert answer.status_code == 400 and "number between" in answer.text, query
        assert painter.client.get(f"/sculpts/{number}/light").status_code in (200, 404, 302, 308)
    assert painter.client.get(f"/sculpts/{sculpt_id}/view.png?azimuth=30").status_code == 200


def test_regions_whose_runs_wrap_round_are_refused(painter, sculpt_id):
    answer = painter.client.post(
        f"/sculpts/{sculpt_id}/regions/file",
        data={"file": (io.BytesIO(regions_that_wrap()), "r.json")},
        headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
    )
    assert answer.status_code == 400 and "garbled" in answer.get_json()["error"]


def test_only_names_of_this_machine_are_answered(app, painter):
    """DNS rebinding: a page elsewhere points its own name here."""
    for host, code in (
        ("localhost:5151", 200),
        ("127.0.0.1", 200),
        ("[::1]:5151", 200),
        ("evil.example", 421),
        ("127.0.0.1.evil.example", 421),
    ):
        assert painter.client.get("/", headers={"Host": host}).status_code == code, host


def test_a_large_body_is_refused_by_its_kind(painter, sculpt_id):
    answer = painter.client.post(
        f"/sculpts/{sculpt_id}/relight",
        data=b'{"a": "' + b"x" * 2_100_000 + b'"}',
        content_type="application/json",
        headers={"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"},
    )
    assert answer.status_code == 413


# --- login


@pytest.fixture
def guarded(tmp_path):
    app = create_app(tmp_path / "data", Settings(passphrase="tide over the stones"), testing=True)
    yield app
    app.extensions["workshop"].store.close()


def logged_in(client, passphrase):
    token = re.search(r'name="csrf-token" content="([^"]+)"', client.get("/login").text)[1]
    return client.post("/login", data={"passphrase": passphrase, "csrf_token": token})


def test_without_the_passphrase_there_is_nothing_but_the_login(guarded):
    client = guarded.test_client()
    assert client.get("/").headers["Location"].endswith("/login")
    assert client.get("/rack.csv").status_code == 302
    assert client.get("/sculpts/1/state", headers={"X-Requested-With": "fetch"}).status_code == 401
    assert client.post("/rack/demo").status_code in (400, 401)
    assert logged_in(client, "wrong one entirely").status_code == 403
    assert logged_in(client, "tide over the stones").status_code == 302 and client.get("/").status_code == 200
    token = re.search(r'name="csrf-token" content="([^"]+)"', client.get("/").text)[1]
    client.post("/login/leave", data={"csrf_token": token})
    assert client.get("/").status_code == 302, "a session that was ended is ended"


def test_whoever_tries_too_often_waits(guarded):
    client = guarded.test_client()
    for _ in range(TRIES):
        logged_in(client, "guess")
    answer = logged_in(client, "tide over the stones")
    assert answer.status_code == 429 and "wait" in answer.text


def test_beyond_this_machine_a_passphrase_is_needed(monkeypatch):
    monkeypatch.setattr("sys.stdin", io.StringIO())
    assert passphrase_for("127.0.0.1", Settings()) == "" and passphrase_for("::1", Settings()) == ""
    assert passphrase_for("0.0.0.0", Settings(passphrase="tide over the stones"))
    with pytest.raises(SettingError, match="DUSK_LAMP_PASSPHRASE"):
        passphrase_for("0.0.0.0", Settings())
    with pytest.raises(SettingError, match="12 letters"):
        Logins("short")


def test_settings_outside_their_ranges_are_refused_in_a_line():
    assert settings_from({"DUSK_LAMP_UPLOAD_LIMIT_MB": "50"}).upload_limit_mb == 50
    for name, bad in (("UPLOAD_LIMIT_MB", "many"), ("LEASE_S", "1"), ("BROKER", "http://x")):
        with pytest.raises(SettingError):
            settings_from({f"DUSK_LAMP_{name}": bad})


def test_the_page_of_pieces_is_there_in_debug_mode_alone(app, painter):
    page = painter.page("/pieces")
    assert page.select(".region-list [aria-pressed=true]") and page.select("input[type=range][min]")
    app.testing = False
    try:
        assert painter.client.get("/pieces").status_code == 404
    finally:
        app.testing = True
