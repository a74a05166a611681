"""Pieces on a scan that nobody prepared: what lies under the pointer is what a click takes, by mouse, finger
and keys."""

import numpy as np
import pytest

from .conftest import brought
from .test_painter import open_bench, until, with_a_rack


@pytest.fixture(scope="module")
def scan_url(server, chromium, bunny_file):
    return f"{brought(chromium, server, bunny_file)}/regions"


def on_the_scan(page, url):
    open_bench(page, url)
    page.locator("#guess-row:not([hidden])").wait_for(timeout=60_000)
    box = page.locator("#turntable").bounding_box()
    return lambda u, v: (box["x"] + u * box["width"], box["y"] + v * box["height"])


def kept(page, act):
    with page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith(("/regions", "/history"))):
        act()
    page.wait_for_timeout(250)


def regions(page):
    return page.locator("#region-list li").count() - 1


def share(page, row):
    return float(page.locator("#region-list .share").nth(row).inner_text().split()[0])


@pytest.mark.long
def test_twelve_clicks_each_take_the_piece_under_the_pointer(page, scan_url):
    """The Stanford bunny; see tests/data/README.md. What is said of the piece is what the region then has."""
    at = on_the_scan(page, scan_url)
    places = [(u, v) for v in (0.42, 0.55, 0.7, 0.82) for u in (0.42, 0.5, 0.58)]
    taken = 0
    for u, v in places:
        page.mouse.move(*at(u, v))
        if page.locator("#turntable").get_attribute("data-piece") is None:
            continue  # beside the scan
        said = float(page.locator("#piece-note").inner_text().split("%")[0].split()[-1])
        page.locator('[name="mode"][value="new"]').check(force=True)
        before = regions(page)
        kept(page, lambda u=u, v=v: page.mouse.click(*at(u, v)))
        taken += 1
        until(lambda before=before: regions(page) == before + 1, page)
        assert share(page, before) == pytest.approx(said, abs=0.6), "it is painted over what is there"
        assert page.locator("#region-name").input_value(), "and asked for its name"
    assert taken >= 9
    for _ in range(taken):
        kept(page, lambda: page.keyboard.press("Control+z"))
    until(lambda: regions(page) == 0, page)


def test_the_first_guess_is_taken_whole_and_a_stroke_cuts_what_does_not_belong(page, scan_url):
    at = on_the_scan(page, scan_url)
    page.locator("#guess-count").fill("5")
    kept(page, lambda: page.click("#guess"))
    assert 3 <= regions(page) <= 5 and share(page, regions(page)) < 2, "the whole scan has regions"
    before = np.array([share(page, k) for k in range(regions(page) + 1)])
    page.keyboard.down("Shift")
    page.mouse.move(*at(0.5, 0.6))
    page.mouse.down()
    page.mouse.move(*at(0.54, 0.64), steps=6)
    kept(page, page.mouse.up)
    page.keyboard.up("Shift")
    after = np.array([share(page, k) for k in range(regions(page) + 1)])
    assert after[-1] > before[-1] + 0.3 and (after[:-1] <= before[:-1]).all(), "one region gave what was cut"
    kept(page, lambda: page.keyboard.press("Control+z"))
    kept(page, lambda: page.keyboard.press("Control+z"))
    page.get_by_role("button", name="Leave it").click()
    until(lambda: not page.locator("#guess-row").is_visible(), page)


def test_pieces_by_wheel_and_keys_alone(page, scan_url):
    at = on_the_scan(page, scan_url)
    page.mouse.move(*at(0.5, 0.6))
    table = page.locator("#turntable")
    first = table.get_attribute("data-piece")
    page.mouse.wheel(0, -100)
    until(lambda: table.get_attribute("data-piece") not in (None, first), page)
    page.mouse.wheel(0, 100)
    page.mouse.move(*at(0.02, 0.02))
    until(lambda: table.get_attribute("data-piece") is None, page)
    table.focus()
    for key in ("m", "ArrowDown", "ArrowDown"):
        page.keyboard.press(key)
    small = table.get_attribute("data-piece")
    assert small is not None
    page.keyboard.press("+")
    assert table.get_attribute("data-piece") != small
    kept(page, lambda: page.keyboard.press("Enter"))
    assert regions(page) == 1
    page.keyboard.press("Escape")
    kept(page, lambda: page.keyboard.press("Control+z"))


def test_a_finger_lights_a_piece_two_make_it_larger_and_a_tap_takes_it(chromium, scan_url):
    context = chromium.new_context(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    page = context.new_page()
    page.set_default_timeout(30_000)
    at = on_the_scan(page, scan_url)
    table = page.locator("#turntable")
    page.touchscreen.tap(*at(0.5, 0.6))
    lit = table.get_attribute("data-piece")
    assert lit is not None and regions(page) == 0, "the first tap only shows it"
    fingers = context.new_cdp_session(page)
    x, y = at(0.5, 0.6)

    def touch(kind, apart):
        points = [{"x": x - apart, "y": y, "id": 1}, {"x": x + apart, "y": y, "id": 2}] if apart else []
        fingers.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    touch("touchStart", 30)
    for apart in range(34, 62, 4):
        touch("touchMove", apart)
    touch("touchEnd", 0)
    until(lambda: table.get_attribute("data-piece") not in (None, lit), page)
    kept(page, lambda: page.touchscreen.tap(*at(0.5, 0.6)))
    assert regions(page) == 1
    kept(page, lambda: page.click("#undo"))
    context.close()


@pytest.mark.long
def test_on_a_machine_four_times_slower_no_early_press_is_lost(page, server, scan_url):
    """The moment a control looks as if it worked, it is pressed, while scripts still load."""
    with_a_rack(page, server)
    slow = page.context.new_cdp_session(page)
    slow.send("Emulation.setCPUThrottlingRate", {"rate": 4})

    def as_soon_as_it_looks_ready(stage, control):
        page.goto(f"{scan_url.rsplit('/', 1)[0]}/{stage}", wait_until="commit")
        looks_ready = f"""() => {{
            const e = document.querySelector('{control}');
            return e && e.getClientRects().length && !e.disabled && !e.closest('[inert]');
        }}"""
        page.wait_for_function(looks_ready, timeout=90_000, polling=20)
        return page.locator(control)

    as_soon_as_it_looks_ready("regions", '[name="tool"][value="brush"] + span').click(force=True)
    page.locator("#brush").wait_for(timeout=60_000)
    dial = as_soon_as_it_looks_ready("light", "#dial")
    before = dial.get_attribute("aria-valuetext")
    dial.focus()
    page.keyboard.press("ArrowRight")
    until(lambda: dial.get_attribute("aria-valuetext") != before, page, 60)
    as_soon_as_it_looks_ready("undercoat", "#schools button:nth-child(2)").click(force=True)
    until(lambda: page.locator("#schools button:nth-child(2)[aria-pressed=true]").count(), page, 90)
    slow.send("Emulation.setCPUThrottlingRate", {"rate": 1})
