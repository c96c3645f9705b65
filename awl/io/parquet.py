"""Apache Parquet: columns of numbers and text in one file; with a geometry it is GeoParquet 1.1.

Source of the geometry column and its metadata: https://geoparquet.org/releases/v1.1.0.
"""

from __future__ import annotations

import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.io.table import Indexed, Layer, Rows

ROWS_AT_ONCE = 1 << 18
"""Rows that are compressed together."""
Columns = Mapping[str, NDArray[Any] | list[Any] | Indexed]


def of_columns(columns: Columns) -> bytes:
    """A table from columns of one length; what is masked is null."""
    return _written(columns)


def of_rows(rows: Sequence[dict[str, Any]]) -> bytes:
    """A table from records; its columns are the union of their keys in order of appearance."""
    names = dict.fromkeys(key for row in rows for key in row)
    return _written({name: [row.get(name) for row in rows] for name in names})


def of_table(table: Rows) -> bytes:
    """A table of columns."""
    return _written(table.columns)


def of_layer(layer: Layer) -> bytes:
    """A layer in WGS 84, its geometry as well-known binary."""
    kinds = sorted({shape.geom_type for shape in layer.geometry if shape is not None})
    about = {"encoding": "WKB", "geometry_types": kinds, "bbox": shapely.total_bounds(layer.geometry).tolist()}
    geo = {"version": "1.1.0", "primary_column": "geometry", "columns": {"geometry": about}}
    shapes = shapely.to_wkb(layer.geometry).tolist()
    return _written({**layer.columns, "geometry": shapes}, {b"geo": json.dumps(geo).encode()})


def _written(columns: Columns, about: dict[bytes, bytes] | None = None) -> bytes:
    from pyarrow import parquet

    table = arrow_table(columns)
    out = io.BytesIO()
    few = [field.name for field in table.schema if str(field.type).startswith(("dictionary", "string"))]
    # Without a note of the schema, what repeats few texts reads back as text; metadata are part of it.
    parquet.write_table(
        table.replace_schema_metadata(about) if about else table, out, compression="zstd", use_dictionary=few,
        row_group_size=ROWS_AT_ONCE, store_schema=about is not None,
    )  # fmt: skip
    return out.getvalue()


def arrow_table(columns: Columns) -> Any:
    """Columns as an Arrow table."""
    import pyarrow as pa

    return pa.table({name: _column(values) for name, values in columns.items()})


def _column(values: NDArray[Any] | list[Any] | Indexed) -> Any:
    """As Arrow takes it; a list of mixed kinds becomes text, an absent number null."""
    import pyarrow as pa

    if isinstance(values, Indexed):
        return pa.DictionaryArray.from_arrays(pa.array(values.rows), _column(values.values))
    if isinstance(values, np.ndarray) and values.dtype == np.float64 and not isinstance(values, np.ma.MaskedArray):
        return pa.array(values, from_pandas=bool(np.isnan(values).any()))  # without absent numbers nothing is copied
    if isinstance(values, np.ma.MaskedArray):
        return pa.array(values.data, mask=np.ma.getmaskarray(values))
    if isinstance(values, np.ndarray) and values.dtype != object:
        return pa.array(values)
    kinds = {type(value) for value in values if value is not None}
    if kinds == {int, float}:
        return pa.array(list(values), pa.float64())
    if len(kinds) <= 1 and not kinds & {list, dict}:
        return pa.array(list(values))
    return pa.array([None if value is None else str(value) for value in values])
