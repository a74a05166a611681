"""The undercoat stage with a real browser, worker and all."""

import numpy as np
import pytest

from .test_painter import bench_url, figure, open_bench, pixels, until, with_a_rack  # noqa: F401 - fixtures


@pytest.mark.long
def test_schools_scrub_difference_and_fit(page, server, bench_url):  # noqa: F811
    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/undercoat"))
    note = page.locator("#undercoat-note")
    until(lambda: note.get_attribute("data-looked") == "5", page, 60)
    whole = pixels(page)
    page.locator("#scrub").fill("1")
    until(lambda: note.get_attribute("data-looked") == "1", page)
    primed = pixels(page)
    assert whole.mean() > primed.mean() + 2, "after the primer alone it is darker"
    page.locator("#difference").check()
    assert np.abs(pixels(page) - primed).max() > 60, "too light and too dark are hatched"
    page.locator("#difference").uncheck()
    page.locator("#coats button").nth(3).click()
    assert (
        page.locator('#coat-form [data-of="spray"]').is_visible()
        and page.locator('#coat-form [data-of="wash"]').is_hidden()
    )
    before = page.locator("#coats").inner_text()
    page.locator('#coat-form [name="seconds"]').fill("25")
    page.keyboard.press("Tab")
    until(lambda: page.locator("#coats").inner_text() != before, page, 60)
    page.locator("#undo").click()
    until(lambda: page.locator("#coats").inner_text() == before, page, 60)
    was = int(page.locator('#coat-form [name="elevation"]').input_value())
    page.focus("#nozzle-dial")
    page.keyboard.press("ArrowDown")
    until(lambda: page.locator("#coats").inner_text() != before, page, 60)
    assert int(page.locator('#coat-form [name="elevation"]').input_value()) == was - 15, "what a hand can hold"
    page.locator("#undo").click()
    until(lambda: page.locator("#coats").inner_text() == before, page, 60)
    page.get_by_role("button", name="Work out the passes").click()
    until(lambda: "Passes fitted" in page.locator("#school-words").inner_text(), page, 90)
    fitted = page.locator("#coats").inner_text()
    page.reload()
    until(lambda: page.locator("#coats").inner_text() == fitted, page, 60)


