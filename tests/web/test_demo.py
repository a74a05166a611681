"""A demo plan through page, file and command line: the same coats, the same steps, the same colours, to the byte;
and what a fresh shelf shows."""

import io
import json
import re
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from dusk_lamp.cli.main import main
from dusk_lamp.core.log.pace import pace_of
from dusk_lamp.core.plan.run import laid
from dusk_lamp.core.sculpt.masks import read_mask
from dusk_lamp.demo.finished import finished
from dusk_lamp.demo.load import load_demo, load_rack, sculpt_file
from dusk_lamp.demo.plans import DEMO
from dusk_lamp.store import log, plans, progress
from dusk_lamp.store.models import Sculpt, now
from dusk_lamp.store.store import new_job

from .conftest import packet

KIND = "sluice-knight"  # metal, whose facets the bench keeps


@pytest.mark.long
def test_a_demo_plan_is_the_same_from_page_file_and_command_line(app, painter, store, tmp_path):
    demo = next(d for d in DEMO if d.file == KIND)
    load_rack(store)
    workshop = app.extensions["workshop"]
    sha = store.keep_upload(io.BytesIO(sculpt_file(demo)), "ply")
    with store.saving() as session:
        file = {"name": f"{KIND}.ply", "format": "ply", "sha": sha}
        sculpt = plans.add_sculpt(session, demo.name, [file], plans.fresh(demo.standing()))
        job = new_job(session, sculpt).id
    workshop.queue.add(job)  # at once, in the test
    with store.saving() as session:
        sculpt = session.get(Sculpt, 1)
        own, kept = workshop.sculpts.of(sculpt), plans.kept_of(session, sculpt)
        (tmp_path / "as-shipped.ply").write_bytes(sculpt_file(demo))
        marking = read_mask(tmp_path / "as-shipped.ply", "ply").on(own.site.surface, own.placing)
        wished = replace(demo.plan(marking), sculpt=kept.plan.sculpt)
        plans.keep(session, sculpt, replace(kept, plan=wished, labels=marking.labels), "regions and wishes")
    with store.saving() as session:
        sculpt = session.get(Sculpt, 1)
        context, kept = plans.context_of(session, sculpt, workshop.sculpts.of(sculpt), store.cache)
        context, done = laid(context)
        plans.keep(session, sculpt, replace(kept, plan=context.plan), "all laid")
    assert {s.name for s in done if s.coats} >= {"undercoat", "colour"}

    exported = painter.client.get("/sculpts/1/whole-plan.json").data
    plan = json.loads(exported)
    (tmp_path / plan["sculpt"]["file"]).write_bytes(sculpt_file(demo))
    (tmp_path / "listed.json").write_bytes(exported)
    assert main(["plan", str(tmp_path / "listed.json"), "-o", str(tmp_path / "listed"), "--no-pictures"]) == 0
    listed = json.loads((tmp_path / "listed" / "steps.json").read_text())["steps"]
    last = f"after-{len(listed):02d}.ply"
    assert [c["label"] for c in plan["coats"]] == [s["label"] for s in listed]

    steps = painter.page("/sculpts/1/sheet").select("article.step")
    assert len(steps) == len(listed)
    painter.json("POST", "/sculpts/1/schemes", {"do": "copy", "name": "As planned"})
    number = painter.client.get("/sculpts/1/schemes.json").get_json()[-1]["number"]
    _, levels = packet(painter.client.get(f"/sculpts/1/schemes/{number}.bin"))
    data = trimesh.load(tmp_path / "listed" / last, process=False).metadata["_ply_raw"]["vertex"]["data"]
    seen = np.column_stack([data[n] for n in ("red", "green", "blue")]).reshape(-1, 3)
    shown = workshop.sculpts.of(sculpt).site.paintable
    assert np.array_equal(seen[shown], levels.reshape(-1, 4)[shown, :3])


def test_a_fresh_shelf_shows_finished_plans_at_once(app, painter, store):
    load_rack(store)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("dusk_lamp.demo.load.new_job", lambda *_, **__: type("Job", (), {"id": 0})())
        load_demo(store, type("Queue", (), {"add": lambda self, _: None})())
    page = painter.page("/")
    cards = page.select("article.card-sculpt")
    assert len(cards) == len(DEMO) and all(c.select_one("img") for c in cards)
    shown = [a["href"] for a in page.select("#welcome a")]
    assert len(shown) == 4 and [h.rsplit("/", 1)[1] for h in shown] == ["paint", "metal", "sheet", "for-me"]
    assert all(painter.client.get(h).status_code == 200 for h in shown)  # a page that says how far it is
    said = " ".join(painter.page("/log").get_text(" ").split())
    assert re.search(r"done in [\dmins ]+ \([\dmins ]+ expected\)", said) and re.search(r"[A-Z]\w+ < 0\.01", said)
    warden = [d.file for d in DEMO].index("wick-warden") + 1
    coats = finished("wick-warden").plan.coats
    assert {c.stage for c in coats} >= {"undercoat", "colour", "face", "metal", "edges", "glow", "wear", "finish"}
    with store.session() as session:
        sculpt = session.get(Sculpt, warden)
        assert sculpt.name == "Wick-warden" and plans.plan_of(session, sculpt).coats == coats
        state = progress.painting_state(session, sculpt, progress.keys_of(coats))
        assert len(state.ends) == 10 and all(e.how == "done" and e.seconds > 10 for e in state.ends.values())
        assert state.place == progress.keys_of(coats)[10]
        kept = log.entries(session, warden)  # what is painted is in the log, and teaches no other pace than expected
        assert [e.title for e in kept][::9] == ["Primer everywhere", coats[9].label] and len(kept) == 10
        assert sorted(e.at for e in kept) == [e.at for e in kept] and kept[-1].at[:19] <= now().isoformat()
        assert [e.technique for e in kept] == [c.technique for c in coats[:10]]
        assert all(list(e.parts.values()) == list(c.mix.parts) for e, c in zip(kept, coats, strict=False))
        assert abs(pace_of(kept).all - 1) < 0.1
        keeper = session.get(Sculpt, [d.file for d in DEMO].index("kiln-keeper") + 1)
        assert not plans.plan_of(session, keeper).coats and keeper.thumb_key
