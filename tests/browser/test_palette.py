"""Rack, palette and glaze bench with a real browser."""

import re

import pytest

from .test_painter import until


@pytest.fixture
def palette(page, server):
    page.goto(server.address + "/rack")
    lay_out = page.get_by_role("button", name="Lay out the guild's rack")
    if lay_out.count():
        lay_out.click()
        page.wait_for_selector(".bottle")
    page.goto(server.address + "/palette?mix=Soot:2,Chalk:6")
    page.wait_for_selector('#palette[data-ready="true"]')
    until(lambda: "Soot + Chalk 1:3" in page.locator("#mix-words").inner_text(), page)
    return page


def value(page) -> float:
    return float(re.search(r"N (\d+\.\d)", page.locator("#mix-value").inner_text())[1])


def test_dragging_a_border_changes_the_parts_and_can_be_taken_back(palette):
    light = value(palette)
    box = palette.locator("#bar .border").bounding_box()
    palette.mouse.move(box["x"] + 7, box["y"] + 20)
    palette.mouse.down()
    palette.mouse.move(box["x"] + 330, box["y"] + 20, steps=6)
    palette.mouse.up()
    until(lambda: "Soot + Chalk 5:3" in palette.locator("#mix-words").inner_text(), palette)
    assert value(palette) < light - 1
    palette.reload()
    until(lambda: "Soot + Chalk 5:3" in palette.locator("#mix-words").inner_text(), palette)
    palette.locator("#bar .border").focus()
    palette.keyboard.press("ArrowLeft")
    until(lambda: "Soot + Chalk 1:1" in palette.locator("#mix-words").inner_text(), palette)
    palette.keyboard.press("Control+z")
    until(lambda: "Soot + Chalk 5:3" in palette.locator("#mix-words").inner_text(), palette)


def test_a_mix_is_found_for_a_colour_taken_up_and_kept_as_a_recipe(palette):
    palette.locator('#find [name="colour"]').fill("#7f5a6b")
    palette.get_by_role("button", name="Find", exact=True).click()
    until(lambda: palette.locator("#found li").count() == 3, palette)
    words = palette.locator("#found li b").first.inner_text()
    palette.locator("#found li button").first.click()
    until(lambda: palette.locator("#mix-words").inner_text() == words, palette)
    palette.locator('#keep [name="called"]').fill("Heath at dusk")
    palette.get_by_role("button", name="Keep", exact=True).click()
    until(lambda: "Heath at dusk" in palette.locator("#recipes").inner_text(), palette)
    palette.goto(palette.url.split("/palette")[0] + "/glaze")
    assert "Heath at dusk" in palette.locator('[name="name"]').inner_text()


def test_passes_are_added_one_by_one_and_the_stop_is_marked(palette):
    palette.goto(palette.url.split("/palette")[0] + "/glaze")
    palette.locator('[name="name"]').select_option("Moss Veil")
    palette.locator('[name="passes"]').fill("8")
    until(lambda: palette.locator("#passes tr").count() == 9, palette)
    assert palette.locator("#passes tr.stop").count() == 1
    stop = palette.locator("#advice").inner_text()
    palette.locator('[name="thinning"]').fill("10")
    until(lambda: palette.locator("#advice").inner_text() != stop, palette)


def test_a_paint_is_put_on_the_rack_and_its_card_shows_it(palette):
    palette.goto(palette.url.split("/palette")[0] + "/rack")
    palette.fill('.paint-form [name="name"]', "Browser Mud")
    palette.fill("#paint-colour", "#5a4632")
    palette.get_by_role("button", name="Put it on the rack").click()
    until(lambda: "Browser Mud" in palette.locator(".bottles").inner_text(), palette)
    palette.get_by_role("button", name="Change Browser Mud").click()
    until(lambda: palette.locator("#paint-form h2").inner_text() == "Change Browser Mud", palette)
    assert not palette.locator('[data-by="drawdown"]').is_visible()
    palette.get_by_text("By drawdown").click()
    assert palette.locator('[data-by="drawdown"]').is_visible()


def test_what_the_bench_could_not_keep_just_now_is_sent_again(palette):
    """A dead database answers 503: nothing was saved, and nothing that was typed is lost."""
    page = palette
    tries = []

    def away_once(route):
        tries.append(route.request.post_data)
        if len(tries) == 1:
            route.fulfill(status=503, content_type="application/json", body='{"error": "the database is busy"}')
        else:
            route.continue_()

    page.route("**/recipes", away_once)
    page.locator("#keep input").fill("Dusk grey")
    page.locator("#keep button").click()
    page.get_by_text("trying again").wait_for()
    page.locator("#recipes").get_by_text("Dusk grey").wait_for()
    assert len(tries) == 2 and tries[0] == tries[1]
    page.unroute("**/recipes")
    page.trouble.clear()  # the browser's own word for the 503