@pytest.mark.long
def test_steps_turn_by_key_and_finger_and_outlive_a_reload(chromium, page, server, bench_url):  # noqa: F811
    def told():
        """How often the server has answered to a step since the page was opened."""
        return int(page.locator("#easel").get_attribute("data-sent") or 0)

    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/undercoat"))
    until(lambda: page.locator("#undercoat-note").get_attribute("data-looked") is not None, page, 60)
    page.locator('[data-panel="undercoat"] form[method] .button').click()
    page.wait_for_url("**/colour")
    page.get_by_role("link", name="Paint it").first.click()
    count = page.locator("article:not([hidden]) .count")
    until(lambda: count.inner_text().startswith("Step 1 of "), page, 60)
    steps = count.inner_text().split()[-1]  # as many passes as the fit has found
    page.keyboard.press("Space")
    until(lambda: count.inner_text() == f"Step 2 of {steps}", page)
    until(lambda: page.locator("#drying").is_visible(), page)
    page.keyboard.press("t")
    until(lambda: page.locator("#count.go").count() == 1, page, 10)
    page.keyboard.press("t")
    page.keyboard.press("s")
    until(lambda: "Step 3" in count.inner_text() and page.locator("#beads .skipped").count() == 1, page)
    until(lambda: told() >= 3, page)
    left = page.locator("#drying-left").inner_text()
    page.reload()
    until(lambda: "Step 3" in count.inner_text(), page)
    assert page.locator("#beads .done").count() == 1
    until(lambda: page.locator("#drying-left").inner_text()[:1] == left[:1], page)
    until(lambda: told() >= 1, page)
    page.keyboard.press("ArrowLeft")
    until(lambda: count.inner_text() == f"Step 2 of {steps}: skipped" and told() >= 2, page)
    held = []

    def hold(route):
        held.append(route)

    page.route("**/before/top.png*", hold, times=1)
    page.locator('[data-side="top"]').click()
    busy = page.locator('.looks figure[aria-busy="true"] #before')
    until(lambda: held and busy.count() == 1, page)  # what still stands is of another view, and is dimmed
    held[0].continue_()
    until(lambda: page.locator(".looks figure[aria-busy]").count() == 0, page)
    address, cookies = page.url, page.context.cookies()
    touched = chromium.new_context(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    touched.add_cookies(cookies)
    phone = touched.new_page()
    phone.goto(address)
    for name in ("Back", "Done", "Next"):
        for button in phone.locator(".hands .button", has_text=name).all():
            box = button.bounding_box()
            assert box["height"] >= 44 and box["width"] >= 44 and box["x"] + box["width"] <= 391
    phone.locator("#done").tap()
    until(lambda: "Step 3" in phone.locator("article:not([hidden]) .count").inner_text(), phone)
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390, "nothing to push sideways"
    touched.close()


def test_a_step_is_pinned_on_the_clock_and_somebody_rings(page, bench_url):  # noqa: F811
    """On the plan that the test before has laid: a step dragged by keys stays where it was put; the pause shows."""
    page.goto(bench_url.replace("/light", "/clock"))
    steps = page.locator('.timeline .batch:not([data-pin$=".0"])')
    steps.first.wait_for(timeout=60_000)
    last = steps.last
    name, at = last.get_attribute("data-pin"), float(last.get_attribute("data-start"))
    last.focus()
    page.keyboard.press("ArrowRight")
    until(lambda: page.get_by_role("link", name="Free all pins").count() == 1, page, 30)
    moved = page.locator(f'.timeline .batch[data-pin="{name}"]')
    assert abs(float(moved.get_attribute("data-start")) - round(at + 5)) <= 0.6
    assert page.locator("#clock-pins input").count() == 1
    page.get_by_role("link", name="Free all pins").click()
    until(lambda: page.locator("#clock-pins input").count() == 0, page, 30)
    page.goto(bench_url.replace("/light", "/paint"))
    until(lambda: "brush is down" in page.locator("#clock-words").inner_text(), page, 60)
    page.keyboard.press("p")
    until(lambda: page.locator("#pause").inner_text() == "Go on", page)
    page.locator("#pause").click()
    until(lambda: page.locator("#pause").inner_text() == "Pause", page)


@pytest.mark.long
def test_a_photo_is_laid_over_by_its_outline_and_checked_without_a_click(page, server, bench_url):  # noqa: F811
    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/undercoat"))
    until(lambda: page.locator("#undercoat-note").get_attribute("data-looked") is not None, page, 60)
    page.locator('[data-panel="undercoat"] form[method] .button').click()
    page.wait_for_url("**/colour")
    page.goto(bench_url.replace("/light", "/check"))
    page.click("#simulated")
    page.locator("#proposed:not([hidden])").wait_for()
    assert page.locator("#over").is_visible() and page.locator('[data-show="over"]').is_visible()
    page.click("#go")
    page.locator("#verdict:not([hidden])").wait_for()
    assert page.locator("#verdict-words").inner_text() and page.locator('[data-show="map"]').is_visible()
    for side in ("front", "display"):  # looking from another side asks for nothing more than its picture
        page.click(f'[data-side="{side}"]')
    page.locator("#lamp-part summary").click()
    taken = []
    page.on("response", lambda r: taken.append(r.status) if r.url.endswith("/check/take") else None)
    page.click("#lamp")
    page.locator("#lamp-take:not([hidden])").wait_for()
    assert "give or take" in page.locator("#lamp-words").inner_text()
    page.click("#lamp-take")
    until(lambda: page.locator("#lamp-take").inner_text() == "The plan has this lamp", page)
    assert taken == [200], "it is taken once"
    page.click("#by-hand")
    assert page.locator("#go").is_disabled() and page.locator("#proposed").is_hidden(), "own spots come first"


def test_what_a_brush_does_not_get_at_is_hatched_on_the_model(page, bench_url):  # noqa: F811
    open_bench(page, bench_url.replace("/light", "/parts"))
    page.locator("#reach-part summary").click()
    before = pixels(page)
    page.click("#reach-look")
    page.locator("#reach-off:not([hidden])").wait_for()
    assert page.locator("#reach-words").inner_text() and np.abs(pixels(page) - before).max() > 40
    page.click("#reach-off")
    assert np.abs(pixels(page) - before).max() < 40 and page.locator("#reach-key").is_hidden()
