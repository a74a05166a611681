"""Cameras, pictures and files that leave the house."""

import io
import unicodedata
from dataclasses import replace
from xml.etree import ElementTree

import numpy as np
import pytest
import trimesh
from pypdf import PdfReader

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.technique import techniques
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.paint.mix import only
from dusk_lamp.core.paint.rack import Paint
from dusk_lamp.core.plan.steps.cards import StepCard, how_once
from dusk_lamp.core.plan.steps.step import steps_of
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.view.camera import VIEWS, Camera
from dusk_lamp.core.view.curve import front_svg
from dusk_lamp.core.view.formats import lit_glb, lit_ply, png_bytes
from dusk_lamp.core.view.raster import cut_out, snapshot
from dusk_lamp.core.view.sheet import _Pages, plan_pdf
from dusk_lamp.core.view.sheet_facts import SheetFacts
from dusk_lamp.core.view.step_picture import coat_picture, plan_snapshot, step_picture, where_it_shows

from ..shapes import ball, surface_of


@pytest.mark.parametrize("view", VIEWS)
def test_a_ball_fills_its_picture_as_a_disc(view):
    s = surface_of(ball(fine=5))
    shot = snapshot(s, Camera.named(view), 200, 200, margin=0)
    assert shot.seen.mean() == pytest.approx(np.pi / 4, abs=0.01)
    assert shot.scale == pytest.approx(10, rel=0.01)


def test_right_and_left_are_the_viewers_seen_from_the_front():
    s = surface_of(ball(fine=4))
    side = (s.points[:, 0] > 0) * 255.0
    picture = snapshot(s, Camera.named("front"), 100, 100).field(side)
    assert picture[50, 70] > 250 and picture[50, 30] < 5
    assert snapshot(s, Camera.named("back"), 100, 100).field(side)[50, 30] > 250
    assert snapshot(s, Camera.named("right"), 100, 100).field((s.points[:, 1] < 0) * 255.0)[50, 30] > 250, (
        "its front is at the left"
    )
    assert snapshot(s, Camera.named("top"), 100, 100).field((s.points[:, 1] < 0) * 255.0)[70, 50] > 250, (
        "the front is below"
    )


def test_the_lamps_own_view_and_no_other_name():
    assert Camera.named("lamp", Lamp(30, 50)) == Camera(30, 50)
    with pytest.raises(SettingError, match="a view is one of"):
        Camera.named("../../etc/passwd")


def test_a_picture_has_a_clear_ground_or_the_grey_asked_for():
    s = surface_of(ball(fine=3))
    levels = np.full(len(s), 200, np.uint8)
    clear = cut_out(s, levels, Camera(0, 0), 60, 80)
    assert clear.shape == (80, 60, 4) and clear[0, 0, 3] == 0 and tuple(clear[40, 30]) == (200, 200, 200, 255)
    assert cut_out(s, levels, Camera(0, 0), 60, 80, ground=119)[0, 0, 0] == 119


def test_a_ply_holds_fields_that_another_library_reads_back():
    s = surface_of(ball(fine=2))
    light, grey = s.normals[:, 2], np.arange(len(s)).astype(np.uint8)
    back = trimesh.load(
        io.BytesIO(lit_ply(s, {"light": light, "red": grey, "green": grey, "blue": grey})),
        file_type="ply",
        process=False,
    )
    data = back.metadata["_ply_raw"]["vertex"]["data"]
    assert data.dtype.names == ("x", "y", "z", "nx", "ny", "nz", "light", "red", "green", "blue")
    assert data["light"].ravel() == pytest.approx(light) and (data["red"].ravel() == grey).all()
    assert (back.faces == s.faces).all() and back.vertices == pytest.approx(s.points)


