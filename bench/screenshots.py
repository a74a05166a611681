"""One picture of each main view, from the demo data, at 1280 × 800. `bin/screenshots` runs it."""

import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

ROOT = Path(__file__).parent.parent
HERE = ROOT / "docs" / "screenshots"
sys.path.insert(0, str(ROOT))
from tests.browser.conftest import ARGUMENTS, CHROMIUM  # noqa: E402

WARDEN, KNIGHT, KEEPER = 8, 7, 6  # their numbers on a fresh shelf

PAINTED = {  # regions of the wick-warden, and the paints they are sketched in
    "Cobbles": "Harbour Grey", "Coat": "Cockle Red", "Cloak": "Deep Channel", "Hood": "Tide Blue", "Face": "Freckle",
    "Arms": "Sailcloth", "Lantern": "Rain Barrel", "Flame": "Marigold",
}  # fmt: skip


def main() -> None:
    """Serve the demo on a fresh folder, walk through it, take the pictures."""
    with tempfile.TemporaryDirectory() as data, sync_playwright() as p:
        server = subprocess.Popen(
            [sys.executable, "-m", "dusk_lamp.cli", "demo", "--port", "0", "--data", data],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert server.stdout is not None
        address = next(word for word in server.stdout.readline().split() if word.startswith("http"))
        browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})

        def shot(name: str) -> None:
            page.wait_for_load_state("networkidle", timeout=180_000)
            page.wait_for_timeout(700)
            page.screenshot(path=HERE / f"{name}.png")

        def bench(sculpt: int, stage: str) -> None:
            page.goto(f"{address}/sculpts/{sculpt}/{stage}")
            page.wait_for_selector('#bench[data-drawn="true"]', timeout=120_000)

        try:
            page.goto(address)
            page.wait_for_selector(".card-sculpt", timeout=120_000)
            while page.locator(".card-sculpt progress").count():
                page.wait_for_timeout(2000)
            shot("shelf")
            page.goto(f"{address}/sculpts/{WARDEN}/stand")
            shot("stand")
            page.get_by_role("button", name="Next: take it apart").click()
            bench(KNIGHT, "parts")
            page.keyboard.press("d")
            page.locator("#pull").fill("70")
            page.locator(".part-list .choose").nth(3).click()
            shot("parts")
            bench(KNIGHT, "regions")
            page.keyboard.press("d")
            page.locator("#region-list button").nth(2).click()
            shot("regions")
            bench(KEEPER, "view")
            page.keyboard.press("d")
            shot("view")
            bench(WARDEN, "light")
            shot("lamp")
            page.click("text=Next: choose greys")
            page.wait_for_selector("#bench[data-drawn]", timeout=120_000)
            shot("greys")
            bench(WARDEN, "sketch")
            for name, paint in PAINTED.items():
                page.locator("#sketch-list button", has_text=name).first.click()
                page.locator("#sketch-form [name=colour]").select_option(paint)
                page.locator("#sketch-list button", has_text=paint).first.wait_for()
                page.wait_for_timeout(900)
                page.locator("#sketch-list button", has_text=name).first.click()
            page.locator("#sketch-list button", has_text="Cloak").first.click()
            page.keyboard.press("d")
            shot("sketch")
            page.click("text=Next: lay the undercoat")
            page.wait_for_selector("#undercoat-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            page.get_by_role("button", name="Work out the passes").click()
            page.get_by_text("Passes fitted to your light.").wait_for(timeout=120_000)
            page.locator("#coats button").last.click()
            while page.locator("#schools img").evaluate_all("all => all.some(i => !i.complete)"):
                page.wait_for_timeout(500)
            page.locator("#difference").check()
            page.locator("#coats").scroll_into_view_if_needed()
            page.wait_for_timeout(6000)
            shot("undercoat")
            page.locator('[data-panel="undercoat"] form[method] .button').click()
            page.wait_for_selector("#colour-note[data-looked]", timeout=120_000)
            page.locator("#how-far button").nth(1).click(timeout=240_000)
            page.locator("#colour-coats li").nth(15).wait_for(timeout=240_000)
            page.locator('#how-far button[aria-pressed="true"]').wait_for(timeout=240_000)
            page.locator("#palette-box summary").click()
            page.locator("#how-far-title").scroll_into_view_if_needed()
            shot("colour")
            page.locator('[data-panel="colour"] form[method] .button').click()
            page.wait_for_selector("#metal-note[data-looked]", timeout=120_000)
            page.locator('[data-panel="metal"] form[method] .button').click()
            page.wait_for_selector("#glow-note[data-looked]", timeout=120_000)
            page.select_option("#glow-region", label="Flame")
            page.click("[data-glow=region]")
            page.locator("#glows button", has_text="Flame").wait_for(timeout=60_000)
            page.locator("#dusk").fill("0.3")
            page.locator("#glow-form [name=reach]").fill("20")
            page.wait_for_timeout(4000)
            page.click("#glow-paint")
            page.locator("#glow-coats li").first.wait_for(timeout=60_000)
            page.click("[data-glow-show=both]")
            page.locator("#glows").scroll_into_view_if_needed()
            page.wait_for_timeout(2000)
            shot("glow")
            page.locator('[data-panel="glow"] form[method] .button').click()
            page.wait_for_selector("#wear-note[data-looked]", timeout=120_000)
            page.locator('[data-panel="wear"] form[method] .button').click()
            page.locator(".sheet-head").wait_for(timeout=240_000)
            shot("sheet")
            page.goto(f"{address}/sculpts/{WARDEN}/paint")
            page.keyboard.press("Space")
            page.locator("#drying").wait_for()
            page.keyboard.press("Space")
            shot("paint")
            bench(KNIGHT, "metal")
            page.wait_for_selector("#metal-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            for region, school in (("Helm", "lamp"), ("Blade", "facet"), ("Cuirass", "lamp")):
                page.locator("#metal-regions button", has_text=region).click()
                page.locator("#metal-form [name=school]").select_option(school)
                page.wait_for_timeout(2500)
                page.click("#metal-paint")
                page.locator("#metal-coats li", has_text=region).first.wait_for(timeout=60_000)
            page.click("[data-metal-show=metal]")
            page.wait_for_timeout(2500)
            page.locator("#metal-form [name=roughness]").scroll_into_view_if_needed()
            page.wait_for_timeout(500)
            shot("metal")
            bench(KNIGHT, "wear")
            page.wait_for_selector("#wear-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            page.wait_for_timeout(2500)
            shot("wear")
            page.goto(f"{address}/tools")
            shot("tools")
            page.goto(f"{address}/rack")
            shot("rack")
            page.goto(f"{address}/palette?mix=Soot:1,Heather:3,Pale Cheek:2")
            page.wait_for_selector('#palette[data-ready="true"]')
            page.get_by_role("button", name="Find", exact=True).click()
            page.locator("#found li").nth(2).wait_for()
            page.get_by_text("Steps from here to there").click()
            page.get_by_role("button", name="Mix my steps").click()
            page.locator("#ladders li").nth(2).wait_for()
            page.evaluate(
                "document.querySelector('.room-main').scrollTo(0, 0); document.querySelector('.room-side').scrollTo(0, 0)"
            )
            shot("palette")
            page.goto(f"{address}/glaze")
            shot("glaze")
        finally:
            browser.close()
            server.terminate()
            server.wait(20)


if __name__ == "__main__":
    main()
