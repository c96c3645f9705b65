"""The map extract: ways, areas, points and relations numbered as nodes, ways and relations, written as OSM XML or PBF."""

from __future__ import annotations

import bz2
from dataclasses import dataclass, field
from io import StringIO
from pathlib import Path
from xml.sax.saxutils import quoteattr

import numpy as np
import shapely

from awl.io import osm_pbf
from awl.io.osm_pbf.write import Extract, Tags
from demo.land import PLANE
from demo.survey import GRID_M, Way, key

FIRST_NODE, FIRST_WAY, FIRST_RELATION = 7_000_001, 410_001, 90_001
Member = tuple[str, int, str]


@dataclass
class Elements:
    """Everything of an extract before it is numbered. Ways keep their number: way i has the id FIRST_WAY + i.

    A vertex belongs to the node at its place; `apart` names vertices (way, position) that get a node of their own there.
    """

    ways: list[Way] = field(default_factory=list)
    points: dict[tuple[float, float], dict[str, str]] = field(default_factory=dict)
    relations: list[tuple[list[Member], dict[str, str]]] = field(default_factory=list)
    restrictions: list[tuple[list[tuple[str, int | tuple[int, int], str]], dict[str, str]]] = field(
        default_factory=list
    )
    apart: set[tuple[int, int]] = field(default_factory=set)

    def way(self, xy: np.ndarray, tags: dict[str, str]) -> int:
        """Add a way; returns its id."""
        self.ways.append(Way(np.asarray(xy, float), tags))
        return FIRST_WAY + len(self.ways) - 1

    def area(self, shape: shapely.Geometry, tags: dict[str, str]) -> None:
        """Add polygons: a closed way each, or a multipolygon relation when there are holes."""
        for part in shapely.get_parts(shape):
            if part.geom_type != "Polygon" or part.area < 20:
                continue
            outer = np.asarray(part.exterior.coords)
            if not part.interiors:
                self.way(outer, tags)
                continue
            # The outer ring in two halves, as surveyors often leave them.
            half = len(outer) // 2
            members: list[Member] = [
                ("way", self.way(outer[: half + 1], {}), "outer"),
                ("way", self.way(outer[half:], {}), "outer"),
            ]
            members += [("way", self.way(np.asarray(ring.coords), {}), "inner") for ring in part.interiors]
            self.relations.append((members, {"type": "multipolygon", **tags}))

    def point(self, x: float, y: float, **tags: str) -> None:
        """Add a tagged point."""
        self.points.setdefault(key(x, y), {}).update(tags)

    def extract(self, box: tuple[float, float, float, float]) -> Extract:
        """Number what touches the box (west, south, east, north in metres).

        Nodes beyond it are left out, as an extract's edge does; ways keep their references to them. A multipolygon that
        touches it comes whole.
        """
        place, start = self._places()
        _, first, number = np.unique(place, axis=0, return_index=True, return_inverse=True)
        xy = place[first, :2] * GRID_M
        inside = _within(xy, box)
        kept = self._kept_ways(inside, number, start)
        ids = FIRST_NODE + np.arange(len(first))
        where = {(int(a), int(b)): i for i, (a, b, salt) in enumerate(place[first].tolist()) if salt == 0}
        tags: list[dict[str, str]] = [{} for _ in first]
        loose = []
        for spot, found in self.points.items():
            at = where.get((int(spot[0]), int(spot[1])))
            if at is None:
                loose.append((np.array(spot) * GRID_M, found))
            else:
                tags[at] = found
        extra = np.array([spot for spot, _ in loose]).reshape(-1, 2)
        shown = np.flatnonzero(_within(extra, box))
        rows = np.flatnonzero(inside)
        lon, lat = PLANE.lonlat(*np.concatenate([xy[rows], extra[shown]]).T)
        counts = np.diff(start)[kept]
        flat = np.repeat(start[:-1][kept] - np.cumsum(counts) + counts, counts) + np.arange(counts.sum())
        return Extract(
            node_id=np.concatenate([ids[rows], FIRST_NODE + len(first) + shown]),
            node_lon=np.rint(lon * 1e7).astype(np.int64),
            node_lat=np.rint(lat * 1e7).astype(np.int64),
            node_tags=Tags.of([tags[i] for i in rows] + [loose[i][1] for i in shown]),
            way_id=FIRST_WAY + kept,
            way_start=np.concatenate([[0], np.cumsum(counts)]),
            way_refs=ids[number[flat]],
            way_tags=Tags.of([self.ways[i].tags for i in kept]),
            relations=self._numbered(set((FIRST_WAY + kept).tolist()), where, ids),
        )

    def _kept_ways(self, inside: np.ndarray, number: np.ndarray, start: np.ndarray) -> np.ndarray:
        """Rows of the ways that touch the box; nodes of whole multipolygons are marked `inside` too."""
        touches = np.add.reduceat(inside[number].astype(int), start[:-1]) > 0
        for members, _ in self.relations:
            rows = [ref - FIRST_WAY for kind, ref, _ in members if kind == "way"]
            if touches[rows].any():
                touches[rows] = True
                for row in rows:
                    inside[number[start[row] : start[row + 1]]] = True
        return np.flatnonzero(touches)

    def _numbered(
        self, ways: set[int], where: dict[tuple[int, int], int], ids: np.ndarray
    ) -> list[tuple[int, list[Member], dict[str, str]]]:
        """Relations whose members are there, with node members named by place turned into ids."""
        numbered: list[tuple[int, list[Member], dict[str, str]]] = []
        resolved: list[tuple[list[Member], dict[str, str]]] = [
            (
                [(kind, int(ids[where[ref]]) if isinstance(ref, tuple) else ref, role) for kind, ref, role in members],
                tags,
            )
            for members, tags in self.restrictions
        ]
        for members, tags in [*self.relations, *resolved]:
            if all(kind != "way" or ref in ways for kind, ref, _ in members):
                numbered.append((FIRST_RELATION + len(numbered), list(members), tags))
        return numbered

    def _places(self) -> tuple[np.ndarray, np.ndarray]:
        """Rounded places (v, 3) of all vertices, the last column 0 or a number of their own, and way offsets."""
        start = np.concatenate([[0], np.cumsum([len(way.xy) for way in self.ways])])
        xy = np.concatenate([way.xy for way in self.ways])
        place = np.column_stack([np.rint(xy / GRID_M), np.zeros(len(xy))]).astype(np.int64)
        for salt, (way, position) in enumerate(sorted(self.apart), 1):
            place[start[way] + position, 2] = salt
        return place, start


