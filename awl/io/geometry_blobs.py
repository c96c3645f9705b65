"""Geometries as GeoPackage has them: a header with the envelope before well-known binary (OGC 12-128r17, 2.1.3)."""

from __future__ import annotations

import struct
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

POINT, LINE = 1, 2
"""How well-known binary numbers the plainest types."""
TYPE_OF = {0: POINT, 1: LINE}
"""These by the number shapely has for them."""
HEAD = np.dtype([("magic", "S4"), ("srs", "<i4"), ("envelope", "<f8", 4)])
PLAIN = np.dtype([("head", HEAD), ("order", "u1"), ("type", "<u4")])


def envelope(blob: bytes) -> tuple[float, float, float, float]:
    """(min x, min y, max x, max y) of a geometry, from its header where it has one.

    Parameters:
        blob: the geometry.
    """
    if blob[3] & 0x0E == 0x02:
        order = "<" if blob[3] & 1 else ">"
        west, east, south, north = struct.unpack_from(order + "4d", blob, 8)
        return west, south, east, north
    bounds = shapely.bounds(decode([blob])[0])
    return float(bounds[0]), float(bounds[1]), float(bounds[2]), float(bounds[3])


def encode(geometry: NDArray[np.object_]) -> list[bytes | None]:
    """GeoPackage blobs with envelope; None for absent or empty geometries.

    Parameters:
        geometry: geometries (n,).
    """
    empty = shapely.is_empty(geometry) | shapely.is_missing(geometry)
    kinds = shapely.get_type_id(geometry)
    if len(geometry) == 0 or empty.any() or (kinds != kinds[0]).any() or int(kinds[0]) not in TYPE_OF:
        return _of_any_type(geometry, empty)
    xy = shapely.get_coordinates(geometry)
    if TYPE_OF[int(kinds[0])] == POINT:
        points = np.zeros(len(geometry), [*PLAIN.descr, ("xy", "<f8", 2)])
        _put_plain(points, xy[:, [0, 0, 1, 1]], POINT)
        points["xy"] = xy
        return list(_cut(points.tobytes(), points.dtype.itemsize * np.arange(len(geometry) + 1)))
    lines = np.zeros(len(geometry), [*PLAIN.descr, ("count", "<u4")])
    _put_plain(lines, shapely.bounds(geometry)[:, [0, 2, 1, 3]], LINE)
    lines["count"] = count = shapely.get_num_coordinates(geometry)
    heads = _cut(lines.tobytes(), lines.dtype.itemsize * np.arange(len(geometry) + 1))
    bodies = _cut(xy.astype("<f8", copy=False).tobytes(), 16 * np.concatenate([[0], np.cumsum(count)]))
    return [head + body for head, body in zip(heads, bodies, strict=True)]


def _put_plain(rows: NDArray[np.void], envelopes: NDArray[np.float64], kind: int) -> None:
    """Fill in what the plainest types begin with."""
    _put_head(rows["head"], envelopes)
    rows["order"], rows["type"] = 1, kind


def _put_head(heads: NDArray[np.void], envelopes: NDArray[np.float64]) -> None:
    heads["magic"], heads["srs"], heads["envelope"] = b"GP\x00\x03", 4326, envelopes


def _cut(content: bytes, offsets: NDArray[np.integer]) -> list[bytes]:
    """Pieces of bytes between offsets (n + 1,)."""
    at = offsets.tolist()
    return [content[begin:end] for begin, end in zip(at, at[1:])]  # noqa: B905 - the last offset ends the last piece


def _of_any_type(geometry: NDArray[np.object_], empty: NDArray[np.bool_]) -> list[bytes | None]:
    wkb = shapely.to_wkb(geometry, byte_order=1, include_srid=False, output_dimension=2)
    heads = np.zeros(len(geometry), HEAD)
    _put_head(heads, shapely.bounds(geometry)[:, [0, 2, 1, 3]])
    starts = _cut(heads.tobytes(), HEAD.itemsize * np.arange(len(geometry) + 1))
    return [
        None if none else head + body for none, head, body in zip(empty.tolist(), starts, wkb.tolist(), strict=True)
    ]


def decode(blobs: Sequence[bytes | None]) -> NDArray[np.object_]:
    """Shapely geometries from GeoPackage blobs.

    Parameters:
        blobs: the blobs, None where there is none.
    """
    sizes = (0, 32, 48, 48, 64)
    bodies = [None if b is None else b[8 + sizes[(b[3] >> 1) & 7] :] for b in blobs]
    return np.asarray(shapely.from_wkb(np.array(bodies, dtype=object)), dtype=object)
