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


def test_the_rooms_of_the_house_are_those_of_the_tree():
    """Every folder of the package with code in it is a row of docs/architecture.md, and no row is of one that is
    gone."""
    package = ROOT / "src" / "dusk_lamp"
    there = {
        str(path.parent.relative_to(package)) + "/"
        for path in package.rglob("*.py")
        if path.parent != package and "versions" not in path.parts
    }
    listed = set(re.findall(r"^\| `([a-z_/]+/)`", text("docs/architecture.md"), re.M))
    features = {f"core/plan/features/{name}" for name in re.findall(r"`([a-z]+/)`", _row("core/plan/features/"))}
    stages = {f"web/stages/{name}" for name in re.findall(r"`([a-z]+/)`", _row("web/stages/"))}
    assert there - {"core/view/fonts/"} == listed | features | stages


def _row(room):
    return next(line for line in text("docs/architecture.md").splitlines() if line.startswith(f"| `{room}`"))


def test_what_one_wants_to_change_is_where_the_list_says():
    rows = re.findall(r"^\| (.+) \| `([\w/]+\.(?:py|csv))` \| (\w+) \|$", text("docs/architecture.md"), re.M)
    assert len(rows) >= 20
    for wish, path, symbol in rows:
        content = (ROOT / "src" / "dusk_lamp" / path).read_text()
        found = rf"^{symbol}," if path.endswith(".csv") else rf"^(?:def|class) {symbol}\b|^{symbol}\b.*="
        assert re.search(found, content, re.M) or (path.endswith("economy.csv") and symbol in content), (wish, path)


def test_every_term_of_the_glossary_stands_once_and_lives_where_it_says():
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| (`[^|]+`) \|$", text("docs/glossary.md"), re.M)
    terms = [term.strip() for cell, _, _ in rows for term in cell.split(",")]
    twice = {term for term in terms if terms.count(term) > 1}
    assert len(rows) > 30 and not twice, twice
    for _, _, places in rows:
        for place in re.findall(r"`([\w/.]+)`", places):
            home = ROOT / "src/dusk_lamp" / place, ROOT / "src/dusk_lamp/core" / place
            assert any(path.exists() for path in home), place


def test_the_trades_own_words_stand_where_a_painter_looks_for_them():
    """On the titles of the bench or their second lines (common practice, craft page)."""
    panels = " ".join(path.read_text() for path in (ROOT / "src/dusk_lamp/web/templates/stages").glob("*.html"))
    for word in ("zenithal", "value sketch", "object-source light", "OSL", "non-metallic metal", "NMM", "pin wash"):
        assert word.casefold() in panels.casefold(), word
    assert "dry-brush" in panels.casefold() + (ROOT / "src/dusk_lamp/core/coat/drybrush.py").read_text().casefold()
