"""Reading extracts: against unpacking or parsing the same bytes and doing nothing, and from file to stored study."""

from __future__ import annotations

import bz2
import json
import subprocess
import sys
import tempfile
from pathlib import Path
from xml.parsers import expat

import numpy as np
import shapely

from awl.core.columns import Categorical
from awl.core.geodesy import LocalPlane
from awl.core.graph.build import build_graph
from awl.core.graph.lines import LineStreets, raw_of_lines
from awl.io import osm_pbf, osm_xml
from awl.io.osm_pbf import blobs
from awl.shipped import SOURCE
from bench.measure import Row, medians
from demo.regions import make_region

CACHE = Path(".cache")
STORE_SECONDS, STORE_GB = 60.0, 3.0
"""Bounds for a region of a million nodes, from PBF to stored street graph."""


def region(nodes: int, barriers: bool = False) -> Path:
    """A region of about that many graph nodes as PBF; made once and kept."""
    CACHE.mkdir(exist_ok=True)
    path = CACHE / f"region-{nodes}{'-barriers' * barriers}.osm.pbf"
    if not path.exists():
        osm_pbf.write(path, make_region(nodes, barriers))
    return path


def inflate(path: Path) -> int:
    """Unpack every blob of a PBF file and do nothing; bytes unpacked."""
    total = 0
    with path.open("rb") as stream:
        for blob in blobs.index(stream, path.stat().st_size, path.name):
            total += len(blobs.unpack(blobs.packed_bytes(stream, blob), blob.offset, path.name))
    return total


def reading_xml() -> list[Row]:
    """The XML extract of Ferrow against a bare XML parser."""
    path = SOURCE / "demo" / "data" / "ferrow.osm.bz2"

    def bare() -> None:
        parser = expat.ParserCreate()
        parser.StartElementHandler = lambda name, attributes: None
        parser.EndElementHandler = lambda name: None
        parser.Parse(bz2.decompress(path.read_bytes()), True)

    raw = osm_xml.read(path)
    ours, theirs, built = medians(lambda: osm_xml.read(path), bare, lambda: build_graph(raw), rounds=3)
    return [
        Row("Ferrow: read OSM XML; bound: bare XML parse", ours, theirs, "of the bound's speed"),
        Row("Ferrow: streets to graph; bound: reading the XML", built, ours, "x faster"),
    ]


def reading_pbf(nodes: int, rounds: int) -> list[Row]:
    """A PBF extract against inflating the same blobs on one thread."""
    path = region(nodes) if nodes else SOURCE / "demo" / "data" / "ferrow.osm.pbf"
    name = f"{nodes / 1e6:g}M-node region" if nodes else "Ferrow"
    ours, bound = medians(lambda: osm_pbf.read(path), lambda: inflate(path), rounds=rounds)
    return [Row(f"{name}: read PBF; bound: inflate alone", ours, bound, f"x (takes {ours / bound:.1f} x the bound)")]


FERROW_SECONDS = 8.0
"""Bound for the whole demo city."""
JOIN_SECONDS = 30.0
"""Bound for breaking and joining 300,000 plain lines."""


def joining(count: int) -> list[Row]:
    """Plain lines of a jittered lattice, in no order, broken and joined: against the bound.

    Each passes one crossing unbroken and ends on another line or at its end.
    """
    rng = np.random.default_rng(4)
    side = 2 * int(np.sqrt(count) / 2 + 1) + 1
    spots = np.stack(np.meshgrid(np.arange(side) * 90.0, np.arange(side) * 90.0), -1) + rng.normal(
        0, 8, (side, side, 2)
    )
    across = np.stack([spots[:, :-2:2], spots[:, 1:-1:2], spots[:, 2::2]], axis=2).reshape(-1, 3, 2)
    along = np.stack([spots[:-2:2], spots[1:-1:2], spots[2::2]], axis=2).reshape(-1, 3, 2)
    lines = LocalPlane(-36.2, 41.3).unproject(shapely.linestrings(rng.permutation(np.concatenate([across, along]))))
    classes = {"highway": Categorical.of(["residential"] * len(lines))}
    streets = LineStreets(lines, classes, np.zeros(len(lines), np.int64), np.arange(1, len(lines) + 1))
    (ours,) = medians(lambda: raw_of_lines(streets, 0.5), rounds=1)
    return [
        Row(
            f"{len(lines):,} plain lines broken and joined (bound {JOIN_SECONDS:g} s)",
            ours,
            JOIN_SECONDS,
            "of the bound",
        )
    ]


def storing(nodes: int) -> list[Row]:
    """From PBF to stored street graph in a process of its own, with its peak of memory."""
    code = (
        "import json, sys, time; from pathlib import Path; from awl.study import importing; from bench.measure import peak_gb\n"
        "began = time.perf_counter(); importing.build(Path(sys.argv[1]), Path(sys.argv[2]))\n"
        "print(json.dumps([time.perf_counter() - began, peak_gb()]))"
    )
    with tempfile.TemporaryDirectory() as folder:
        source = region(nodes) if nodes else SOURCE / "demo" / "data" / "ferrow.osm.pbf"
        words = [sys.executable, "-c", code, str(source), f"{folder}/region.gpkg"]
        seconds, peak = json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)
    if not nodes:
        what = f"Ferrow: PBF to stored street graph (bound {FERROW_SECONDS:g} s)"
        return [Row(what, seconds, FERROW_SECONDS, "of the bound")]
    what = f"{nodes / 1e6:g}M-node region: PBF to stored street graph, peak {peak:.1f} GB"
    what += f" (bound {STORE_SECONDS:g} s and {STORE_GB:g} GB a million)"
    return [Row(what, seconds, STORE_SECONDS * nodes / 1e6, "of the bound")]
