"""A painter's way through the real pages: from a dropped file to a printed plan."""

import io
import re
from base64 import b64encode

import numpy as np
import pytest
import trimesh
from PIL import Image
from pypdf import PdfReader

from ..shapes import ball, together
from .conftest import Server, brought, to_stage


@pytest.fixture(scope="module")
def figure(tmp_path_factory, request):
    """A keeper with one arm held out, on a plinth, as an STL file; each file of tests has one by another name."""
    plinth = trimesh.creation.cylinder(radius=9, height=3, sections=64)
    plinth.apply_translation((0, 0, 1.5))
    arm = trimesh.creation.capsule(height=9, radius=1.2)
    arm.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    arm.apply_translation((4, -2, 15))
    path = tmp_path_factory.mktemp("files") / f"Keeper of {request.module.__name__.rsplit('_', 1)[-1]}.stl"
    together(plinth, ball(5, 4, (0, 0, 11)), ball(3, 4, (0, 0, 20)), arm).export(path)
    return path


@pytest.fixture(scope="module")
def bench_url(server, chromium, figure):
    """A sculpt brought once for the tests of the bench."""
    return f"{brought(chromium, server, figure)}/light"


def open_bench(page, url):
    page.goto(url)
    page.wait_for_selector("#bench[data-drawn]", timeout=60_000)


def pixels(page) -> np.ndarray:
    """The turntable as it stands: (H, W) grey."""
    page.wait_for_timeout(400)
    picture = Image.open(io.BytesIO(page.locator("#stage").screenshot()))
    return np.asarray(picture.convert("RGB"), int)


def until(holds, page, seconds=20):
    """Ask again and again. The pages' policy forbids the browser to evaluate a condition of ours by itself."""
    for _ in range(seconds * 10):
        if holds():
            return
        page.wait_for_timeout(100)
    raise AssertionError("it never came about")


def settled(page, act):
    """Do something that relights the whole sculpt, and wait for the answer and its keeping."""
    with page.expect_response(lambda r: r.request.method == "PUT" and r.url.endswith("/plan")):
        act()
    page.wait_for_load_state("networkidle")


def test_a_dropped_file_is_lit_within_the_page_and_shows_its_progress(shelf, figure):
    shelf.evaluate(
        """([name, data]) => {
            const box = new DataTransfer();
            box.items.add(new File([Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0))], name));
            dispatchEvent(new DragEvent("dragenter", { dataTransfer: box, bubbles: true, cancelable: true }));
            window.veilShown = !document.getElementById("veil").hidden;
            dispatchEvent(new DragEvent("drop", { dataTransfer: box, bubbles: true, cancelable: true }));
        }""",
        ["Dropped keeper.stl", b64encode(figure.read_bytes()).decode()],
    )
    assert shelf.evaluate("window.veilShown")
    card = shelf.locator(".card-sculpt", has=shelf.locator('input[value="Dropped keeper"]'))
    card.locator("progress").wait_for()
    card.locator("img").wait_for(timeout=90_000)
    card.locator(".group-lamps").wait_for(timeout=90_000)
    assert "23 mm" in card.inner_text()


def test_rename_delete_and_undo_survive_a_reload(shelf, bench_url):
    card = shelf.locator(".card-sculpt").last
    name = card.locator("input.name")
    name.fill("Gull keeper")
    with shelf.expect_response("**/rename"):
        name.press("Enter")
    shelf.locator(".card-sculpt").last.locator(".card-menu summary").click()
    shelf.locator(".card-sculpt").last.locator("text=Delete").click()
    shelf.locator("text=is off the shelf").wait_for()
    shelf.reload()
    shelf.locator("summary:has-text('Recently deleted')").click()
    shelf.locator("text=Put it back").first.click()
    shelf.locator('input.name[value="Gull keeper"]').wait_for()
    shelf.reload()
    assert shelf.locator('input.name[value="Gull keeper"]').count() == 1


