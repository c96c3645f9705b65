"""Streets and layers of a study in open formats."""

from __future__ import annotations

from datetime import datetime

from awl.core.errors import AwlError
from awl.io import csv_table, geojson, geopackage, gmns, graph_tables, parquet, xlsx
from awl.io.table import Table
from awl.study.study import Study

LAYER_ENDINGS = ("geojson", "csv", "xlsx", "parquet", "gpkg")


def gmns_tables(study: Study, mode: str, when: datetime | None = None) -> dict[str, str]:
    """The GMNS files of a mode, by name; in free flow or at an hour."""
    return gmns.tables(study.network(mode, when))


def graph_bytes(study: Study, mode: str, ending: str, when: datetime | None = None) -> bytes:
    """The street graph with the costs of a mode in each direction, as GeoPackage or GeoJSON; in free flow or at an hour."""
    graph, network = study.graph, study.network(mode, when)
    if ending == "geojson":
        return geojson.encoded(graph_tables.collection_of(graph, network))
    if ending != "gpkg":
        raise AwlError(f"'{ending}' is not a format of the street graph", remedy="Choose gmns, gpkg or geojson")
    tables = {
        "nodes": graph_tables.node_table(graph),
        "streets": graph_tables.link_table(graph, network),
        "restrictions": graph_tables.restriction_table(graph),
    }
    return geopackage.bytes_of({name: layer for name, layer in tables.items() if len(layer)})


def layer_bytes(layer: Table, ident: str, ending: str) -> bytes:
    """A layer as a file in the format an ending names.

    Raises:
        AwlError: layers are not written in that format.
    """
    if ending == "geojson":
        return geojson.encoded(layer)
    if ending == "csv":
        return csv_table.of_table(layer)
    if ending == "xlsx":
        return xlsx.of_table(layer)
    if ending == "parquet":
        return parquet.of_table(layer)
    if ending == "gpkg":
        return geopackage.bytes_of({ident: layer})
    raise AwlError(
        f"'{ending}' is not a format Awl writes layers in",
        remedy=f"Choose {', '.join(LAYER_ENDINGS[:-1])} or {LAYER_ENDINGS[-1]}",
        inputs=("format",),
    )
