"""The real thing: `dusk-lamp serve` with its worker, and Debian's Chromium in front of it."""

import os
import shutil
import signal
import subprocess
import sys
import time
import urllib.request

import pytest
from playwright.sync_api import sync_playwright

# the same browser without a window of its own, where it is installed: a fifth less of the processor
NAMES = ("chromium-headless-shell", "chromium", "chromium-browser")
CHROMIUM = next(filter(None, map(shutil.which, NAMES)), "/usr/bin/chromium")
ARGUMENTS = [
    "--no-sandbox",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--disable-gpu-rasterization",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--disable-gpu-compositing",  # the turntable alone is drawn by the software GPU: half the time of a test
]


HOLES = r"(document.body.textContent.match(/.{0,40}(\bundefined\b|\bNaN\b|\[object ).{0,40}/g) || [])"


class Server:
    """One running bench."""

    def __init__(self, data):
        self.data, self.has_a_rack = data, False
        self.process = subprocess.Popen(
            [sys.executable, "-m", "dusk_lamp.cli", "serve", "--port", "0", "--data", str(data)],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "DUSK_LAMP_MOST_SAMPLES": "6000"},  # the pages are tested, not patience
        )
        said = self.process.stdout.readline()
        self.address = next(word for word in said.split() if word.startswith("http"))
        for _ in range(100):
            try:
                urllib.request.urlopen(self.address, timeout=5).read()
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not come up")

    def end(self):
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(20)


@pytest.fixture(scope="session")
def server(tmp_path_factory):
    """One for all files of tests: each brings a sculpt of its own, and asks for the rack."""
    server = Server(tmp_path_factory.mktemp("bench") / "data")
    yield server
    server.end()


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium):
    """An empty page at 1280 × 800 that fails the test on any script error or blocked content."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, reduced_motion="reduce"
    )
    page = context.new_page()
    page.set_default_timeout(75_000)  # a machine that does much else, too
    trouble = []
    page.on("pageerror", lambda e: trouble.append(str(e)))
    page.on("console", lambda m: trouble.append(f"{m.text} {m.location['url']}") if m.type == "error" else None)
    page.trouble = trouble
    yield page
    holes = [own.evaluate(HOLES) for own in context.pages]
    context.close()
    assert trouble == []
    assert not any(holes), "a script says something of what the server does not send"


@pytest.fixture
def shelf(page, server):
    """The same at the shelf."""
    page.goto(server.address)
    return page


def brought(chromium, server, file):
    """The address of a sculpt brought to the shelf, up to its stage."""
    page = chromium.new_page()
    page.goto(server.address)
    page.set_input_files('input[type="file"]', str(file))
    card = page.locator(".card-sculpt", has=page.locator(f'input[value="{file.stem}"]'))
    card.locator('a:has-text("Stand it up")').wait_for(timeout=90_000)
    page.locator(".card-sculpt:has([data-working])").wait_for(state="detached", timeout=90_000)
    url = card.locator(".picture a").get_attribute("href")
    page.close()
    return f"{server.address}{url.rsplit('/', 1)[0]}"


def to_stage(page, name):
    """Go to a stage by the string of lamps, its group opened where it is closed."""
    link = page.locator(f'.string [data-stage="{name}"]')
    group = link.locator("xpath=ancestor::details")
    if group.get_attribute("open") is None:
        group.locator("summary").click()
    link.click()