def test_a_bad_file_is_refused_in_words(shelf, tmp_path):
    letter = tmp_path / "letter.stl"
    letter.write_text("Dear painter,\n" * 40)
    shelf.set_input_files('input[type="file"]', str(letter))
    shelf.locator("text=text with the ending .stl").wait_for()


@pytest.mark.long
def test_standing_up_by_pictures_leads_on_to_the_lamp(page, bench_url):
    page.goto(bench_url.replace("/light", "/stand"))
    assert page.locator(".way").count() == 10
    page.locator(".way").nth(1).click()
    page.locator('.way:nth-child(2)[aria-pressed="true"]').first.wait_for()
    page.locator(".way").first.click()
    page.locator('.way:first-child[aria-pressed="true"]').first.wait_for()
    page.locator('label:has-text("32 mm")').click()
    page.get_by_text("Kept.").wait_for()
    page.reload()
    assert page.input_value("#height") == "32.0", "a height is kept when it is set"
    page.fill("#height", "31.97")  # a scan's own height is seldom a round one
    page.get_by_role("button", name="Next: take it apart").click()
    page.wait_for_url("**/parts")
    page.wait_for_selector("#bench[data-drawn]", timeout=90_000)
    for onward, stage in (("mark the regions", "regions"), ("choose the view", "view"), ("set the lamp", "light")):
        page.get_by_role("button", name=f"Next: {onward}").click()
        page.wait_for_url(f"**/{stage}")
        page.wait_for_selector("#bench[data-drawn]", timeout=90_000)
    page.wait_for_selector("#bench[data-drawn]", timeout=90_000)
    assert page.locator('.string [data-stage="stand"] .lamp-lit').count() == 1


def test_clicking_on_the_sculpt_marks_a_region_that_can_be_named_and_undone(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/regions"))
    page.get_by_text("Creases", exact=True).click()
    box = page.locator("#stage").bounding_box()

    def marked(act):
        with page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith(("/regions", "/history"))):
            act()
        page.wait_for_timeout(300)

    def rows():
        return page.locator("#region-list li").count() - 1  # the last row is the rest

    before = rows()
    base = (box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.93)
    # what the bench says of its work lies over the base: a click there is the sculpt's all the same
    page.evaluate("document.getElementById('working').hidden = false")
    over = page.locator("#working").bounding_box()
    assert over["x"] < base[0] < over["x"] + over["width"] and over["y"] < base[1] < over["y"] + over["height"]
    marked(lambda: page.mouse.click(*base))
    assert rows() == before + 1
    shown = pixels(page)
    assert (np.ptp(shown, axis=2) > 40).mean() > 0.01, "it is coloured on the sculpt"
    page.fill("#region-name", "Plinth <b>")
    marked(lambda: page.press("#region-name", "Enter"))
    marked(lambda: page.select_option("#region-material", "stone"))
    page.reload()
    page.wait_for_selector("#bench[data-drawn]", timeout=60_000)
    row = page.locator("#region-list li").nth(before)
    assert "Plinth <b>" in row.inner_text() and "stone" in row.inner_text()
    for _ in range(3):
        marked(lambda: page.keyboard.press("Control+z"))
    until(lambda: rows() == before, page)
    marked(lambda: page.click("#redo"))
    until(lambda: rows() == before + 1, page)
    marked(lambda: page.keyboard.press("Control+z"))


