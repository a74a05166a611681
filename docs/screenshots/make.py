"""One picture of each main view, from the demo data, at 1280 × 800. `bin/screenshots` runs it."""

import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import sync_playwright

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent.parent))
from tests.browser.conftest import ARGUMENTS, CHROMIUM  # noqa: E402

REGIONS = (  # where to click at 1280 × 800 from the front, and what it is
    (500, 300, "Cape", "cloth", "important"),
    (590, 300, "Cape", "cloth", "important"),
    (660, 540, "Cloak", "cloth", "important"),
    (420, 540, "Cloak", "cloth", "important"),
    (500, 540, "Coat", "cloth", "quiet"),
    (580, 540, "Coat", "cloth", "quiet"),
    (530, 185, "Hood", "cloth", "important"),
    (636, 350, "Hand", "skin", "important"),
    (436, 650, "Plinth", "stone", "quiet"),
    (688, 182, "Lantern roof", "metal", "focal point"),
)


def mark_regions(page) -> None:
    """Click the regions together and name them."""
    known: dict[str, int] = {}

    def changed(act) -> None:
        with page.expect_response(lambda r: r.request.method == "POST" and r.url.endswith("/regions")):
            act()
        page.wait_for_timeout(250)

    for x, y, name, material, attention in REGIONS:
        mode = "Add to it" if name in known else "New region"
        page.click(f"text={mode}")
        if (
            name in known
            and page.locator("#region-list button").nth(known[name]).get_attribute("aria-pressed") != "true"
        ):
            page.locator("#region-list button").nth(known[name]).click()
        changed(lambda x=x, y=y: page.mouse.click(x, y))
        if name not in known:
            known[name] = len(known)
            page.fill("#region-name", name)
            changed(lambda: page.press("#region-name", "Enter"))
            if material != "cloth":
                changed(lambda material=material: page.select_option("#region-material", material))
            if attention != "important":
                changed(lambda attention=attention: page.select_option("#region-attention", attention))


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
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(700)
            page.screenshot(path=HERE / f"{name}.png")

        def bench(stage: str) -> None:
            page.goto(f"{address}/sculpts/1/{stage}")
            page.wait_for_selector("#bench[data-drawn]", timeout=120_000)

        try:
            page.goto(address)
            page.wait_for_selector(".card-sculpt:not([hx-trigger]) img", timeout=120_000)
            shot("shelf")
            page.goto(f"{address}/sculpts/1/stand")
            shot("stand")
            page.click("text=Stand it like this")
            page.wait_for_selector("#bench[data-drawn]", timeout=120_000)
            mark_regions(page)
            shot("regions")
            page.click("text=On to the lamp")
            page.wait_for_selector("#bench[data-drawn]", timeout=120_000)
            shot("lamp")
            page.keyboard.down("e")
            shot("from-the-lamp")
            page.keyboard.up("e")
            page.keyboard.press("c")
            page.wait_for_selector("#edge-note span", timeout=60_000)
            shot("edges")
            page.keyboard.press("c")
            page.click("text=Keep this light")
            page.wait_for_selector("#bench[data-drawn]", timeout=120_000)
            shot("greys")
            page.keyboard.press("4")
            shot("one-step")
            page.keyboard.press("0")
            page.click("text=Make my plan sheet")
            shot("sheet")
            page.evaluate("document.getElementById('step-3').scrollIntoView()")
            shot("sheet-step")
        finally:
            browser.close()
            server.terminate()
            server.wait(20)


if __name__ == "__main__":
    main()
