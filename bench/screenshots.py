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
            page.locator("#pull").fill("70")
            page.locator("#reach-part summary").click()
            page.click("#reach-look")
            page.wait_for_selector("#reach-key:not([hidden])", timeout=240_000)
            page.locator("#reach-part").scroll_into_view_if_needed()
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
            page.locator("#sketch-list button", has_text="Cloak").first.click()
            page.keyboard.press("d")
            page.wait_for_timeout(3000)
            shot("sketch")
            bench(KEEPER, "undercoat")
            page.wait_for_selector("#undercoat-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            page.locator("#coats button").last.click()
            while page.locator("#schools img").evaluate_all("all => all.some(i => !i.complete)"):
                page.wait_for_timeout(500)
            page.locator("#difference").check()
            page.locator("#coats").scroll_into_view_if_needed()
            page.wait_for_timeout(4000)
            shot("undercoat")
            bench(WARDEN, "colour")
            page.wait_for_selector("#colour-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            page.locator('#how-far button[aria-pressed="true"]').wait_for(timeout=240_000)
            page.locator("#palette-box summary").click()
            page.locator("#how-far-title").scroll_into_view_if_needed()
            page.wait_for_timeout(4000)
            shot("colour")
            bench(WARDEN, "glow")
            page.wait_for_selector("#glow-note[data-looked]", timeout=120_000)
            page.locator("#glow-coats li").first.wait_for(timeout=60_000)
            page.keyboard.press("d")
            page.click("[data-glow-show=both]")
            page.locator("#glows").scroll_into_view_if_needed()
            page.wait_for_timeout(3000)
            shot("glow")
            page.goto(f"{address}/sculpts/{WARDEN}/sheet")
            page.locator(".sheet-head").wait_for(timeout=240_000)
            shot("sheet")
            page.goto(f"{address}/sculpts/{WARDEN}/paint")
            page.locator("#easel").wait_for(timeout=240_000)
            for _ in range(3):  # on to a light, with its arrows
                page.keyboard.press("ArrowRight")
            page.wait_for_timeout(2000)
            shot("paint")
            bench(KNIGHT, "metal")
            page.wait_for_selector("#metal-note[data-looked]", timeout=120_000)
            page.keyboard.press("d")
            page.locator("#metal-regions button", has_text="Cuirass").click()
            page.wait_for_timeout(2500)
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
            page.goto(f"{address}/sculpts/{WARDEN}/clock?from=2026-12-05T19:00&hours=19-22")
            page.locator(".timeline svg").wait_for(timeout=240_000)
            shot("clock")
            page.goto(f"{address}/sculpts/{WARDEN}/check")
            page.locator("#step").select_option(index=page.locator("#step option").count() - 1)
            page.click("#simulated")
            page.wait_for_selector("#proposed:not([hidden])", timeout=240_000)
            page.click("#go")
            page.wait_for_selector("#verdict:not([hidden])", timeout=240_000)
            shot("check")
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
                "document.querySelector('.room-main').scrollTo(0, 0); "
                "document.querySelector('.room-side').scrollTo(0, 0)"
            )
            shot("palette")
        finally:
            browser.close()
            server.terminate()
            server.wait(20)


if __name__ == "__main__":
    main()
