"""A bench of many painters, as they meet it on the pages: coming in, being alone with one's own, showing, leaving."""

import io
import json
import re
import shutil
import zipfile

import pytest
from sqlalchemy import select, update

from dusk_lamp.core.log.entry import Entry
from dusk_lamp.core.paint.mix import Mix
from dusk_lamp.core.paint.rack import Paint
from dusk_lamp.settings import settings_from
from dusk_lamp.store import accounts, log, paints, squads
from dusk_lamp.store.models import Bottle, Invitation, JobRow, Login, Sculpt, Share
from dusk_lamp.store.move import move
from dusk_lamp.store.owner import acting_for
from dusk_lamp.store.store import new_job
from dusk_lamp.web.app import create_app

from .conftest import Painter

SECRET = "Quibble"  # in everything that the first painter has
PASS = "a lamp at dusk, lit"


def bench_at(data, **settings):
    app = create_app(data, settings_from({}, upload_limit_mb=3, accounts=1, **settings), testing=True)
    app.extensions["workshop"].queue.huey.immediate = True
    return app


def come_in(app, name):
    """A new painter by an invitation, logged in."""
    with app.extensions["workshop"].store.saving() as session:
        token = accounts.invite(session)
    painter = Painter(app.test_client())
    page = painter.page(f"/invited/{token}")
    csrf = page.find("meta", {"name": "csrf-token"})["content"]
    data = {"name": name, "passphrase": PASS, "csrf_token": csrf}
    answer = painter.client.post(f"/invited/{token}", data=data)
    assert answer.status_code == 302 and answer.location == "/", answer.text
    return painter


@pytest.fixture
def club(tmp_path, with_a_plan):
    """A bench whose first painter has something in every room, and a second who has nothing."""
    shutil.copytree(with_a_plan, tmp_path / "data")
    app = bench_at(tmp_path / "data", metrics=1)
    ann, bob = come_in(app, "Ann"), come_in(app, "Björn 博")
    store = app.extensions["workshop"].store
    with acting_for(1), store.saving() as session:
        sculpt = session.get(Sculpt, 1)
        sculpt.name = f"{SECRET} keeper"
        paints.put(session, Paint(f"{SECRET} Blue", stock_ml=9.0))
        paint = paints.rack_of(session).find(f"{SECRET} Blue")
        paints.keep_recipe(session, f"{SECRET} mix", Mix((paint,), (1,)))
        log.add(session, Entry(title=f"{SECRET} was painted", note=SECRET), sculpt)
        squads.make(session, f"{SECRET} squad", sculpt, [sculpt])
        accounts.share(session, "sculpt", 1, True)
    yield app, ann, bob
    store.close()


# --- every route, with another painter's numbers
HARMLESS = {"static"}  # the same for everybody


def addresses(app):
    """Every route and method with numbers of the first painter's things filled in; a new route is among them."""
    for rule in app.url_map.iter_rules():
        if rule.endpoint in HARMLESS:
            continue
        values = {}
        for name in rule.arguments:
            kind = rule._converters[name]
            options = sorted(getattr(kind, "items", ())) or ["front"]
            values[name] = 1 if "Numbered" in type(kind).__name__ else options[0]
        with app.test_request_context():
            url = app.url_map.bind("localhost").build(rule.endpoint, values, method=sorted(rule.methods)[0])
        for method in sorted(rule.methods - {"HEAD", "OPTIONS"}):
            yield rule.endpoint, method, url


def test_no_route_shows_or_changes_what_is_anothers(club):
    """The whole map of addresses, asked as the second painter with the first one's numbers: nothing of the first
    comes back, and nothing of theirs is changed."""
    app, ann, bob = club
    store = app.extensions["workshop"].store

    def everything():
        with acting_for(1), store.session() as session:
            rows = [s.__dict__ | {"_sa_instance_state": 0} for s in session.scalars(select(Sculpt)).all()]
            own = [str(sorted((k, str(v)) for k, v in row.items() if k not in ("jobs", "held"))) for row in rows]
            bottles = [json.dumps(b.label) for b in session.scalars(select(Bottle).order_by(Bottle.id)).all()]
            return own, bottles, [e.title for e in log.entries(session)]

    before = everything()
    token = bob.token()
    headers = {"X-CSRFToken": token, "X-Requested-With": "fetch"}
    bodies = {"turn": 1, "do": "undo", "sculpt": 1, "sculpts": [1], "name": "x", "photo": "0" * 64, "of": 1}
    asked, ends = 0, {"accounts.leave", "accounts.delete"}
    for endpoint, method, url in addresses(app):
        if endpoint in ends:
            continue
        for more in ({}, {"json": bodies}) if method == "POST" else ({},):
            answer = bob.client.open(url, method=method, headers=headers, **more)
            body = answer.get_data()
            asked += 1
            assert SECRET.encode() not in body, (endpoint, method, url)
            assert answer.status_code < 500, (endpoint, method, url, body[:300])
            if re.search(r"/(sculpts|squads|rack|jobs)/1(/|$)", url) and endpoint not in ("tools.keep",):
                assert answer.status_code >= 400, (endpoint, method, url)
    assert asked > 250
    assert everything() == before
    assert SECRET in str(ann.page("/")), "and the first still has it"