def test_a_brush_paints_what_it_passes_over_and_the_stroke_is_kept(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/regions"))
    before = page.locator("#region-list li").count()
    page.get_by_text("Brush", exact=True).click()
    page.get_by_text("New region", exact=True).click()
    shown = pixels(page)
    box = page.locator("#turntable").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.55
    page.mouse.move(x - 12, y)
    page.mouse.down()
    page.mouse.move(x, y, steps=4)
    page.mouse.move(x + 12, y + 8, steps=4)
    until(lambda: page.locator("#turntable").get_attribute("data-dab"), page)
    assert np.abs(pixels(page).astype(int) - shown).max() > 30, "it shows before the brush is lifted"
    with page.expect_response(lambda r: r.url.endswith("/regions") and r.request.method == "POST"):
        page.mouse.up()
    until(lambda: page.locator("#region-list li").count() == before + 1, page)
    page.reload()
    page.wait_for_selector('#bench[data-drawn="true"]')
    assert page.locator("#region-list li").count() == before + 1, "kept over a reload"
    page.keyboard.press("Control+z")
    until(lambda: page.locator("#region-list li").count() == before, page)


def test_two_tabs_marking_regions_are_told_and_both_can_be_kept(page, bench_url, chromium):
    url = bench_url.replace("/light", "/regions")
    open_bench(page, url)
    other = page.context.new_page()
    open_bench(other, url)
    for tab in (page, other):
        tab.get_by_text("Creases", exact=True).click()
    before = page.locator("#region-list li").count()
    box = page.locator("#turntable").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    other.mouse.click(x, y)
    until(lambda: other.locator("#region-list li").count() == before + 1, other)
    page.mouse.click(x, y + 60)
    page.locator("#two-tabs").wait_for()
    assert page.locator("#region-list li").count() == before + 1, "theirs is shown"

    def kept(do):
        with page.expect_response(
            lambda r: r.request.method == "POST" and r.url.endswith(("/regions", "/history")) and r.ok
        ):
            do()
        page.wait_for_timeout(400)  # until the page has read it: the next change is made on it

    kept(page.get_by_role("button", name="Put mine on top").click)
    assert not page.locator("#two-tabs").is_visible()
    for _ in range(2):
        kept(lambda: page.keyboard.press("Control+z"))
    until(lambda: page.locator("#region-list li").count() == before, page)
    other.close()
    page.trouble[:] = [t for t in page.trouble if "409" not in t]  # the refusal itself is logged by the browser


def test_the_sculpt_comes_apart_and_a_hidden_part_is_clicked_through(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/parts"))
    together = pixels(page)
    page.locator("#pull").fill("100")
    assert np.abs(pixels(page).astype(int) - together).mean() > 1
    page.locator(".part-list .choose").first.click()
    page.locator("#part-name").fill("Bottom")
    page.keyboard.press("Tab")
    until(lambda: "Bottom" in page.locator("#part-list").inner_text(), page)
    page.locator("#show-all").click()
    assert page.locator("#pull").input_value() == "0"
    page.locator(".part-list .eye").first.click()
    assert np.abs(pixels(page).astype(int) - together).mean() > 0.5
    page.locator("#part-apart").check()
    until(lambda: "painted apart" in page.locator("#part-list").inner_text(), page)
    assert page.locator("#part-casters label").count() == page.locator(".part-list .choose").count() - 1
    page.locator("#part-apart").uncheck()
    until(lambda: "painted apart" not in page.locator("#part-list").inner_text(), page)


def test_the_display_view_and_a_focal_spot_are_set_and_looked_at_by_key(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/view"))
    page.keyboard.press("r")
    page.locator("#look-here").click()
    until(lambda: "90° to the right" in page.locator("#look-words").inner_text(), page)
    page.keyboard.press("f")
    front = pixels(page)
    box = page.locator("#turntable").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.5)
    until(lambda: page.locator("#spot-list li").count() == 1, page)
    assert np.abs(pixels(page).astype(int) - front).max() > 60, "the spot is ringed on the model"
    page.keyboard.press("d")
    assert page.locator('[data-view="display"]').get_attribute("aria-pressed") == "true"
    page.get_by_label("Take away focal spot 1").click()
    until(lambda: page.locator("#spot-list li").count() == 0, page)


def test_two_files_dropped_together_become_one_sculpt_if_the_painter_says_so(shelf, tmp_path):
    for name, at in (("body.stl", (0, 0, 8)), ("cap.stl", (0, 0, 18))):
        ball(6, 3, at).export(tmp_path / name)
    before = shelf.locator(".card-sculpt").count()
    shelf.set_input_files('input[name="file"]', [tmp_path / "body.stl", tmp_path / "cap.stl"])
    shelf.get_by_role("button", name="One sculpt in parts").click()
    until(lambda: shelf.locator(".card-sculpt").count() == before + 1, shelf)
    card = shelf.locator(".card-sculpt").first
    until(lambda: card.locator("progress").count() == 0, shelf, 60)
    card.locator(".picture a").click()
    shelf.wait_for_selector('#bench[data-drawn="true"]')
    to_stage(shelf, "parts")
    until(lambda: shelf.locator(".part-list b").all_inner_texts() == ["body", "cap"], shelf)


def test_dragging_the_lamp_relights_the_sculpt_and_is_kept(page, bench_url):
    open_bench(page, bench_url)
    settled(page, lambda: page.click("text=Overhead"))
    before = pixels(page)
    box = page.locator("#dial").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def drag():
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 30, y + 10, steps=3)
        page.mouse.move(x + 62, y, steps=3)
        page.mouse.up()

    settled(page, drag)
    page.wait_for_timeout(600)
    assert page.input_value("#azimuth") == "90" and 15 < int(page.input_value("#elevation")) < 50
    after = pixels(page)
    wide = before.shape[1]
    shade = after.mean(axis=2)
    ball = slice(int(before.shape[0] * 0.35), int(before.shape[0] * 0.6))
    right, left = (
        shade[ball, int(wide * 0.53) : int(wide * 0.58)].mean(),
        shade[ball, int(wide * 0.42) : int(wide * 0.47)].mean(),
    )
    assert np.abs(after - before).mean() > 2 and right > left + 25, "the light now comes from the viewer's right"
    page.reload()
    page.wait_for_selector("#bench[data-drawn]", timeout=60_000)
    assert page.input_value("#azimuth") == "90"


def test_the_dial_is_moved_by_keys_and_below_the_horizon(page, bench_url):
    open_bench(page, bench_url)
    settled(page, lambda: page.click("text=Above front"))
    page.focus("#dial")
    settled(page, lambda: page.keyboard.press("ArrowRight"))
    assert page.input_value("#azimuth") == "5"
    settled(page, lambda: page.keyboard.press("Shift+ArrowDown"))
    assert page.input_value("#elevation") == "49"
    settled(page, lambda: page.click("button:has-text('Below')"))
    assert page.input_value("#elevation") == "-60"
    assert page.locator("#dial.is-below").count() == 1


def test_holding_the_key_puts_the_eye_in_the_lamp_where_nothing_is_dark(page, bench_url):
    """Common practice, CP-9, as pixels: from the lamp's own place a hard shadow cannot be seen."""
    open_bench(page, bench_url)
    page.fill("#azimuth", "70")
    settled(page, lambda: page.press("#azimuth", "Tab"))
    page.fill("#elevation", "35")
    settled(page, lambda: page.press("#elevation", "Tab"))
    for slider in ("#size", "#sky", "#bounce"):
        page.focus(slider)
        page.keyboard.press("Home")
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1_000)
    page.locator("#turntable").focus()
    page.keyboard.press("f")
    front = pixels(page)
    page.keyboard.down("e")
    page.locator("text=Your eye is in the lamp").wait_for()
    lamp = pixels(page)
    page.keyboard.up("e")
    assert np.abs(pixels(page) - front).mean() < 0.5, "released, the painter is back"

    def dark(picture):  # the value of black primer
        return (picture[70:-20].max(axis=2) < 45).mean()

    assert dark(front) > 0.02
    assert dark(lamp) < 0.25 * dark(front)


