"""A region sketched and painted in colour, by hand, in the pages."""

import numpy as np
import pytest

from .conftest import to_stage
from .test_painter import bench_url, figure, open_bench, pixels, until, with_a_rack  # noqa: F401 - fixtures


@pytest.mark.long
def test_a_cloak_is_sketched_painted_scrubbed_and_taken_to_the_sheet(page, server, bench_url):  # noqa: F811
    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/regions"))
    page.get_by_text("More ways to mark").click()
    page.get_by_role("button", name="up", exact=True).click()
    page.locator("#region-list li").nth(1).wait_for()
    to_stage(page, "sketch")
    row = page.locator("#sketch-list button").first
    row.click()
    page.locator("#sketch-form [name=colour]").select_option("Cockle Red")
    until(lambda: "Cockle Red" in row.inner_text(), page)
    page.wait_for_timeout(700)
    shown = pixels(page)
    assert ((shown[..., 0] - shown[..., 2]) > 40).mean() > 0.004, "it is red on the model"
    page.locator("#sketch-grey").check()
    until(lambda: np.ptp(pixels(page), axis=2).max() < 60, page)
    to_stage(page, "undercoat")
    page.locator("#undercoat-note[data-looked]").wait_for(timeout=60_000)
    page.get_by_role("button", name="Next: paint it in colour").click()
    page.locator("#colour-note[data-looked]").wait_for(timeout=90_000)
    page.locator("#how-far button").nth(1).click(timeout=90_000)
    page.locator("#puddles li").first.wait_for(state="attached", timeout=60_000)
    assert not page.locator("#two-tabs").is_visible(), "what going on has kept is no other tab's"
    page.locator("#colour-regions-box > summary").click()
    assert "planned together" in page.locator("#colour-regions").inner_text()
    page.locator("#undo").click()
    until(lambda: "not painted yet" in page.locator("#colour-regions").inner_text(), page, 60)
    page.locator("#colour-regions button").first.click()
    way = page.locator('#colour-ways [data-way="layers"]')
    until(lambda: "near" in way.inner_text(), page, 60)
    way.click()
    until(lambda: page.locator("#colour-coats li").count() > 1, page, 60)
    assert "near its colour" in page.locator("#colour-note").inner_text()
    last = page.locator("#colour-scrub").get_attribute("max")
    page.locator("#colour-scrub").fill("0")
    until(lambda: page.locator("#colour-note").get_attribute("data-looked") == "0", page)
    page.locator("#colour-scrub").fill(last)
    until(lambda: page.locator("#colour-note").get_attribute("data-looked") == last, page)
    to_stage(page, "metal")
    page.locator("#metal-note[data-looked]").wait_for(timeout=60_000)
    before = pixels(page)
    page.locator("#metal-form [name=school]").select_option("layered")
    until(lambda: np.abs(pixels(page) - before).max() > 40, page)
    page.locator("#metal-form [name=school]").select_option("lamp")
    page.locator("#metal-ball").scroll_into_view_if_needed()
    ball = page.locator("#metal-ball").bounding_box()
    page.mouse.move(ball["x"] + 80, ball["y"] + 40)
    page.mouse.down()
    page.mouse.move(ball["x"] + 40, ball["y"] + 60, steps=3)
    page.mouse.up()
    until(lambda: page.locator("#metal-usual").is_visible(), page)
    page.locator("#metal-edges-box > summary").click()
    page.locator("#metal-edge").click()
    until(lambda: page.locator("#metal-coats li").count() >= 2, page)
    to_stage(page, "glow")
    page.locator("#glow-note[data-looked]").wait_for(timeout=60_000)
    page.locator("[data-glow=region]").click()
    page.locator("#glow-bands li").first.wait_for(timeout=60_000)
    reach = page.locator("#glow-form [name=reach]")
    was = page.locator("#glows .share").inner_text()
    reach.fill(str(1.6 * float(reach.input_value())))
    until(lambda: page.locator("#glows .share").inner_text() != was, page)
    page.locator("#glow-paint").click()
    until(lambda: page.locator("#glow-coats li").count() > 2, page)
    to_stage(page, "wear")
    page.locator("#wear-note[data-looked]").wait_for(timeout=60_000)
    assert "nothing here" in page.locator('[data-layer="chips"] small').inner_text(), (
        "CP-41: no chips on a wool cloak"
    )
    page.get_by_role("checkbox", name="Dust from below").uncheck()
    until(lambda: "Dust from below" not in page.locator("#wear-coats").inner_text(), page)
    page.locator("#wear-paint").click()
    until(lambda: page.locator("#wear-paint").inner_text() == "It is in the plan", page)
    to_stage(page, "sheet")
    page.locator(".sheet-head").wait_for(timeout=60_000)
    assert page.get_by_role("heading", name="base coat").count() == 1
    assert page.get_by_role("heading", name="edge highlight").count() == 2
    assert page.get_by_role("heading", name="the source solid white").count() == 1
    assert page.get_by_role("heading", name="Grime, oil wiped downward").count() == 1