@pytest.mark.long
def test_every_route_answers_on_postgresql_as_well(tmp_path, with_a_plan, postgres, figure):
    """A bench that was moved from SQLite, asked for every page there is, and worked at."""
    shutil.copytree(with_a_plan, tmp_path / "data")
    address = postgres.new()
    move(tmp_path / "data", settings_from({}), address)
    app = create_app(tmp_path / "data", settings_from({}, database=address, upload_limit_mb=3), testing=True)
    app.extensions["workshop"].queue.huey.immediate = True
    painter = Painter(app.test_client())
    headers = {"X-CSRFToken": painter.token(), "X-Requested-With": "fetch"}
    for endpoint, method, url in addresses(app):
        answer = painter.client.open(url, method=method, headers=headers)
        assert answer.status_code < 500, (endpoint, method, url, answer.text[:300])
    painter.post("/sculpts/1/restore")
    painter.region(do="describe", number=1, name="Hood", colour="Tide Blue")
    assert painter.undo()["did"].startswith("Undone")
    painter.bring(figure, "Another.stl")
    assert "Another" in str(painter.page("/"))
    assert painter.client.get("/sculpts/1/whole-plan.json").get_json()["coats"]
    app.extensions["workshop"].store.close()


def test_nobody_comes_in_without_a_login(club):
    app, _, _ = club
    stranger = app.test_client()
    for endpoint, method, url in addresses(app):
        answer = stranger.open(url, method=method)
        assert answer.status_code in (302, 400, 401, 403, 404, 405, 503) or endpoint in (
            "accounts.enter",
            "operations.alive",
            "operations.ready",
            "operations.metrics",
        ), (endpoint, method, answer.status_code)
        assert SECRET.encode() not in answer.data


# --- coming in
def test_an_invitation_works_once_and_only_for_a_while(club):
    app, _, _ = club
    store = app.extensions["workshop"].store
    with store.saving() as session:
        token = accounts.invite(session)
    new = Painter(app.test_client())
    csrf = new.page(f"/invited/{token}").find("meta", {"name": "csrf-token"})["content"]

    def answered(name, passphrase=PASS):
        data = {"name": name, "passphrase": passphrase, "csrf_token": csrf}
        return new.client.post(f"/invited/{token}", data=data)

    assert "12 to 1000 letters" in answered("Cid", "short").text
    assert "another name" in answered("ann").text or "choose another" in answered("ann").text
    assert "nobody sees" in answered("C\u202eid").text
    assert answered("Cid").status_code == 302
    again = app.test_client().get(f"/invited/{token}")
    assert again.status_code == 400 and "used already" in again.text
    with store.saving() as session:
        old = accounts.invite(session)
        session.execute(update(Invitation).values(until=accounts.now()))
    assert "too old" in app.test_client().get(f"/invited/{old}").text
    assert "not valid" in app.test_client().get("/invited/guessed").text


def test_wrong_passphrases_are_slowed_down_and_an_unknown_name_says_no_more(club):
    app, _, _ = club
    client = app.test_client()
    csrf = Painter(client).page("/login").find("meta", {"name": "csrf-token"})["content"]
    words = []
    for n in range(7):
        data = {"name": "Ann" if n % 2 else "Nobody", "passphrase": "wrong", "csrf_token": csrf}
        answer = client.post("/login", data=data)
        words.append((answer.status_code, re.search(r'class="trouble"[^>]*>([^<]+)', answer.text)[1]))
    assert words[0] == words[1] and words[0][0] == 403, "a wrong name and a wrong passphrase look the same"
    assert words[-1][0] == 429 and "wait a minute" in words[-1][1]


def test_behind_a_proxy_it_is_who_really_asks_that_is_slowed_down(tmp_path):
    app = bench_at(tmp_path / "data", proxies=1)
    ann = come_in(app, "Ann")

    def tried(passphrase, address):
        client = app.test_client()
        csrf = Painter(client).page("/login").find("meta", {"name": "csrf-token"})["content"]
        data = {"name": "Ann", "passphrase": passphrase, "csrf_token": csrf}
        return client.post("/login", data=data, headers={"X-Forwarded-For": address}).status_code

    assert [tried("wrong", "198.51.100.7") for _ in range(6)] == [403] * 5 + [429]
    assert tried(PASS, "198.51.100.8") == 302, "another address is not held up"
    link = ann.client.post("/account/invite", headers={"X-CSRFToken": ann.token(), "X-Forwarded-Proto": "https"}).text
    assert "https://localhost/invited/" in link
    app.extensions["workshop"].store.close()


