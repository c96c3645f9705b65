"""Imports point one way: cli, server -> questions -> views, study -> cql2, io -> core, and inside core down to the graph."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[1]
MAY_USE = {
    "core": {"core"},
    "io": {"core", "io"},
    "cql2": {"core", "io", "cql2"},
    "study": {"core", "io", "cql2", "study"},
    "views": {"views"},
    "questions": {"core", "io", "cql2", "study", "views", "questions"},
    "server": {"core", "io", "cql2", "study", "views", "questions", "server", "shipped"},
}
INSIDE_CORE = {
    "graph": {"graph"},
    "modes": {"modes", "graph"},
    "network": {"network", "modes", "graph"},
    "routing": {"routing", "network", "modes", "graph"},
    "analysis": {"analysis", "routing", "network", "modes", "graph"},
}
"""Rooms of the core and what each may use beside the files that lie next to them."""
FOREIGN_TO_CORE = {"flask", "sqlite3", "pydantic", "click", "pathlib", "orjson", "json", "csv"}


def imports(path: Path) -> set[str]:
    found = set()
    for item in ast.walk(ast.parse(path.read_text())):
        if isinstance(item, ast.Import):
            found |= {alias.name for alias in item.names}
        elif isinstance(item, ast.ImportFrom) and item.module:
            found.add(item.module)
    return found


@pytest.mark.parametrize("layer", MAY_USE)
def test_layers_look_only_down(layer):
    for path in (ROOT / "awl" / layer).rglob("*.py"):
        for name in imports(path):
            parts = name.split(".")
            if parts[0] == "awl" and len(parts) > 1:
                assert parts[1] in MAY_USE[layer], f"{path} imports {name}"
            if layer == "core":
                assert parts[0] not in FOREIGN_TO_CORE, f"{path} imports {name}"


@pytest.mark.parametrize("room", INSIDE_CORE)
def test_rooms_of_the_core_look_only_down(room):
    rooms = {path.name for path in (ROOT / "awl/core").iterdir() if path.is_dir() and path.name != "__pycache__"}
    assert rooms == set(INSIDE_CORE)
    for path in (ROOT / "awl/core" / room).rglob("*.py"):
        for name in imports(path):
            parts = name.split(".")
            if parts[:2] == ["awl", "core"] and len(parts) > 2 and parts[2] in rooms:
                assert parts[2] in INSIDE_CORE[room], f"{path} imports {name}"


def modules() -> dict[str, Path]:
    """Every module of the package by its dotted name."""
    paths = {}
    for path in (ROOT / "awl").rglob("*.py"):
        parts = path.relative_to(ROOT).with_suffix("").parts
        paths[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return paths


def test_no_modules_import_each_other_in_a_circle():
    """Imports inside functions and for type checkers alone count as well."""
    paths = modules()
    arrows: dict[str, set[str]] = {}
    for name, path in paths.items():
        used = set()
        for item in ast.walk(ast.parse(path.read_text())):
            if isinstance(item, ast.ImportFrom) and item.module and item.module.startswith("awl"):
                inner = {f"{item.module}.{alias.name}" for alias in item.names}
                used |= {one for one in inner if one in paths} or {item.module}
            elif isinstance(item, ast.Import):
                used |= {alias.name for alias in item.names if alias.name in paths}
        arrows[name] = {one for one in used if one in paths and one != name}
    circles = []
    done: set[str] = set()
    for begin in arrows:
        way: list[str] = []

        def follow(name: str, way: list[str] = way) -> None:
            if name in way:
                circles.append(" -> ".join([*way[way.index(name) :], name]))
                return
            if name in done:
                return
            way.append(name)
            for other in sorted(arrows[name]):
                follow(other)
            way.pop()
            done.add(name)

        follow(begin)
    assert not circles


def test_no_graph_library_is_used_outside_tests_and_benchmarks():
    for path in (ROOT / "awl").rglob("*.py"):
        for name in imports(path):
            assert "csgraph" not in name and name.split(".")[0] not in {"networkx", "igraph", "graph_tool"}, path


def test_files_fit_in_one_reading():
    for folder in ("awl", "demo", "bench", "scripts"):
        for path in (ROOT / folder).rglob("*.py"):
            lines = [line for line in path.read_text().splitlines() if line.strip()]
            assert len(lines) <= 450, f"{path} has {len(lines)} lines"
            assert ast.get_docstring(ast.parse(path.read_text())), f"{path} does not say what it is for"
