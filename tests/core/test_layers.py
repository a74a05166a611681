"""The structure docs/architecture.md promises."""

import ast
import re
from functools import cache
from importlib import import_module
from pathlib import Path
from types import ModuleType

import dusk_lamp
from dusk_lamp.core.coat.technique import techniques
from dusk_lamp.core.datasets import rows
from dusk_lamp.core.datasets.materials import MATERIALS
from dusk_lamp.web.stage_registry import STAGES

ROOT = Path(dusk_lamp.__file__).parent


@cache
def _nodes(path: Path) -> list[ast.Import | ast.ImportFrom]:
    every = ast.walk(ast.parse(path.read_text()))
    return [node for node in every if isinstance(node, ast.Import | ast.ImportFrom)]


def _imports(path: Path) -> set[str]:
    found = set()
    for node in _nodes(path):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        else:
            found.add("." * node.level + (node.module or ""))
    return found


def test_the_core_knows_nothing_of_pages_tables_or_jobs():
    for path in (ROOT / "core").rglob("*.py"):
        up = len(path.relative_to(ROOT / "core").parents)
        for name in _imports(path):
            assert name.split(".")[0] not in {"flask", "sqlalchemy", "huey", "alembic"}, path
            assert not name.startswith("." * (up + 1)), f"{path} reaches out of the core: {name}"


def test_the_store_knows_nothing_of_pages_pictures_or_ways():
    for folder in ("store", "jobs"):
        for path in (ROOT / folder).rglob("*.py"):
            assert not any("web" in name.split(".") or name.split(".")[0] == "flask" for name in _imports(path)), path
    for path in (ROOT / "store").rglob("*.py"):
        assert not any(name.startswith(("..core.view", "..core.plan.ways")) for name in _imports(path)), path


# inside the core, a room may import from the rooms before it and from itself, never from a later one
ROOMS = (
    "",
    "datasets",
    "sculpt",
    "paint",
    "workplace",
    "light",
    "target",
    "coat",
    "plan",
    "squad",
    "schedule",
    "reach",
    "log",
    "view",
    "check",
    "drill",
    "card",
)
# files beside the rooms, that all may use
GROUND = {"embree", "errors", "directions", "units", "plain", "rays", "registry", "results", "places"}


@cache
def resolved(path: Path) -> set[tuple[str, ...]]:
    """The modules of ours that a file imports, as parts below the package."""
    own = path.relative_to(ROOT).with_suffix("").parts
    package = own[:-1]
    out = set()
    for node in _nodes(path):
        if isinstance(node, ast.ImportFrom) and node.level:
            base = (*package[: len(package) - node.level + 1], *(node.module or "").split("."))
            base = tuple(p for p in base if p)
            inner = [(*base, alias.name) for alias in node.names]
            out |= {
                i if (ROOT.joinpath(*i).with_suffix(".py").exists() or ROOT.joinpath(*i).is_dir()) else base
                for i in inner
            }
    return out


def test_inside_the_core_imports_point_one_way():
    """sculpt → light → target → coat → plan: a sculpt knows nothing of light, a coat nothing of the plan."""
    for path in (ROOT / "core").rglob("*.py"):
        parts = path.relative_to(ROOT / "core").parts
        room = parts[0] if len(parts) > 1 else ""
        for target in resolved(path):
            other = target[1] if len(target) > 2 or (len(target) == 2 and target[1] in ROOMS) else ""
            if target[0] == "core" and other:
                assert ROOMS.index(other) <= ROOMS.index(room), f"{path} reaches up to {'.'.join(target)}"
            if room == "" and parts[0] != "__init__.py":
                assert len(target) < 2 or target[1] in GROUND, f"{path} is ground and stands on {'.'.join(target)}"


def test_steps_and_palette_know_no_feature_and_the_document_only_wishes():
    """What a registry loads by name counts as well: the document stands on wishes, the features on both."""
    plan = ROOT / "core" / "plan"
    for path in [*plan.joinpath("steps").glob("*.py"), *plan.joinpath("palette").glob("*.py")]:
        assert not any(target[:3] == ("core", "plan", "features") for target in resolved(path)), path
    for path in plan.glob("features/*/wishes.py"):
        stands_on = {t[2:] for t in resolved(path) if t[:2] == ("core", "plan")}
        assert not stands_on & {("document",), ("context",), ("run",), ("registry",)}, path
    for target in resolved(plan / "document.py"):
        assert target[:3] != ("core", "plan", "registry") and target[-1] != "feature", target


def test_no_file_imports_itself_by_a_detour():
    """No circle anywhere in the house, the pages included."""
    graph = {}
    for path in ROOT.rglob("*.py"):
        own = path.relative_to(ROOT).with_suffix("").parts
        own = own[:-1] if own[-1] == "__init__" else own
        graph[own] = {t for t in resolved(path) if t != own}
    done: set[tuple[str, ...]] = set()

    def visit(module, way):
        assert module not in way, " → ".join(".".join(m) for m in (*way[way.index(module) :], module))
        if module in done:
            return
        for other in sorted(graph.get(module, ())):
            visit(other, [*way, module])
        done.add(module)

    for module in sorted(graph):
        visit(module, [])


