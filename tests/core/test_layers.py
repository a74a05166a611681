"""The structure docs/architecture.md promises."""

import ast
from pathlib import Path

import dusk_lamp

ROOT = Path(dusk_lamp.__file__).parent


def _imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            found.add("." * node.level + (node.module or ""))
    return found


def test_the_core_knows_nothing_of_pages_tables_or_jobs():
    for path in (ROOT / "core").rglob("*.py"):
        up = len(path.relative_to(ROOT / "core").parents)
        for name in _imports(path):
            assert name.split(".")[0] not in {"flask", "sqlalchemy", "huey", "alembic"}, path
            assert not name.startswith("." * (up + 1)), f"{path} reaches out of the core: {name}"


def test_the_store_knows_nothing_of_pages():
    for folder in ("store", "jobs"):
        for path in (ROOT / folder).rglob("*.py"):
            assert not any("web" in name.split(".") or name.split(".")[0] == "flask" for name in _imports(path)), path


def test_scripts_hold_no_arithmetic_of_the_craft():
    """The ladder's cuts, areas and greys come from the server; the scripts never work them out."""
    scripts = [p for p in (ROOT / "web" / "static").rglob("*.js") if "vendor" not in p.parts]
    assert len(scripts) >= 6
    for path in scripts:
        text = path.read_text().lower()
        assert (
            "munsell" not in text
            and "luminance" not in text
            and "srgb" not in text.replace("linearsrgbcolorspace", "")
        )
