"""Imports point one way, the core has no interface code, and the help stays quick."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

import gonnet

ROOT = Path(gonnet.__file__).parent
RANKS = (
    ("errors", "findings", "given", "glimpse", "person", "private", "remembering"),
    ("locks", "schemas"),
    ("scratch", "signing"),
    ("wording",),
    ("jobs",),
    ("data", "calendar"),
    ("split", "arrivals"),
    ("recipients",),
    ("rules",),
    ("reports", "packages", "checks", "ledger", "delivery"),
    ("demo",),
    ("pipeline",),
    ("cli",),
    ("__main__",),
)
RANK = {name: rank for rank, names in enumerate(RANKS) for name in names}
DOCS = ROOT.parent.parent / "docs"
MODULES = sorted(path for path in ROOT.rglob("*.py") if path != ROOT / "__init__.py")


def imports_of(path: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            if node.module == "gonnet":
                yield from (f"gonnet.{name.name}" for name in node.names)
            else:
                yield node.module
        elif isinstance(node, ast.Import):
            yield from (name.name for name in node.names)


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(ROOT)))
def test_a_module_imports_only_what_stands_below_it(path: Path) -> None:
    stage = path.relative_to(ROOT).parts[0].removesuffix(".py")
    for name in imports_of(path):
        parts = name.split(".")
        if parts[0] != "gonnet" or len(parts) == 1 or parts[1] == stage or parts[1] == "__version__":
            continue
        assert RANK[parts[1]] < RANK[stage], f"{stage} imports {name}"


def test_no_module_imports_itself_by_way_of_others() -> None:
    """At the top of modules; what is imported inside a function, or for types alone, makes no circle."""
    graph = {name: {other for other in _at_the_top(path) if other in NAMES} for name, path in NAMES.items()}
    done: set[str] = set()

    def walk(name: str, way: tuple[str, ...]) -> None:
        assert name not in way, " → ".join((*way[way.index(name) :], name))
        if name not in done:
            for other in sorted(graph[name]):
                walk(other, (*way, name))
            done.add(name)

    for name in sorted(graph):
        walk(name, ())


def _name(path: Path) -> str:
    return ".".join(("gonnet", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(".__init__")


NAMES = {_name(path): path for path in MODULES}


def _at_the_top(path: Path) -> Iterator[str]:
    for node in ast.parse(path.read_text("utf-8")).body:
        if isinstance(node, ast.ImportFrom) and node.module:
            whole = [f"{node.module}.{name.name}" for name in node.names]
            yield from (name if name in NAMES else node.module for name in whole)


def test_a_function_is_read_at_one_glance() -> None:
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.FunctionDef):
                lines = (node.end_lineno or 0) - node.lineno + 1
                assert lines <= 60, f"{path.relative_to(ROOT)}: {node.name} has {lines} lines"


def test_a_folder_with_many_modules_says_why() -> None:
    reasons = (DOCS / "architecture.md").read_text("utf-8").partition("## Folders with more than fifteen files")[2]
    for folder in {path.parent for path in MODULES}:
        count = sum(path.parent == folder and path.name != "__init__.py" for path in MODULES)
        name = f"`{folder.name}/`"
        assert count <= 15 or name in reasons, f"{name} has {count} modules"


def test_a_behaviour_is_in_the_file_that_is_named_for_it() -> None:
    table = (DOCS / "architecture.md").read_text("utf-8").partition("## Where a behaviour is")[2].partition("## ")[0]
    files = re.findall(r"^\| [^|]+ \| `([^`]+)` \|$", table, re.MULTILINE)
    assert len(files) >= 14
    for file in files:
        assert (ROOT / file).is_file(), file


def test_each_library_has_its_room() -> None:
    allowed = {"sqlalchemy": "ledger data", "click": "cli", "rich": "cli", "smtplib": "delivery", "duckdb": "data"}
    for path in MODULES:
        stage = path.relative_to(ROOT).parts[0]
        for name in imports_of(path):
            owner = allowed.get(name.split(".")[0])
            assert owner is None or stage in owner, f"{path.relative_to(ROOT)} imports {name}"


def test_the_help_loads_nothing_heavy() -> None:
    script = (
        "import sys; sys.argv = ['gonnet', '--help']\n"
        "try:\n    from gonnet.cli import main; main()\n"
        "except SystemExit: pass\n"
        "print('LOADED', *sorted(m for m in sys.modules if '.' not in m))"
    )
    found = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout
    loaded = set(found.partition("LOADED")[2].split())
    assert "click" in loaded
    assert not loaded & {
        "duckdb",
        "reportlab",
        "xlsxwriter",
        "sqlalchemy",
        "pydantic",
        "rich",
        "jinja2",
        "babel",
        "PIL",
    }


def test_the_list_of_commands_says_what_each_command_says_of_itself() -> None:
    import click

    from gonnet.cli import COMMANDS, LazyGroup
    from gonnet.cli import gonnet as group

    assert isinstance(group, LazyGroup)
    readme = (ROOT.parent.parent / "README.md").read_text("utf-8")
    context = click.Context(group)
    for name, about in COMMANDS.items():
        command = group.get_command(context, name)
        assert command is not None
        assert command.short_help == about
        assert "Example:" in (command.help or ""), name
        assert f"gonnet {name}" in readme, f"the README does not name `gonnet {name}`"