def test_a_glb_stands_upright_in_metres_with_colours():
    s = surface_of(ball(fine=2, at=(0, 0, 10)))
    back = trimesh.load(
        io.BytesIO(lit_glb(s, s.normals[:, 2], np.full(len(s), 90, np.uint8))),
        file_type="glb",
        force="mesh",
        process=False,
    )
    assert back.bounds[:, 1] == pytest.approx([0, 0.02], abs=1e-4), "glTF: y up, metres"
    assert tuple(back.visual.vertex_colors[0][:3]) == (90, 90, 90)
    assert back.vertex_attributes["_VALUE"].ravel() == pytest.approx(s.normals[:, 2], abs=1e-6)


def test_a_steps_picture_marks_where_the_film_goes_and_survives_black_and_white():
    s = surface_of(ball(fine=5))
    site, camera = Site(s), Camera.named("front")
    levels = np.full((len(s), 3), 90, np.uint8)
    film = np.where(s.points[:, 2] > 0, 8.0, 0.5).astype(np.float32)
    shot = plan_snapshot(site, camera, 120, 160, 22)
    picture = step_picture(site, shot, camera, levels, where_it_shows(film)).astype(float)
    top, bottom = picture[40:70, 45:75].reshape(-1, 3), picture[95:120, 45:75].reshape(-1, 3)
    assert (top[:, 0] - top[:, 2] > 40).mean() > 0.9, "amber where it goes"
    assert np.ptp(bottom, axis=1).max() < 3, "neutral where it does not"
    grey = top @ [0.2126, 0.7152, 0.0722]
    assert grey.std() > 15 > bottom.std(), "hatching shows without colour"
    assert (picture[0, 0] == 255).all(), "paper stays white"
    assert not where_it_shows(np.full(9, 20, np.float32)).any(), "a coat on everything marks nothing in particular"
    after, alike = np.full((len(s), 3), 200, np.uint8), np.full(len(s), 8, np.float32)
    shown = [coat_picture(site, shot, camera, alike, levels, after, whole=w)[55, 60] for w in (True, False)]
    assert shown[0].min() > 150 and shown[1].max() < 150, "what it comes to, unless that is shown beside it"


def test_the_curve_of_plans_has_its_points_at_their_minutes_and_nearness():
    """What is said at a line is what a point on it has; the chosen point is another colour, and each says what it
    is."""
    plans = [(15.0, 0.25, "15 min: 25 %"), (30.0, 0.5, "30 min: 50 %"), (60.0, 1.0, "60 min: 100 %")]
    drawn = ElementTree.fromstring(front_svg(plans, here=1))
    own = "{http://www.w3.org/2000/svg}"
    dots = [g.findall(f"{own}circle")[-1] for g in drawn.iterfind(f"{own}g")]
    at = [(float(d.get("cx")), float(d.get("cy"))) for d in dots]
    assert (at[2][0] - at[1][0], at[1][1] - at[2][1]) == pytest.approx(
        (2 * (at[1][0] - at[0][0]), 2 * (at[0][1] - at[1][1])), abs=0.3
    )
    said = {t.text: (float(t.get("x")), float(t.get("y"))) for t in drawn.iterfind(f"{own}text")}
    for (x, y), minutes, near in zip(at, ("15 min", "30 min", "60 min"), ("25 %", "50 %", "100 %"), strict=True):
        assert said[minutes][0] == pytest.approx(x, abs=0.2) and said[near][1] == pytest.approx(y + 3.5, abs=0.2)
    assert "75 %" in said and len({d.get("fill") for d in dots}) == 2 and dots[0].get("fill") == dots[2].get("fill")
    assert [g.find(f"{own}title").text for g in drawn.iterfind(f"{own}g")] == [words for _, _, words in plans]


OTHER_LETTERS = ["Ключник", "Λύχνος", "حارس", "שומר", "Řež"]
OF_THE_EAST = ["しおかぜ", "守灯人", "등불지기"]


