"""Whoever comes, with whatever: axe-core's rules on every page, nothing to push sideways on a phone, and a bench that
goes away."""

from pathlib import Path

import pytest

from .conftest import to_stage
from .test_painter import bench_url, figure, open_bench, until, with_a_rack  # noqa: F401 - fixtures

AXE = (Path(__file__).parents[1] / "vendor" / "axe.min.js").read_text()  # axe-core 4.14.1, MPL-2.0, licence beside it
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
PLACES = [
    "for-me",
    "light",
    "greys",
    "sketch",
    "undercoat",
    "colour",
    "metal",
    "glow",
    "wear",
    "regions",
    "parts",
    "view",
    "stand",
    "health",
    "sheet",
    "paint",
    "clock",
    "check",
]
ROOMS = [
    "/",
    "/rack",
    "/palette",
    "/glaze",
    "/tools",
    "/guide",
    "/squads",
    "/log",
    "/drills",
    "/drills/white-dot?seed=1",
    "/cards/drawdowns",
]


@pytest.fixture(scope="module")
def all_pages(server, chromium, bench_url):  # noqa: F811
    """The addresses of every page, with a plan laid."""
    context = chromium.new_context()
    page = context.new_page()
    page.goto(server.address)
    with_a_rack(page, server)
    open_bench(page, bench_url.replace("/light", "/undercoat"))
    until(lambda: page.locator("#undercoat-note").get_attribute("data-looked") is not None, page, 60)
    page.locator('[data-panel="undercoat"] form[method] .button').click()
    page.wait_for_url("**/colour")
    page.locator('[data-panel="colour"] form[method] .button').click()
    page.locator(".sheet-head").wait_for()
    context.close()
    return [bench_url.replace("/light", f"/{place}") for place in PLACES] + [server.address + room for room in ROOMS]


def visit(page, url):
    """Go there; from one stage of the bench to the next by the string of lamps, as a painter does."""
    stage = page.locator(f'.string [data-here][data-stage="{url.rsplit("/", 1)[-1]}"]')
    if page.locator("#bench").count() and stage.count():
        to_stage(page, url.rsplit("/", 1)[-1])
    else:
        page.goto(url)
        if page.locator("#bench").count():
            page.wait_for_selector('#bench[data-drawn="true"]')
    until(lambda: not page.locator("[inert]:visible").count(), page, 60)
    page.wait_for_load_state("networkidle")


@pytest.mark.long
def test_every_page_keeps_the_rules_of_access_and_fits_a_phone(chromium, all_pages):
    """WCAG 2.2 level AA as far as axe-core can tell; and nothing has to be pushed sideways, nothing is squeezed."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, has_touch=True, bypass_csp=True)
    page = context.new_page()
    found, wide, narrow = {}, {}, {}
    framed = False  # what is round the panels of the bench is the same at every stage, and looked at once
    for url in all_pages:
        page.set_viewport_size({"width": 1280, "height": 800})
        visit(page, url)
        if not page.evaluate("'axe' in window"):
            page.evaluate(AXE)
        panel = f'[data-panel="{url.rsplit("/", 1)[-1]}"]'
        within = panel if framed and page.locator(panel).count() else "document"
        framed = framed or page.locator(panel).count() > 0
        broken = page.evaluate(
            "([within, rules]) => axe.run(within == 'document' ? document : within,"
            " { runOnly: rules, resultTypes: ['violations'], preload: false }).then(r => r.violations)",
            [within, RULES],
        )
        found |= {f"{url.rsplit('/', 1)[-1]} {v['id']}": [n["target"] for n in v["nodes"]][:4] for v in broken}
        page.set_viewport_size({"width": 390, "height": 844})
        wide[url] = page.evaluate("document.documentElement.scrollWidth")
        for box in page.locator("main section:visible, main aside:visible").all():
            size = box.bounding_box()
            if size and size["width"] < 150:
                narrow[url] = size
    context.close()
    assert found == {}
    assert max(wide.values()) <= 390, wide
    assert narrow == {}


def test_regions_are_marked_without_a_mouse(page, bench_url):  # noqa: F811
    """By a cursor on the model, with a click and with the brush."""
    open_bench(page, bench_url.replace("/light", "/regions"))
    rows = page.locator("#region-list li")
    before = rows.count()
    for tool, keys in (("creases", ["Enter"]), ("brush", ["Enter", "Shift+ArrowRight", "Shift+ArrowRight", "Enter"])):
        page.locator(f'[name="tool"][value="{tool}"]').check(force=True)
        page.locator('[name="mode"][value="new"]').check(force=True)
        page.locator("#turntable").focus()
        for key in ["m", *["ArrowDown"] * 8, *keys]:
            page.keyboard.press(key)
        until(lambda n=before: rows.count() == n + 1, page)
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        until(lambda n=before: rows.count() == n, page)


def test_pages_are_light_and_what_they_need_is_kept_by_the_browser(chromium, bench_url):  # noqa: F811
    """Without the sculpt at most 1.2 MB on the way for the bench, and nothing of it twice."""
    context = chromium.new_context()
    page = context.new_page()
    devtools, sizes = context.new_cdp_session(page), {}
    devtools.send("Network.enable")
    asked = {}
    devtools.on("Network.requestWillBeSent", lambda e: asked.update({e["requestId"]: e["request"]["url"]}))
    devtools.on("Network.loadingFinished", lambda e: sizes.update({asked[e["requestId"]]: e["encodedDataLength"]}))
    open_bench(page, bench_url)
    first = {url: n for url, n in sizes.items() if ".bin" not in url and "relight" not in url}
    assert 100_000 < sum(first.values()) < 1_200_000
    sizes.clear()
    open_bench(page, bench_url)
    assert sum(n for url, n in sizes.items() if "/static/" in url) == 0
    context.close()


def test_a_lamp_set_while_the_bench_is_away_is_kept_when_it_is_back(page, bench_url):  # noqa: F811
    open_bench(page, bench_url)
    page.route("**/plan", lambda route: route.abort())
    page.locator("#azimuth").fill("77")
    page.keyboard.press("Tab")
    page.get_by_text("Not saved").wait_for()
    page.unroute("**/plan")
    page.locator("#unsaved").wait_for(state="hidden")
    page.reload()
    until(lambda: page.locator("#azimuth").input_value() == "77", page)
    page.trouble.clear()  # the browser's own word for what was cut off here
