"""Values, files and bodies that are wrong in the ways that software is usually wrong about."""

from __future__ import annotations

import bz2
import gzip
import io
import json
import random
import zipfile
from functools import cache
from typing import Any

DEEP = 2000


def deep(depth: int) -> Any:
    value: Any = 1
    for _ in range(depth):
        value = [value]
    return value


VALUES: list[Any] = [
    None, True, False, 0, 1, -1, 99999, 2**31, 2**53 + 1, 2**63, -(2**63) - 1, 2**64, 1e308, -1e308, 1e-320, float("nan"),
    float("inf"), "", " ", "x", "x" * 5000, "0", "-1", "1e400", "\ud800", "\x00", "\u202e", "é" * 300,
    "<script>alert(1)</script>",
    "'; DROP TABLE zones; --", "../../../etc/passwd", "/etc/passwd", "%s%n", "{{7*7}}", "=1+1", "zones", "cool_rooms", "walk",
    [], {}, [None], [[]], [{}], {"": ""}, [1, 2], [[1, 2]], [1e9, 1e9], [[181.0, 91.0]], {"layer": "zones"}, {"layer": "none"},
    {"layer": "zones", "where": "NOT " * 400 + "fid = 1"}, {"answer": "main"}, {"name": "\ud800"}, {"type": "Point"},
    {"type": "Point", "coordinates": [1e400, 0]}, {"type": "Polygon", "coordinates": [[[0, 0], [1, 1]]]},
    {"type": "FeatureCollection", "features": [{}]}, {"type": "FeatureCollection", "features": [[1]] * 3}, list(range(2000)),
    deep(40),
]  # fmt: skip
FILTERS = [
    "fid > 9223372036854775808", "fid = -9223372036854775809", "NOT " * 500 + "fid = 1", "fid = 1" + " OR fid = 1" * 400,
    "-fid > 1", "name LIKE 5", "name LIKE '%'", "1 + 1", "fid IN ()", "fid = 'x'", "(" * 900, "fid / 0 > 1", "fid IS NULL",
    "''",
    '"fid" = 1', '"rowid" = 1', "sqlite_master = 1", "\ud800 = 1", "fid = 1; DROP TABLE zones", "fid BETWEEN 1 AND NULL",
    "1e999 > fid", "CASEI(name) = 'x'", "fid = " + "1+" * 1900 + "1",
]  # fmt: skip


def raw_bodies() -> list[bytes]:
    """Bodies that are not what they say."""
    nested = b'{"inputs":' + b"[" * DEEP + b"]" * DEEP + b"}"
    return [b"", b"{", b"null", b"[]", b'"x"', b"\xff\xfe", b"{}" * 2, nested, b'{"inputs": {"limits": [NaN]}}', b'{"a":1e999}',
            b'{"question":"\\ud800","inputs":{"places":{"layer":"cool_rooms"}}}', b'{"inputs":{"inputs":{}}}']  # fmt: skip