def test_views_squint_and_grounds_by_key(page, bench_url):
    open_bench(page, bench_url)
    page.locator("#turntable").focus()
    shots = {}
    for key in "frblt":
        page.keyboard.press(key)
        shots[key] = pixels(page)
    assert all(np.abs(shots[a] - shots[b]).mean() > 0.5 for a, b in ("fr", "rb", "bl", "lt"))
    page.keyboard.press("s")
    assert page.locator("#stage.squint").count() == 1
    page.keyboard.press("s")
    corners = set()
    for _ in range(3):
        page.keyboard.press("g")
        corner = tuple(pixels(page)[5, -5])
        assert len(set(corner)) == 1, "the ground is a true grey"
        corners.add(corner)
    assert len(corners) == 3


def test_crests_are_drawn_and_their_length_is_told(page, bench_url):
    open_bench(page, bench_url)
    page.locator("#turntable").focus()
    before = pixels(page)
    page.keyboard.press("c")
    page.locator("#edge-note span").first.wait_for()
    words = page.locator("#edge-note").inner_text()
    crests, lit = (int(n) for n in re.search(r"Crests (\d+) mm, of which the lamp sees (\d+) mm", words).groups())
    assert 0 < lit < crests
    amber = pixels(page)
    assert ((amber[..., 0] - amber[..., 2]) > 60).sum() > ((before[..., 0] - before[..., 2]) > 60).sum() + 100
    page.keyboard.press("c")
    assert page.locator("#edge-note").is_hidden()


