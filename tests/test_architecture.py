"""Imports point one way: cli, server -> questions -> views, study -> cql2, io -> core, and inside core down to the graph."""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from functools import cache
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
    "handout": {"core", "io", "study", "views", "questions", "sheets", "handout"},
    "sheets": {"core", "io", "cql2", "study", "views", "questions", "sheets"},
    "server": {"core", "io", "cql2", "study", "views", "questions", "handout", "sheets", "server", "shipped"},
}
INSIDE_CORE = {
    "graph": {"graph"},
    "modes": {"modes", "graph"},
    "network": {"network", "modes", "graph"},
    "routing": {"routing", "network", "modes", "graph"},
    "transit": {"transit", "routing", "network", "modes", "graph"},
    "analysis": {"analysis", "transit", "routing", "network", "modes", "graph"},
}
"""Rooms of the core and what each may use beside the files that lie next to them."""
FOREIGN_TO_CORE = {"flask", "sqlite3", "pydantic", "click", "pathlib", "orjson", "json", "csv"}


@cache
def parsed(path: Path) -> ast.Module:
    """The syntax of a file, parsed again where another thread that parses too disturbed it: a fault of CPython 3.11."""
    try:
        return ast.parse(path.read_text())
    except SystemError:
        return ast.parse(path.read_text())


@cache
def imports(path: Path) -> frozenset[str]:
    found: set[str] = set()
    for item in ast.walk(parsed(path)):
        if isinstance(item, ast.Import):
            found |= {alias.name for alias in item.names}
        elif isinstance(item, ast.ImportFrom) and item.module:
            found.add(item.module)
    return frozenset(found)


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
        for item in ast.walk(parsed(path)):
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


OURS = {"awl", "demo"}
PACKAGES = {
    "click", "dask", "distributed", "flask", "fontTools", "geopandas", "jinja2", "h5py", "lark", "llvmlite",
    "mapbox_vector_tile", "markupsafe", "matplotlib", "numba", "numpy", "openpyxl", "orjson", "pyarrow", "pydantic", "pyogrio",
    "PIL", "pyproj", "rapidfuzz", "rasterio", "rich", "scipy", "shapely", "waitress", "werkzeug",
}  # fmt: skip
"""Packages of general use: what Awl is for is its own code."""


def test_what_awl_is_for_is_its_own_code():
    for path in (ROOT / "awl").rglob("*.py"):
        for name in imports(path):
            package = name.split(".")[0]
            assert package in PACKAGES | OURS | set(sys.stdlib_module_names), f"{path} imports {name}"
            assert "csgraph" not in name or path.name == "parts.py", f"{path}: only components may come from SciPy"


DOCUMENTED = [*(ROOT / "awl/core").rglob("*.py"), *(ROOT / "awl/io").rglob("*.py"), ROOT / "awl/library.py"]


def public_functions(body: list[ast.stmt]) -> Iterator[ast.FunctionDef]:
    """Functions and methods that others call; those that compile to instructions are described where they are made."""
    for item in body:
        if isinstance(item, ast.ClassDef) and not item.name.startswith("_"):
            yield from public_functions(item.body)
        if isinstance(item, ast.FunctionDef) and not item.name.startswith("_"):
            marks = " ".join(ast.unparse(one) for one in item.decorator_list)
            if not any(word in marks for word in ("intrinsic", "overload", "setter")):
                yield item


@pytest.mark.parametrize("path", DOCUMENTED, ids=lambda path: str(path.relative_to(ROOT)))
def test_public_functions_name_their_parameters_as_they_are(path):
    for item in public_functions(parsed(path).body):
        takes = [one.arg for one in (*item.args.posonlyargs, *item.args.args, *item.args.kwonlyargs)]
        takes = [name for name in takes if name not in ("self", "cls")]
        text = ast.get_docstring(item) or ""
        section = re.search(r"^Parameters:\n((?:.*\n?)*?)(?=\n\S|\Z)", text, re.M)
        named = re.findall(r"^ {4}\**(\w+(?:, \w+)*):", section[1], re.M) if section else []
        named = [name for group in named for name in group.split(", ")]
        assert set(takes) <= set(named), f"{item.name} says nothing of {set(takes) - set(named)}"
        assert set(named) <= {
            *takes,
            *([item.args.kwarg.arg] if item.args.kwarg else []),
            *([item.args.vararg.arg] if item.args.vararg else []),
        }, item.name


def test_files_fit_in_one_reading():
    for folder in ("awl", "demo", "bench", "scripts"):
        for path in (ROOT / folder).rglob("*.py"):
            lines = [line for line in path.read_text().splitlines() if line.strip()]
            assert len(lines) <= 450, f"{path} has {len(lines)} lines"
            assert ast.get_docstring(parsed(path)), f"{path} does not say what it is for"