def test_sessions_end_here_everywhere_and_with_another_passphrase(club):
    app, ann, _ = club
    other = Painter(app.test_client())
    csrf = other.page("/login").find("meta", {"name": "csrf-token"})["content"]
    data = {"name": "ann", "passphrase": PASS, "csrf_token": csrf}
    assert other.client.post("/login", data=data).status_code == 302
    assert other.client.get("/").status_code == 200
    bad = ann.client.post(
        "/account/passphrase", data={"old": "no", "new": PASS + "!"}, headers={"X-CSRFToken": ann.token()}
    )
    assert bad.status_code == 400 and "nothing was changed" in bad.text
    ann.post("/account/passphrase", {"old": PASS, "new": PASS + "!"})
    assert other.client.get("/").status_code == 302, "every other session has ended"
    ann.client.post("/login/leave", headers={"X-CSRFToken": ann.token()})
    assert ann.client.get("/").status_code == 302
    with app.extensions["workshop"].store.session() as session:
        assert not session.scalars(select(Login).where(Login.painter_id == 1)).all()


# --- looking after the bench
def test_who_looks_after_the_bench_sees_sizes_and_times_and_no_names_of_things(club):
    app, ann, bob = club
    page = ann.page("/account")
    row = next(r for r in page.select("tbody tr") if "Ann" in r.text)
    assert "1" in row.text and "MB" in row.text
    assert "Björn 博" in page.text and "Invite a painter" in page.text
    invited = ann.post("/account/invite")
    link = invited.select_one(".invitation").text
    assert app.test_client().get(link).status_code == 200
    assert "Invite a painter" not in bob.page("/account").text
    for url in ("/account/invite", "/account/remove"):
        assert bob.client.post(url, headers={"X-CSRFToken": bob.token()}).status_code == 404
    wrong = ann.client.post(
        "/account/remove", data={"painter": "2", "name": "Bjorn"}, headers={"X-CSRFToken": ann.token()}
    )
    assert wrong.status_code == 400 and "nothing was removed" in wrong.text
    ann.post("/account/remove", {"painter": "2", "name": "Björn 博"})
    assert bob.client.get("/").status_code == 302


def test_a_painter_leaves_with_everything_and_leaves_nothing(club):
    app, ann, bob = club
    bob.post("/rack", {"name": "Bob Red", "kind": "layer", "by": "swatch", "colour": "#aa2211", "hiding": "0.9"})
    taken = zipfile.ZipFile(io.BytesIO(ann.client.get("/account/everything.zip").data))
    names = taken.namelist()
    assert {"painter.json", "rack.csv", "recipes.json", "log.json", "plans/1.json"} <= set(names)
    assert any(n.startswith("files/") and n.endswith(".stl") for n in names)
    plan = json.loads(taken.read("plans/1.json"))
    assert plan["name"] == f"{SECRET} keeper" and plan["plan"]["coats"] and plan["files"][0]["file"] in names
    assert SECRET in taken.read("rack.csv").decode() and "Bob Red" not in taken.read("rack.csv").decode()
    with app.extensions["workshop"].store.saving() as session:
        job = new_job(session, session.get(Sculpt, 1)).id
    wrong = ann.client.post("/account/delete", data={"passphrase": "no"}, headers={"X-CSRFToken": ann.token()})
    assert wrong.status_code == 400 and "nothing was deleted" in wrong.text
    ann.client.post("/account/delete", data={"passphrase": PASS}, headers={"X-CSRFToken": ann.token()})
    assert ann.client.get("/").status_code == 302
    with app.extensions["workshop"].store.session() as session:
        assert session.get(JobRow, job) is None and session.get(Sculpt, 1) is None
        assert [b.paint.name for b in session.scalars(select(Bottle)).all()] == ["Bob Red"]
        assert not session.scalars(select(Share)).all() and not log.entries(session)
    assert "Bob Red" in bob.page("/rack").text