def test_touching_a_step_on_the_ruler_shows_only_that_band_with_its_share(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/greys"))
    piece = page.locator(".ruler-steps button").nth(1)
    share = re.search(r"([\d.]+) %", piece.inner_text()).group(1)
    piece.click()
    note = page.locator("#band-note").inner_text()
    assert note.startswith("Step 2 only") and f"{share} %" in note and "mm²" in note
    shown = pixels(page)
    amber = ((shown[..., 0] - shown[..., 2]) > 40).mean()
    assert amber > 0.005
    page.keyboard.press("0")
    assert page.locator("#band-note").is_hidden()
    assert ((pixels(page)[..., 0] - pixels(page)[..., 2]) > 40).mean() < 0.1 * amber


def test_the_ladder_changes_by_clicks_and_by_its_notches(page, bench_url):
    open_bench(page, bench_url.replace("/light", "/greys"))
    settled(page, lambda: page.locator(".stepper label", has_text="7").click())
    until(lambda: page.locator("#greys li").count() == 7, page)
    settled(page, lambda: page.uncheck("#rationed"))
    notch = page.locator(".notch").nth(2)
    before = float(notch.get_attribute("aria-valuenow"))
    notch.focus()
    settled(page, lambda: page.keyboard.press("ArrowRight"))
    until(
        lambda: abs(float(page.locator(".notch").nth(2).get_attribute("aria-valuenow")) - before - 0.1) < 0.02, page
    )
    settled(page, lambda: page.keyboard.press("ArrowRight"))  # still in hand
    until(
        lambda: abs(float(page.locator(".notch").nth(2).get_attribute("aria-valuenow")) - before - 0.2) < 0.02, page
    )
    settled(page, lambda: page.click("text=Even steps again"))
    settled(page, lambda: page.check("#rationed"))
    settled(page, lambda: page.locator(".stepper label", has_text="5").click())


def with_a_rack(page, server):
    """The guild's paints on the rack, where it is empty."""
    if server.has_a_rack:
        return
    page.goto(server.address + "/rack")
    lay_out = page.get_by_role("button", name="Lay out the guild's rack")
    if lay_out.count():
        lay_out.click()
        page.wait_for_selector(".bottle")
    server.has_a_rack = True


@pytest.mark.long
def test_the_plan_sheet_is_made_and_leaves_as_pdf(page, server, bench_url):
    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/greys"))
    for onward in (
        "sketch the colours",
        "metal and edges",
        "light a glow",
        "weather it",
        "lay the undercoat",
        "paint it in colour",
    ):
        page.get_by_role("button", name=f"Next: {onward}").click()
        page.wait_for_selector("#bench[data-drawn]", timeout=60_000)
    page.click("text=Make my plan sheet")
    page.wait_for_url("**/sheet")
    page.wait_for_load_state("networkidle")
    assert page.locator("article.step").count() == 5
    first = page.locator(".step-views img").first
    assert first.evaluate("img => img.complete && img.naturalWidth") == 330
    with page.expect_download() as download:
        page.click("text=Plan as PDF")
    text = " ".join(p.extract_text() for p in PdfReader(download.value.path()).pages)
    assert "Primer everywhere" in text and "respirator" in text and "drops of" in text
    page.click("#print")
    page.locator("#pages").wait_for(state="attached")
    assert page.locator("#pages").get_attribute("src").startswith("blob:"), "what is printed is the same file"


def test_two_tabs_are_told_of_each_other_and_both_choices_are_offered(page, bench_url, chromium):
    open_bench(page, bench_url)
    other = page.context.new_page()
    open_bench(other, bench_url)
    settled(page, lambda: page.click("text=Above right"))
    other.click("text=Behind")
    other.locator("#two-tabs-title").wait_for()
    other.get_by_role("button", name="Leave it as it is").click()
    until(lambda: other.input_value("#azimuth") == "60", other)
    page.trouble[:] = [t for t in page.trouble if "409" not in t]
    other.close()


def test_keys_are_shown_and_everything_can_be_reached_by_tab(page, bench_url):
    open_bench(page, bench_url)
    page.keyboard.press("?")
    assert "eye in the lamp" in page.locator("#help").inner_text()
    page.keyboard.press("Escape")
    reached = set()
    page.locator("body").click(position={"x": 700, "y": 5})
    for _ in range(60):
        page.keyboard.press("Tab")
        reached.add(
            page.evaluate(
                "(document.activeElement.id || document.activeElement.textContent || '').trim().slice(0, 20)"
            )
        )
    assert {"turntable", "dial", "azimuth", "size", "sky", "bounce"} <= reached
    assert any(r.startswith("Next: choose greys") for r in reached)


def test_text_stands_out_from_its_ground(page, bench_url):
    """WCAG 2.2, 1.4.3: at least 4.5 to 1 for text, worked out by the standard's formula on what the browser
    computed."""
    open_bench(page, bench_url)
    ratios = page.evaluate(
        """() => {
        const light = ([r, g, b]) => [r, g, b]
            .map(v => { v /= 255; return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4; })
            .reduce((s, v, i) => s + v * [0.2126, 0.7152, 0.0722][i], 0);
        const rgb = (t) => t.match(/[\\d.]+/g).map(Number);
        const ground = (e) => {
            for (; e; e = e.parentElement) {
                const c = rgb(getComputedStyle(e).backgroundColor);
                if (c.length < 4 || c[3] > 0.99) return c;
            }
            return [0, 0, 0];
        };
        return [...document.querySelectorAll("main *, header *")]
            .filter(e => [...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim()))
            .filter(e => e.getClientRects().length && !e.closest("svg") && !e.disabled)
            .map(e => { const a = light(rgb(getComputedStyle(e).color)), b = light(ground(e));
                return [(Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05), e.textContent.trim().slice(0, 30)]; });
    }"""
    )
    assert len(ratios) > 20
    assert [r for r in ratios if r[0] < 4.5 and not r[1].startswith("Drag to turn")] == []


def test_the_sculpt_has_more_than_half_the_window(page, bench_url):
    """55 % of 1280 × 800."""
    open_bench(page, bench_url)
    box = page.locator("#stage").bounding_box()
    assert box["width"] * box["height"] >= 0.55 * 1280 * 800
    assert page.evaluate(
        "document.documentElement.scrollWidth <= innerWidth && document.documentElement.scrollHeight <= innerHeight"
    )


@pytest.mark.long
def test_a_browser_closed_in_mid_import_and_a_server_killed_lose_nothing(chromium, tmp_path, figure):
    data = tmp_path / "data"
    first = Server(data)
    page = chromium.new_page()
    page.goto(first.address)
    page.set_input_files('input[type="file"]', str(figure))
    page.locator(".card-sculpt progress").wait_for()
    page.close()  # the browser goes in the middle
    first.process.kill()  # and so does the server
    first.process.wait()
    second = Server(data)
    try:
        page = chromium.new_page()
        page.goto(second.address)
        page.locator(".card-sculpt:has(.group-lamps) img").wait_for(timeout=90_000)
        page.close()
    finally:
        second.end()