def test_every_row_of_every_table_names_its_source():
    for table in (ROOT / "core" / "datasets").glob("*.csv"):
        if table.stem == "bands":
            continue  # columns of published tables; make_bands names each
        for row in rows(table.stem):
            assert row["source"].strip() and None not in row and None not in row.values(), (table.stem, row)


def test_every_stage_and_technique_is_one_of_each():
    """A stage: an entry, a page, a panel, and on the bench a script. A technique: a file with one of it."""
    for stage in STAGES:
        assert stage.page.blueprint.name == stage.name
        if stage.on_bench:
            assert callable(stage.page.panel) and stage.onward
            assert (ROOT / "web/templates/stages" / f"{stage.name}.html").exists()
            assert (ROOT / "web/static/bench/stages" / f"{stage.name}.js").exists()
    panels = {p.stem for p in (ROOT / "web/templates/stages").glob("*.html")}
    assert panels <= {s.name for s in STAGES}, "no panel without a stage"
    files = {p.stem for p in (ROOT / "core/coat").glob("*.py") if "TECHNIQUE = " in p.read_text()}
    assert len(files) == len(techniques())


def test_what_the_benches_ask_of_the_house_is_there():
    """They are run by hand and load what they need late: a moved name would be found in the middle of a run."""
    for path in (ROOT.parents[1] / "bench").glob("*.py"):
        tree, modules = ast.parse(path.read_text()), {}
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("dusk_lamp"):
                room = import_module(node.module)
                for alias in node.names:
                    if not hasattr(room, alias.name):
                        import_module(f"{node.module}.{alias.name}")
                    if isinstance(own := getattr(room, alias.name), ModuleType):
                        modules[alias.asname or alias.name] = own
        for node in ast.walk(tree):
            if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in modules:
                assert hasattr(modules[node.value.id], node.attr), (path.name, node.value.id, node.attr)


def test_no_page_types_a_range_again():
    """Fields get theirs from the core by `limits`; a place among coats, how far parts are pulled, is no setting."""
    fields = re.compile(r"<input[^>]*?>", re.S)
    for path in (ROOT / "web/templates").rglob("*.html"):
        for field in fields.findall(re.sub(r"{{.*?}}", "", path.read_text(), flags=re.S)):
            if not re.search(r'id="(scrub|colour-scrub|pull|wipe)"', field):
                assert not re.search(r'\b(min|max|step)="[-0-9.]', field), (path.name, field)
    for path in (ROOT / "web/static").rglob("*.js"):
        if "vendor" not in path.parts:
            assert not re.search(r"\.(min|max) = [^;]*[0-9]{2}", path.read_text()), path.name


def test_no_second_list_of_materials():
    """Adding a material is adding a row: no table, set or chain of tests in the code names three of them."""
    known = set(MATERIALS)
    for path in [*(ROOT / "core").rglob("*.py"), *(ROOT / "web").rglob("*.py"), *(ROOT / "cli").rglob("*.py")]:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Dict):
                named = {k.value for k in node.keys if isinstance(k, ast.Constant)}
            elif isinstance(node, ast.Tuple | ast.List | ast.Set):
                named = {e.value for e in node.elts if isinstance(e, ast.Constant)}
            elif isinstance(node, ast.BoolOp):
                named = {e.value for e in ast.walk(node) if isinstance(e, ast.Constant) and isinstance(e.value, str)}
            else:
                continue
            assert len(named & known) < 3, (path, node.lineno, named & known)


def test_no_public_name_stands_for_two_things():
    """One word, one thing, for who reads the code: of what a registry asks of every entry, the pages' addresses and
    the main function of a command there may be many."""
    asked_of_each = {"add_commands", "panel", "main", "run", "upgrade", "downgrade"}
    where: dict[str, list[str]] = {}
    for path in ROOT.rglob("*.py"):
        for node in ast.parse(path.read_text()).body:
            if not isinstance(node, ast.FunctionDef | ast.ClassDef) or node.name.startswith("_"):
                continue
            calls = [d.func for d in node.decorator_list if isinstance(d, ast.Call)]
            an_address = any(
                isinstance(f, ast.Attribute) and f.attr in ("get", "post", "put", "route") for f in calls
            )
            if node.name not in asked_of_each and not an_address:
                where.setdefault(node.name, []).append(str(path.relative_to(ROOT)))
    assert {name: files for name, files in where.items() if len(files) > 1} == {}


def test_no_variable_is_called_own():
    """It meant a plan, a mask, wishes and a row. Migrations stay as they were run, and a metal's world of its own is
    called so in every plan's file."""
    spared = {"migrations", "metal"}
    for path in (p for p in ROOT.rglob("*.py") if not spared & set(p.parts[-3:])):
        for node in ast.walk(ast.parse(path.read_text())):
            called = node.id if isinstance(node, ast.Name) else node.arg if isinstance(node, ast.arg) else ""
            assert called != "own", (path, node.lineno)
