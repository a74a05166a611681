"""A shelf of its own for every test, and a browserless painter who uses it."""

import io
import re
import shutil
from contextlib import contextmanager

import numpy as np
import pytest
import trimesh
from bs4 import BeautifulSoup

from dusk_lamp.core.sculpt import surface
from dusk_lamp.demo.load import load_rack
from dusk_lamp.settings import settings_from
from dusk_lamp.store.store import Store
from dusk_lamp.web.app import create_app, open_folder

from ..conftest import few_spots
from ..shapes import ball, together


@contextmanager
def few_samples():
    """So that a test of the pages is not a test of patience."""
    with few_spots(), pytest.MonkeyPatch.context() as patch:
        patch.setattr(surface, "FEWEST_SAMPLES", 2_000)
        patch.setattr(surface, "MOST_SAMPLES", 3_000)
        yield


@pytest.fixture(scope="module", autouse=True)
def coarse():
    with few_samples():
        yield


SETTINGS = settings_from({}, upload_limit_mb=3)


def working_at_once(app):
    app.extensions["workshop"].queue.huey.immediate = True  # jobs run in the test itself
    return app


def shelf_at(data):
    return working_at_once(create_app(data, SETTINGS, testing=True))


@pytest.fixture(scope="session")
def empty_shelf(tmp_path_factory):
    """A data folder with nothing on the shelf, to be copied."""
    data = tmp_path_factory.mktemp("empty") / "data"
    Store(data, SETTINGS).close()
    return data


@pytest.fixture(scope="session")
def one_app(tmp_path_factory, empty_shelf):
    """An application that every test lends: to make its routes and templates anew each time takes longer than most
    tests do."""
    data = tmp_path_factory.mktemp("first") / "data"
    shutil.copytree(empty_shelf, data)
    app = shelf_at(data)
    app.extensions["workshop"].store.close()
    return app, dict(app.config)


@pytest.fixture(scope="session")
def with_a_sculpt(tmp_path_factory, figure):
    """A data folder with one prepared sculpt, to be copied."""
    data = tmp_path_factory.mktemp("prepared") / "data"
    app = shelf_at(data)
    with few_samples():
        Painter(app.test_client()).bring(figure, "Lamp keeper.stl")
    app.extensions["workshop"].store.close()
    return data


def folder_after(data, folder, what):
    """A copy of a data folder after its painter did something."""
    shutil.copytree(folder, data)
    app = shelf_at(data)
    with few_samples():
        what(Painter(app.test_client()))
    app.extensions["workshop"].store.close()
    return data


def undercoated_at(data, sculpt, before=lambda painter: None):
    """A copy of a folder with a sculpt, with a rack and an undercoat. before: what its painter does first."""

    def what(painter):
        load_rack(painter.client.application.extensions["workshop"].store)
        before(painter)
        painter.post("/sculpts/1/done/undercoat")

    return folder_after(data, sculpt, what)


@pytest.fixture(scope="session")
def with_a_plan(tmp_path_factory, with_a_sculpt):
    """The same with a rack, one region, what faces up, and an undercoat."""

    def marks(painter):
        painter.region(do="facing", way="up", number=None)
        painter.region(do="describe", number=1, name="Cloak", colour="Tide Blue")

    return undercoated_at(tmp_path_factory.mktemp("planned") / "data", with_a_sculpt, marks)


@pytest.fixture(scope="session")
def with_an_undercoat(tmp_path_factory, with_a_sculpt):
    """The same with a rack and an undercoat, and nothing marked."""
    return undercoated_at(tmp_path_factory.mktemp("undercoated") / "data", with_a_sculpt)


@pytest.fixture(scope="session")
def with_every_stage(tmp_path_factory, with_a_plan):
    """The same with something of every stage: two regions, colours, metal, edges, a glow, a lens and wear."""

    def stages(painter):
        def edit(page, do, **more):
            return painter.change(1, page, do=do, **more)

        edit("regions", "pick", tool="part", free=True, origin=[0, 0, 99], direction=[0, 0, -1])
        edit("regions", "describe", number=2, name="Visor", material="metal", colour="#a9adb0")
        edit("colour", "way", region=1, name="layers")
        edit("metal", "set", region=2, settings={"school": "facet", "roughness": 0.4})
        edit("metal", "paint", region=2)
        edit("metal", "edges", region=2)
        edit("glow", "add", kind="region", region=1)
        edit("glow", "paint", number=painter.client.get("/sculpts/1/glow.json").get_json()["glows"][-1]["number"])
        edit("glow", "lens", region=2)
        edit("wear", "set", amounts={"dust": 0.5, "grime": 0.0}, spared=[2])
        edit("wear", "paint")

    return folder_after(tmp_path_factory.mktemp("staged") / "data", with_a_plan, stages)


PREPARED = (
    ("whole", "with_every_stage"),
    ("marked", "with_a_plan"),
    ("undercoated", "with_an_undercoat"),
    ("sculpt_id", "with_a_sculpt"),
)


