"""The undercoat stage with a real browser, worker and all."""

import numpy as np

from .test_painter import bench_url, figure, open_bench, pixels, until, with_a_rack  # noqa: F401 - fixtures


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
    assert page.locator('[data-of="spray"]').is_visible() and page.locator('[data-of="wash"]').is_hidden()
    before = page.locator("#coats").inner_text()
    page.locator('#coat-form [name="seconds"]').fill("25")
    page.keyboard.press("Tab")
    until(lambda: page.locator("#coats").inner_text() != before, page, 60)
    page.locator("#coat-undo").click()
    until(lambda: page.locator("#coats").inner_text() == before, page, 60)
    was = int(page.locator('#coat-form [name="elevation"]').input_value())
    page.focus("#nozzle-dial")
    page.keyboard.press("ArrowDown")
    until(lambda: page.locator("#coats").inner_text() != before, page, 60)
    assert int(page.locator('#coat-form [name="elevation"]').input_value()) == was - 15, "what a hand can hold"
    page.locator("#coat-undo").click()
    until(lambda: page.locator("#coats").inner_text() == before, page, 60)
    page.get_by_role("button", name="Fit passes for me").click()
    until(lambda: "Passes fitted" in page.locator("#school-words").inner_text(), page, 90)
    fitted = page.locator("#coats").inner_text()
    page.reload()
    until(lambda: page.locator("#coats").inner_text() == fitted, page, 60)
