"""Zone centroids of a study joined to its streets: where they lie, what number each has, and the graph that results."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.connectors import ConnectorReport, attach, detach, whole_streets
from awl.io.table import Table
from awl.study.study import Study

MAX_NEAREST = 12


def connect(
    study: Study,
    zones: str,
    nearest: int = 1,
    number_field: str | None = None,
    people: str | None = None,
    people_field: str | None = None,
) -> tuple[ConnectorReport, int]:
    """Join the zones of a layer to their nearest streets, in place of connectors made before.

    A zone's point is its middle or, with `people` (a population raster, or a layer of points or polygons, counted by
    `people_field`), the mean place of its people. Zones are numbered by a field, or on from 1 where nodes leave room. Returns
    the report and how many zones have no people, whose middle was taken.
    """
    if not 1 <= nearest <= MAX_NEAREST:
        raise AwlError(
            f"{nearest} connectors per zone are not sensible", remedy=f"Give 1 to {MAX_NEAREST}", inputs=("nearest",)
        )
    layer = study.read_layer(zones, name="zones")
    if layer.kind == "line" or layer.kind == "mixed":
        raise AwlError(f"'{zones}' holds {layer.kind} features", remedy="Choose zones or places", inputs=("zones",))
    graph = detach(study.graph)
    number = _numbers(layer, number_field, graph.node_id, zones)
    lon, lat, empty = _points(study, layer, people, people_field)
    joined, report = attach(graph, lon, lat, number, nearest)
    study.set_graph(joined)
    return report, empty


def disconnect(study: Study) -> None:
    """Take the connectors out again; streets broken for them are whole again."""
    streets = whole_streets(study.graph)
    if streets is study.graph:
        raise AwlError("The streets have no connectors", status=409, kind="no-connectors")
    study.set_graph(streets)


def _numbers(layer: Table, field: str | None, taken: NDArray[np.int64], zones: str) -> NDArray[np.int64]:
    if field is not None:
        if field not in layer.columns:
            raise _no_field(layer, zones, field, "number")
        values = layer.columns[field]
        if values.kind != "integer" or values.gaps.any() or min(values, default=1) <= 0:
            raise AwlError(
                f"Not every '{field}' is a whole number above 0", remedy="Choose another field", inputs=("number",)
            )
        return np.array(values, np.int64)
    free = int(taken.min()) > len(layer)
    first = 1 if free else int(taken.max()) + 1
    return np.arange(first, first + len(layer), dtype=np.int64)


def _points(
    study: Study, layer: Table, people: str | None, field: str | None
) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Where each zone is joined, and how many zones have no people to say so."""
    middle = shapely.get_coordinates(shapely.point_on_surface(layer.geometry))
    lon, lat = middle[:, 0].copy(), middle[:, 1].copy()
    if people is None:
        return lon, lat, 0
    at_lon, at_lat, count = _people(study, people, field)
    zone, row = shapely.STRtree(shapely.points(at_lon, at_lat)).query(layer.geometry, predicate="contains")
    total = np.bincount(zone, weights=count[row], minlength=len(layer))
    known = total > 0
    for out, values in ((lon, at_lon), (lat, at_lat)):
        weighed = np.bincount(zone, weights=count[row] * values[row], minlength=len(layer))
        out[known] = weighed[known] / total[known]
    return lon, lat, int((~known).sum())


def _people(study: Study, ident: str, field: str | None) -> tuple[Any, Any, NDArray[np.float64]]:
    """Places of people and how many are at each."""
    if any(entry["id"] == ident for entry in study.rasters()):
        return study.raster(ident).centres()
    layer = study.read_layer(ident, name="people")
    xy = shapely.get_coordinates(shapely.point_on_surface(layer.geometry))
    if field is None:
        return xy[:, 0], xy[:, 1], np.ones(len(layer))
    if field not in layer.columns:
        raise _no_field(layer, ident, field, "people_field")
    if not layer.columns[field].is_numeric:
        raise AwlError(f"'{field}' holds text, not numbers", inputs=("people_field",))
    return xy[:, 0], xy[:, 1], np.maximum(np.nan_to_num(layer.columns[field].numbers()), 0.0)


def _no_field(layer: Table, ident: str, field: str, name: str) -> AwlError:
    return AwlError(
        f"'{ident}' has no field '{field}'", remedy=f"Fields are: {', '.join(layer.columns)}", inputs=(name,)
    )
