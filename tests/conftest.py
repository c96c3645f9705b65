"""Fixtures: a small cut of Ferrow as graph and as study. Tests never use the whole town, except in the browser."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest
import shapely
from hypothesis import HealthCheck, settings

from awl.core.graph.build import build_graph
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.io import gdal, geojson, osm_pbf, osm_xml
from awl.io.table import Table
from awl.study import importing
from awl.study.study import Study

# How long an example takes says nothing of whether it holds.
settings.register_profile("awl", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("awl")
LONG = ("tests/browser", "tests/test_wheel", "tests/test_cli", "tests/test_warm")
"""Begun first, so that no worker is left alone with them at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: not item.nodeid.startswith(LONG))


DATA = Path(__file__).parent / "data"
EXTRACT = DATA / "cut.osm.pbf"
"""A small cut of Ferrow: both banks of the river with two bridges and the footbridge, some 2,500 links."""
CUT = shapely.box(-36.2085, 41.2856, -36.1895, 41.2968)
"""The study area of most tests, within it."""


@pytest.fixture
def other_reader() -> Iterator[Callable[[], ModuleType]]:
    """Gives GDAL with all its drivers, as a reader of other makers that judges what Awl wrote."""

    def all_drivers() -> ModuleType:
        pyogrio = gdal.vector_reader()
        pyogrio.set_gdal_config_options({"GDAL_SKIP": None})
        pyogrio._ogr._register_drivers()
        gdal._vector_reader.cache_clear()
        return pyogrio

    yield all_drivers
    gdal.vector_reader()


@pytest.fixture(scope="session")
def raw() -> RawExtract:
    return osm_pbf.read(EXTRACT)


@pytest.fixture(scope="session")
def graph(raw: RawExtract) -> StreetGraph:
    return build_graph(raw, CUT)[0]


@pytest.fixture(scope="session", params=["walk", "drive"])
def network(request: pytest.FixtureRequest, graph: StreetGraph) -> Network:
    return Network.of(graph, SHIPPED[request.param])


@pytest.fixture(scope="session")
def walk(graph: StreetGraph) -> Network:
    return Network.of(graph, SHIPPED["walk"])


def inside_cut(name: str) -> Table:
    """Features of a demo layer that lie wholly within the cut, or are cut to it."""
    layer = geojson.read(DATA / f"{name}.geojson")
    if layer.kind == "point":
        rows = np.flatnonzero(shapely.within(layer.geometry, CUT))
        return layer.take(rows.tolist())
    rows = np.flatnonzero(shapely.area(shapely.intersection(layer.geometry, CUT)) > 1e-6)
    kept = layer.take(rows.tolist())
    return Table(shapely.intersection(kept.geometry, CUT), kept.columns)


@pytest.fixture(scope="session")
def study_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("studies") / "ferrow.gpkg"
    importing.build(EXTRACT, path, CUT, "Ferrow, a cut")
    study = Study(path)
    for name, role in (("zones", "zones"), ("cool_rooms", "places")):
        study.add_layer(name, inside_cut(name), name.replace("_", " ").capitalize(), role, f"{name}.geojson")
    return path


@pytest.fixture(scope="session")
def study(study_file: Path) -> Study:
    """Shared by tests that only read."""
    return Study(study_file)


@pytest.fixture
def own_study(study_file: Path, tmp_path: Path) -> Iterator[Study]:
    """A copy for a test that writes."""
    path = tmp_path / "ferrow.gpkg"
    shutil.copy(study_file, path)
    yield Study(path)


def osm(body: str) -> str:
    """An OSM XML document."""
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6">\n{body}\n</osm>\n'


def node(ident: int, lon: float, lat: float, **tags: str) -> str:
    inner = "".join(f'<tag k="{k}" v="{v}"/>' for k, v in tags.items())
    return f'<node id="{ident}" lon="{lon}" lat="{lat}">{inner}</node>\n'


def way(ident: int, refs: list[int], **tags: str) -> str:
    inner = "".join(f'<nd ref="{ref}"/>' for ref in refs)
    inner += "".join(f'<tag k="{k.replace("__", ":")}" v="{v}"/>' for k, v in tags.items())
    return f'<way id="{ident}">{inner}</way>\n'


@pytest.fixture
def read_osm(tmp_path: Path):  # type: ignore[no-untyped-def]
    """Read OSM XML given as text."""

    def read(body: str) -> RawExtract:
        path = tmp_path / "made.osm"
        path.write_text(osm(body))
        return osm_xml.read(path)

    return read