def _within(xy: np.ndarray, box: tuple[float, float, float, float]) -> np.ndarray:
    return (xy[:, 0] >= box[0]) & (xy[:, 1] >= box[1]) & (xy[:, 0] <= box[2]) & (xy[:, 1] <= box[3])


def write_xml(path: Path, extract: Extract) -> None:
    """OSM XML packed with bzip2."""
    out = StringIO()
    out.write('<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6" generator="Ferrow, invented">\n')
    nodes = zip(
        extract.node_id.tolist(),
        extract.node_lat.tolist(),
        extract.node_lon.tolist(),
        _texts(extract.node_tags),
        strict=True,
    )
    for ident, lat, lon, tags in nodes:
        head = f' <node id="{ident}" lat="{lat / 1e7:.7f}" lon="{lon / 1e7:.7f}"'
        out.write(f"{head}>{tags}</node>\n" if tags else f"{head}/>\n")
    refs, start = extract.way_refs.tolist(), extract.way_start.tolist()
    for row, (ident, tags) in enumerate(zip(extract.way_id.tolist(), _texts(extract.way_tags), strict=True)):
        nd = "".join(f'<nd ref="{ref}"/>' for ref in refs[start[row] : start[row + 1]])
        out.write(f' <way id="{ident}">{nd}{tags}</way>\n')
    for ident, members, relation_tags in extract.relations:
        rows = "".join(f'<member type="{kind}" ref="{ref}" role="{role}"/>' for kind, ref, role in members)
        out.write(f' <relation id="{ident}">{rows}{_xml(relation_tags)}</relation>\n')
    out.write("</osm>\n")
    path.write_bytes(bz2.compress(out.getvalue().encode(), 9))


def _texts(tags: Tags) -> list[str]:
    quoted = [quoteattr(text) for text in tags.texts]
    pairs = [f"<tag k={quoted[k]} v={quoted[v]}/>" for k, v in zip(tags.key.tolist(), tags.value.tolist(), strict=True)]
    start = tags.start.tolist()
    return ["".join(pairs[a:b]) for a, b in zip(start[:-1], start[1:], strict=True)]


def _xml(tags: dict[str, str]) -> str:
    return "".join(f"<tag k={quoteattr(k)} v={quoteattr(v)}/>" for k, v in tags.items())


def write_pbf(path: Path, extract: Extract) -> None:
    """OSM PBF."""
    osm_pbf.write(path, extract)