# --- showing
def test_a_sculpt_is_shown_and_copied_by_a_link_that_can_be_taken_back(club):
    app, ann, bob = club
    with acting_for(1), app.extensions["workshop"].store.session() as session:
        token = accounts.shares(session)[0].token
    stranger = Painter(app.test_client())
    page = stranger.page(f"/shared/{token}")
    assert f"{SECRET} keeper" in page.text and "Shown by Ann" in page.text and "Log in" in page.text
    assert stranger.client.get(page.img["src"]).data.startswith(b"\x89PNG")
    assert stranger.client.post(f"/shared/{token}/copy").status_code in (400, 401)
    bob.post(f"/shared/{token}/copy")
    assert f"{SECRET} keeper" in str(bob.page("/"))
    with acting_for(2), app.extensions["workshop"].store.session() as session:
        mine = session.scalars(select(Sculpt)).one()
    assert bob.page(f"/sculpts/{mine.id}/sheet") and bob.client.get(f"/sculpts/{mine.id}/whole-plan.json").get_json()
    share = ann.page("/account").select_one("form[action$='/back']")["action"]
    assert bob.client.post(share, headers={"X-CSRFToken": bob.token()}).status_code == 404
    ann.post(share)
    assert stranger.client.get(f"/shared/{token}").status_code == 404
    assert stranger.client.get(page.img["src"]).status_code == 404
    assert bob.page(f"/sculpts/{mine.id}/sheet"), "a copy that was taken stays"


def test_a_rack_and_a_recipe_are_shown_and_copied(club):
    app, ann, bob = club
    ann.post("/shares", {"kind": "rack"})
    ann.post("/shares", {"kind": "recipe", "of": "1", "look": "1"})
    with acting_for(1), app.extensions["workshop"].store.session() as session:
        recipe, rack, _ = (s.token for s in accounts.shares(session))
    assert f"{SECRET} Blue" in bob.page(f"/shared/{rack}").text
    bob.post(f"/shared/{rack}/copy")
    assert f"{SECRET} Blue" in bob.page("/rack").text
    assert f"{SECRET} mix" in bob.page(f"/shared/{recipe}").text
    only = bob.client.post(f"/shared/{recipe}/copy", headers={"X-CSRFToken": bob.token()})
    assert only.status_code == 400 and "to be looked at" in only.text
    none = ann.client.post("/shares", data={"kind": "sculpt", "of": "99"}, headers={"X-CSRFToken": ann.token()})
    assert none.status_code == 400 and "not there any more" in none.text


# --- room
def test_a_full_quota_is_said_in_words_and_nothing_is_lost(tmp_path, figure):
    app = bench_at(tmp_path / "data", quota_gb=0.00025)
    ann = come_in(app, "Ann")
    ann.bring(figure, "one.stl")
    full = ann.bring(figure + b"\0" * 200_000, "two.stl", code=400)
    assert "no room for another" in full["error"] and "GB" in full["error"]
    assert "one" in ann.page("/").text
    app.extensions["workshop"].store.close()


def test_as_many_jobs_wait_as_one_painter_may_have(tmp_path, figure):
    app = bench_at(tmp_path / "data", quota_jobs=1)
    app.extensions["workshop"].queue.huey.immediate = False  # nobody works
    ann, bob = come_in(app, "Ann"), come_in(app, "Bob")
    ann.bring(figure, "one.stl")
    assert "still waiting" in ann.bring(figure, "two.stl", code=400)["error"]
    bob.bring(figure, "three.stl")
    app.extensions["workshop"].store.close()


# --- how the bench does
def test_it_says_that_it_is_alive_ready_and_how_it_does(club, capfd):
    app, ann, _ = club
    assert app.test_client().get("/healthz").get_json() == {"alive": True}
    ready = app.test_client().get("/readyz")
    assert ready.status_code == 200 and ready.get_json()["database"] and ready.get_json()["broker"]
    ann.page("/rack")
    numbers = app.test_client().get("/metrics").text
    assert 'dusk_lamp_answers_total{kind="2xx",page="rack.rack"}' in numbers and "dusk_lamp_jobs" in numbers
    assert SECRET not in numbers
    answer = ann.client.get("/rack")
    assert re.fullmatch("[0-9a-f]{16}", answer.headers["X-Request-Id"])
    app.extensions["workshop"].store.engine.dispose()


def test_metrics_are_off_unless_they_are_wished_and_lines_name_nobody(painter, tmp_path, capfd):
    assert painter.client.get("/metrics").status_code == 404
    app = bench_at(tmp_path / "other", logs=1)
    ann = come_in(app, "Ann")
    ann.page("/rack")
    lines = [json.loads(line) for line in capfd.readouterr().err.splitlines() if line.startswith("{")]
    own = next(line for line in reversed(lines) if line["page"] == "rack.rack")
    assert set(own) == {"at", "request", "page", "code", "ms", "painter"} and own["code"] == 200
    assert len(own["painter"]) == 12 and "Ann" not in json.dumps(lines)
    app.extensions["workshop"].store.close()