@pytest.fixture
def app(tmp_path, request):
    prepared = next((prepared for name, prepared in PREPARED if name in request.fixturenames), "empty_shelf")
    shutil.copytree(request.getfixturevalue(prepared), tmp_path / "data")
    app, config = request.getfixturevalue("one_app")
    app.config.clear()
    app.config.update(config)
    open_folder(app, tmp_path / "data", SETTINGS)
    yield working_at_once(app)
    app.extensions["workshop"].store.close()


@pytest.fixture
def store(app):
    return app.extensions["workshop"].store


class Painter:
    """Asks for pages, fills in forms, and reads what comes back as a tree."""

    def __init__(self, client):
        self.client = client
        self._token = None, ""

    def page(self, url, code=200) -> BeautifulSoup:
        answer = self.client.get(url, follow_redirects=True)
        assert answer.status_code == code, answer.text[:500]
        return BeautifulSoup(answer.data, "lxml")

    def token(self) -> str:
        """Of this session; one that was read before is as good."""
        session = self.client.get_cookie("session")
        if session is None or self._token[0] != session.value:
            found = re.search('name="csrf-token" content="([^"]+)"', self.client.get("/", follow_redirects=True).text)
            self._token = self.client.get_cookie("session").value, found[1]
        return self._token[1]

    def post(self, url, data=None, code=200, **more) -> BeautifulSoup:
        headers = {"X-CSRFToken": self.token(), **more.pop("headers", {})}
        answer = self.client.post(url, data=data, headers=headers, follow_redirects=True, **more)
        assert answer.status_code == code, answer.text[:500]
        return BeautifulSoup(answer.data, "lxml")

    def json(self, method, url, body, code=200):
        """Sends JSON. What changes a plan is changed on the revision that holds, unless `turn` says another."""
        if isinstance(body, dict) and (own := re.match(r"/sculpts/(\d+)/", url)) and method in ("POST", "PUT"):
            body = {"turn": self.turn(int(own[1])), **body}
        answer = self.client.open(
            url, method=method, json=body, headers={"X-CSRFToken": self.token(), "X-Requested-With": "fetch"}
        )
        assert answer.status_code == code, answer.data[:500]
        return answer

    def bring(self, content: bytes, name: str, code=201):
        answer = self.client.post(
            "/sculpts",
            data={"file": (io.BytesIO(content), name)},
            headers={"X-CSRFToken": self.token(), "X-Requested-With": "fetch"},
        )
        assert answer.status_code == code, answer.data[:500]
        return answer.get_json()

    def region(self, code=200, **what):
        """A change of the regions of the first sculpt, on the state they are in."""
        return self.change(1, "regions", code=code, **what)

    def turn(self, sculpt_id=1) -> int:
        """The revision of the plan that holds."""
        answer = self.client.get(f"/sculpts/{sculpt_id}/history")
        return answer.get_json()["turn"] if answer.status_code == 200 else 0

    def change(self, sculpt_id, page, code=200, **what):
        """A change of a plan, made on the revision that holds unless `turn` says another."""
        return self.json("POST", f"/sculpts/{sculpt_id}/{page}", what, code=code)

    def undo(self, sculpt_id=1, by="undo"):
        """Undo, or redo, the last change of the plan; what the history says then."""
        return self.change(sculpt_id, "history", do=by).get_json()

    def settings(self, sculpt_id) -> dict:
        bench = self.page(f"/sculpts/{sculpt_id}/light").find(id="bench")
        import json

        kept = {name: json.loads(bench[f"data-{name}"]) for name in ("rig", "greys", "exposure")}
        return {**kept, "turn": int(bench["data-turn"])}


@pytest.fixture
def painter(app):
    return Painter(app.test_client())


@pytest.fixture
def marked(painter):
    """The painter of a sculpt with one region and an undercoat."""
    return painter


@pytest.fixture
def whole(painter):
    """The painter of a sculpt with something of every stage."""
    return painter


@pytest.fixture
def undercoated(painter):
    """The painter of a sculpt whose undercoat was confirmed as it was shown: the grey ladder."""
    return painter


@pytest.fixture(scope="session")
def figure() -> bytes:
    """An STL that stands up: a body and a head on a plinth."""
    plinth = trimesh.creation.cylinder(radius=8, height=4, sections=48)
    plinth.apply_translation((0, 0, 2))
    shape = together(plinth, ball(5, 3, (0, 0, 12)), ball(3, 3, (0, 0, 22)))
    return shape.export(file_type="stl")


@pytest.fixture
def sculpt_id(app):
    """The one sculpt of a shelf that was prepared beforehand."""
    return 1


def packet(answer) -> tuple[dict, np.ndarray]:
    """A heading and the bytes after it, as the scripts unpack them."""
    import json

    n = int.from_bytes(answer.data[:4], "little")
    return json.loads(answer.data[4 : 4 + n]), np.frombuffer(answer.data[4 + n :], np.uint8)


INLINE = re.compile(r"\bon\w+\s*=|javascript:|\bstyle\s*=", re.I)