def test_what_the_hand_does_is_said_once_on_a_card_until_it_changes():
    site = Site(surface_of(ball(fine=2)))
    paint = only(Paint("Chalk", "base", "#e8e6e0"))
    coats = [usual_coat(name, paint, name) for name in ("brush", "brush", "drybrush", "brush", "brush")]
    coats[4] = coats[4].with_settings({"film_um": 60.0})
    steps = steps_of(site, coats, [c.film(site) for c in coats])
    said = how_once(StepCard("Cloak", (0, 1, 2, 3, 4)), steps)
    assert [said[k] for k in range(4)] == [steps[0].how, "", steps[2].how, steps[3].how]
    assert "thin coats, each dry before the next." in said[4] and "pulled one way" not in said[4]
    assert how_once(StepCard("Hood", (1,)), steps) == {1: steps[1].how}, "each card stands by itself"


def test_plain_words_are_broken_where_the_library_breaks_them_and_others_are_left_to_it(rng):
    """fpdf2, which breaks letter by letter."""
    pdf = _Pages("Plan", "")
    pdf.add_page()
    words = "thin 3 µm of Chalk + Soot, 2:1; 4 – wait 20_min. Light-grey (Gull) on top, then stop!"
    some = [word.replace("_", "\u00a0") for word in words.split()]
    for k in range(60):
        pdf.set_font("text", "B" if k % 2 else "", (7.2, 8.0, 9.0)[k % 3])
        words = " ".join(rng.choice(some, 1 + 2 * k))
        wide = 25.0 + k
        assert pdf.lines_of_plain(words, wide) == pdf.multi_cell(wide, 4, words, dry_run=True, output="LINES")
    for other in ("two\nlines", "two  spaces", "soft\u00adhyphen", "夜の灯", "ΔE 4", "W" * 90, " before"):
        assert pdf.lines_of_plain(other, 40) is None


def test_the_pdf_has_every_step_its_drops_and_its_cautions():
    picture = png_bytes(np.full((44, 33, 3), 200, np.uint8))
    site = Site(surface_of(ball(fine=3)))
    paint = only(Paint("Chalk", "base", "#e8e6e0"))
    coats = [usual_coat(name, paint, f"step of {name}") for name in techniques()]
    steps = steps_of(site, coats, [c.film(site) for c in coats])
    facts = SheetFacts(
        f"Wärter & Söhne <b> {' '.join(OTHER_LETTERS)}",
        "Lamp above.",
        32,
        900,
        "",
        ["Helm on body: N 6.0 against N 4.5, along 8 mm"],
        "Own",
        0.5,
    )
    facts = replace(facts, cards=[StepCard("Armour", (0, 1)), StepCard("The rest", tuple(range(2, len(steps))))])
    shares: list[float] = []
    pdf = plan_pdf(facts, steps, lambda k, v: picture, picture, shares.append)
    assert shares == [0, 0.5]
    pages = PdfReader(io.BytesIO(pdf)).pages
    text = " ".join(" ".join(page.extract_text() for page in pages).split())
    for name in OTHER_LETTERS:
        assert name in text or unicodedata.normalize("NFKC", name[::-1]) in unicodedata.normalize("NFKC", text), name
    assert "Wärter & Söhne <b>" in text and "Helm on body" in text and f"page {len(pages)}" in text
    for step in steps:
        assert f"{step.number}. {step.heading}" in text and step.drops_words in text and step.how[:40] in text
    assert text.count("Safety:") == len(steps) and text.count(steps[0].cautions[0]) >= 1


@pytest.mark.parametrize("name", OF_THE_EAST)
def test_names_of_the_east_stand_in_the_pdf(name):
    picture = png_bytes(np.full((44, 33, 3), 200, np.uint8))
    site = Site(surface_of(ball(fine=2)))
    coat = usual_coat("brush", only(Paint("Chalk", "base", "#e8e6e0")), "base")
    facts = SheetFacts(name, "Lamp above.", 32, 900, "", [], "", 0.5)
    steps = steps_of(site, [coat], [coat.film(site)])
    pages = PdfReader(io.BytesIO(plan_pdf(facts, steps, lambda k, v: picture, picture))).pages
    assert name in " ".join(page.extract_text() for page in pages)
