"""The documents keep what they promise."""

import contextlib
import re
from pathlib import Path

from dusk_lamp.cli import main
from dusk_lamp.core.plain import described
from dusk_lamp.core.sculpt.read import FORMATS
from dusk_lamp.settings import Settings

ROOT = Path(__file__).parent.parent


def text(name):
    return (ROOT / name).read_text()


def test_every_setting_is_documented_with_its_default():
    usual = Settings()
    for name, allowed in described(Settings).items():
        default = getattr(usual, name) or ("empty" if allowed.letters else 0)
        assert f"| `{name.upper()}` | {default} | {allowed.words}" in text("docs/settings.md"), name


def test_every_option_of_every_command_is_documented(capsys):
    for command in re.findall(r"^    dusk-lamp (\w+)", text("docs/cli.md"), re.M):
        with contextlib.suppress(SystemExit):
            main([command, "--help"])
        for option in set(re.findall(r"--[a-z-]+", capsys.readouterr().out)) - {"--help", "--out"}:
            assert option in text("docs/cli.md"), f"{command} {option}"


def test_every_format_and_link_is_there():
    for name in FORMATS:
        assert name.upper() in text("README.md") and name.upper() in text("docs/formats.md")
    for page in ("README.md", *(f"docs/{p.name}" for p in (ROOT / "docs").glob("*.md"))):
        for target in re.findall(r"\]\((?!http)([^)#]+)\)", text(page)):
            assert ((ROOT / page).parent / target).exists(), f"{page} → {target}"


def test_pictures_are_few_and_all_shown():
    pictures = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
    assert 0 < len(pictures) < 20
    assert all(name in text("README.md") for name in pictures)