def zipped(members: dict[str, bytes]) -> bytes:
    """An archive of files."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


POINT = {"type": "Point", "coordinates": [-36.2, 41.29]}


def _features(*properties: Any, crs: Any = None) -> bytes:
    features = [{"type": "Feature", "properties": one, "geometry": POINT} for one in properties]
    document = {"type": "FeatureCollection", "features": features}
    return json.dumps(document if crs is None else {**document, "crs": crs}).encode()


VRT = b'<OGRVRTDataSource><OGRVRTLayer name="s"><SrcDataSource>/etc/passwd</SrcDataSource></OGRVRTLayer></OGRVRTDataSource>'


@cache
def files() -> dict[str, bytes]:
    """Files by name, none of them sound; made once, to be read alone."""
    star = [[(index * 7919 % 97) / 970 - 36.2, (index * 104729 % 89) / 890 + 41.29] for index in range(400)]
    crossing = {"type": "Polygon", "coordinates": [[*star, star[0]]]}
    return {
        "list.geojson": _features([1, 2]), "text.geojson": _features("abc"), "crs.geojson": _features({},
        crs={"properties": 5}),
        "huge.geojson": _features({"a": 2**64}), "deep.geojson": _features({"a": deep(900)}), "none.geojson": _features(),
        "star.geojson": json.dumps({"type": "Feature", "properties": {}, "geometry": crossing}).encode(),
        "surrogate.geojson": _features({"a": "\ud800"}),
        "empty.csv": b"", "head.csv": b"lon,lat\n", "huge.csv": b"lon,lat,a\n-36.2,41.29,18446744073709551616\n",
        "brackets.csv": b"lon,lat,a\n-36.2,41.29," + b"[" * 100_000 + b"\n", "zero.csv": b"lon,lat\n\x00\x00,\x00\n",
        "wide.csv": b",".join(b"c%d" % index for index in range(3000)) + b"\n" + b",".join([b"1"] * 3000),
        "ways.osm": b'<osm version="0.6"><way id="1"><nd ref="1"/><nd ref="2"/><tag k="highway" v="residential"/></way></osm>',
        "deep.osm": b"<osm>" + b"<a>" * 20_000, "entity.osm": b'<!DOCTYPE osm [<!ENTITY x SYSTEM "file:///etc/passwd">]><osm>&x;</osm>',
        "bomb.osm.bz2": bz2.compress(b"<osm>" + b" " * (40 << 20)), "bomb.osm.gz": gzip.compress(b"<osm>" + b"\n" * (40 << 20)),
        "cut.osm.pbf": b"\x00\x00\x00\x0d\x0a\x09OSMHeader\x18\x7f", "a.gpkg": VRT, "a.fgb": VRT, "a.shp": VRT, "a.tif": VRT,
        "a.zip": zipped({"a.shp": VRT, "a.dbf": b"", "a.shx": b""}), "out.zip": zipped({"../../out.csv": b"a"}),
        "bomb.zip": zipped({"link.csv": b"1,1,2\n" * 3_000_000, "node.csv": b"node_id\n1\n"}),
        "many.zip": zipped({f"{index}.txt": b"" for index in range(1200)}), "a.kml": b"<kml><Document/></kml>", "a.gpx": b"<gpx>",
        "a.xlsx": zipped({"xl/workbook.xml": b"<x/>"}), "a.parquet": b"PAR1PAR1", "a.omx": b"\x89HDF\r\n\x1a\n",
        "a.json": b"[" * 5000,
        "feed.zip": zipped({"stops.txt": b"stop_id\n1\n", "trips.txt": b"", "stop_times.txt": b"", "routes.txt": b""}),
        "a.osc": b"<osmChange><modify><node id='99999999999999999999'/></modify></osmChange>",
        "a.poly": b"x\n1\n1e999 0\nEND\nEND\n",
        "\ud800.csv".encode("utf-8", "replace").decode(): b"lon,lat\n1,2\n", "noending": b"x", ".gpkg": b"SQLite format 3\0",
    }  # fmt: skip


def mutated(document: Any, random_: random.Random) -> Any:
    """A document with one of its values put wrong, taken away, or doubled."""
    places: list[tuple[Any, Any]] = []

    def collect(value: Any) -> None:
        for key in value if isinstance(value, dict) else range(len(value)) if isinstance(value, list) else ():
            places.append((value, key))
            collect(value[key])

    copy = json.loads(json.dumps(document))
    collect(copy)
    if not places or random_.random() < 0.05:
        return random_.choice(VALUES)
    holder, key = random_.choice(places)
    kind = random_.random()
    if kind < 0.12 and isinstance(holder, dict):
        del holder[key]
    elif kind < 0.2 and isinstance(holder, dict):
        holder[str(random_.choice(["", "x", "\ud800", "__proto__", "fid", "geom"]))] = random_.choice(VALUES)
    elif kind < 0.3 and isinstance(holder[key], str):
        holder[key] = random_.choice(FILTERS)
    elif kind < 0.34:
        holder[key] = [holder[key]] * 300
    else:
        holder[key] = random_.choice(VALUES)
    return copy
