"""Apache Parquet: columns of numbers and text in one file; with a geometry it is GeoParquet 1.1.

Source of the geometry column and its metadata: https://geoparquet.org/releases/v1.1.0.
"""

from __future__ import annotations

import io
import json
from typing import Any

import pyarrow as pa
import shapely
from pyarrow import parquet

from awl.io.dictionary import data_dictionary
from awl.io.table import Table

ROWS_AT_ONCE = 1 << 18
"""Rows that are compressed together."""


def of_table(table: Table) -> bytes:
    """A table as a file; its geometry, where it has one, in WGS 84 as well-known binary.

    Parameters:
        table: the table.
    """
    arrow = table.arrow()
    fields = {b"fields": json.dumps(data_dictionary(table).records()).encode()}
    if not table.has_geometry:
        # Without a note of the schema, what repeats few texts reads back as text; metadata are part of it.
        return _written(arrow.replace_schema_metadata(fields), store_schema=False)
    kinds = sorted({shape.geom_type for shape in table.geometry if shape is not None})
    about = {"encoding": "WKB", "geometry_types": kinds, "bbox": shapely.total_bounds(table.geometry).tolist()}
    geo = {"version": "1.1.0", "primary_column": "geometry", "columns": {"geometry": about}}
    with_geometry = arrow.append_column("geometry", pa.array(shapely.to_wkb(table.geometry).tolist(), pa.binary()))
    return _written(
        with_geometry.replace_schema_metadata({b"geo": json.dumps(geo).encode(), **fields}), store_schema=True
    )


def _written(table: Any, store_schema: bool) -> bytes:
    out = io.BytesIO()
    few = [field.name for field in table.schema if str(field.type).startswith(("dictionary", "string"))]
    parquet.write_table(
        table, out, compression="zstd", use_dictionary=few, row_group_size=ROWS_AT_ONCE, store_schema=store_schema
    )
    return out.getvalue()
