"""From raw ways to a street graph.

Ways join only where they share a node: a crossing without one, as under a bridge, stays a crossing. Links are broken at
every shared node, and at every node that carries a barrier or a signal; then chains of like links are merged. Streets that
leave the study area, or run into nodes missing from the extract, end in border nodes.
All steps work on whole arrays and cost O(v log v) in the number v of vertices.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import metres_along, segment_lengths
from awl.core.graph.chains import merge_chains
from awl.core.graph.numbering import numbered_anew
from awl.core.graph.raw import RawExtract
from awl.core.graph.street_graph import StreetGraph, hilbert_order
from awl.core.graph.turns import place_restrictions
from awl.core.progress import Progress

STREET_CLASSES = (
    "motorway", "motorway_link", "trunk", "trunk_link", "primary", "primary_link", "secondary", "secondary_link",
    "tertiary", "tertiary_link", "unclassified", "residential", "living_street", "service", "road", "track",
    "pedestrian", "footway", "cycleway", "path", "steps", "bridleway", "busway", "corridor",
)  # fmt: skip
"""Values of `highway` that are streets one can move on."""
FERRY = "ferry"
"""The class of a ferry route, which the source tags `route=ferry`."""
CONNECTOR = "connector"
"""The class of a link that joins a zone centroid to the streets."""
LINK_CLASSES = (*STREET_CLASSES, FERRY, CONNECTOR)
"""Every class a link may have."""

STREET_KEYS = (
    "highway", "name", "ref", "maxspeed", "maxspeed:forward", "maxspeed:backward", "oneway", "oneway:bicycle", "oneway:foot",
    "junction", "access", "foot", "bicycle", "vehicle", "motor_vehicle", "motorcar", "hgv", "wheelchair", "cycleway",
    "sidewalk", "service", "surface", "smoothness", "tracktype", "lit", "incline", "width", "maxwidth", "maxweight",
    "maxheight", "lanes", "toll", "layer", "bridge", "tunnel", "duration", "gmns_link_id",
)  # fmt: skip
"""Tags carried from the ways to the links; the last holds the ids of a link in the tables it came from, `along;against`."""
JUNCTION_KEYS = (
    "barrier", "highway", "railway", "access", "foot", "bicycle", "wheelchair", "vehicle", "motor_vehicle", "motorcar", "hgv",
    "opening_hours", "maxwidth", "crossing",
)  # fmt: skip
"""Tags carried from the nodes of ways to the nodes of the graph."""
MOST_PLACES = 1000
"""So many places of what was left out are kept in the report."""
SIGNALS = ("traffic_signals", "crossing", "stop", "give_way", "mini_roundabout")
"""Values of `highway` on a node that concern whoever passes it."""


@dataclass
class BuildReport:
    """What came in, what was kept, what was left out and why. Lengths in metres."""

    ways_read: int = 0
    streets_read: int = 0
    ways_not_street: dict[str, int] = field(default_factory=dict)
    nodes: int = 0
    links: int = 0
    length_m: float = 0.0
    border_nodes: int = 0
    references_missing: int = 0
    ways_outside: int = 0
    zero_length_dropped: int = 0
    zero_lengths: list[list[float]] = field(default_factory=list)
    """Way, longitude and latitude of the first of them."""
    nodes_off_earth: int = 0
    """Nodes with impossible coordinates, left out."""
    nodes_off_earth_named: list[list[float]] = field(default_factory=list)
    """Id, longitude and latitude as stated of the first of them."""
    objects_repeated: int = 0
    """Nodes, ways and relations told more than once; the last holds."""
    classes_left_out: dict[str, int] = field(default_factory=dict)
    """Ways left out because their class was not wanted."""
    barriers: dict[str, int] = field(default_factory=dict)
    """Nodes of the graph by kind of barrier, signals and crossings."""
    restrictions: int = 0
    restrictions_not_placed: int = 0
    restrictions_lost: list[list[float]] = field(default_factory=list)
    """Relation, longitude and latitude of the first of them that lie inside the extract."""
    nodes_merged: int = 0
    """Nodes at which nothing happened, taken out by merging chains of like links."""
    length_by_class_m: dict[str, float] = field(default_factory=dict)
    links_by_class: dict[str, int] = field(default_factory=dict)
    share_with_maxspeed: float = 0.0
    share_named: float = 0.0
    share_oneway: float = 0.0
    coast_m: float = 0.0
    coast_disputed_m: float = 0.0
    """Coast beside which no sea is drawn, because coastline and streets contradict each other."""
    links_known: int | None = None
    """Links that keep the ids they had in the study before; none where the streets are new to it."""
    ready: bool = False
    """Whether the source held the graph itself, with ids of its own."""
    left_out: dict[str, int] = field(default_factory=dict)
    """Of ready graphs: rows of tables that could not be used, by what is wrong with them."""
    lines: dict[str, float] = field(default_factory=dict)
    """Of plain lines: what was assumed and what was done to make them meet, as counts; empty for a map extract."""


@dataclass
class _Segments:
    """Consecutive vertex pairs of the street ways: rows of the vertex arrays, and the way each belongs to."""

    a: NDArray[np.int64]
    b: NDArray[np.int64]
    way: NDArray[np.int64]


def street_class(raw: RawExtract) -> tuple[Categorical, NDArray[np.bool_]]:
    """The class of every way (w,), ferries among them, and which ways are streets.

    Parameters:
        raw: the extract as read.
    """
    highway = raw.way_column("highway")
    sails = raw.way_column("route").equals(FERRY) & ~highway.present()
    if sails.any():
        highway = Categorical(
            np.where(sails, len(highway.values), highway.codes).astype(np.int32), (*highway.values, FERRY)
        )
    return highway, highway.isin((*STREET_CLASSES, FERRY)) & ~raw.way_column("area").equals("yes")


def build_graph(
    raw: RawExtract,
    area: shapely.Geometry | None = None,
    progress: Progress | None = None,
    without: Collection[str] = (),
    merge: bool = True,
) -> tuple[StreetGraph, BuildReport]:
    """The street graph of an extract, cut to `area` (a polygon in degrees) when one is given.

    Classes in `without` are left out for good. `merge` takes out nodes at which nothing happens. Raises `AwlError` when no
    street is left.

    Parameters:
        raw: the extract as read.
        area: the study area, a polygon in degrees; None for all of the extract.
        progress: is told how far the work is, and stops it.
        without: classes of streets that are left out for good.
        merge: whether nodes at which nothing happens are taken out.
    """
    progress = progress or Progress()
    report = BuildReport(
        ways_read=raw.ways_seen or len(raw.way_id),
        nodes_off_earth=raw.faults.off_earth,
        nodes_off_earth_named=[list(node) for node in raw.faults.off_earth_nodes],
        objects_repeated=raw.faults.repeated,
    )
    highway, street = street_class(raw)
    raw = replace(raw, way_tags={**raw.way_tags, "highway": highway})
    report.streets_read = int(street.sum())
    for value, count in _counts(highway.take(highway.present() & ~street)).items():
        report.ways_not_street[value] = count
    unwanted = street & highway.isin(without)
    report.classes_left_out = _counts(highway.take(unwanted))
    if street.any() and not (street & ~unwanted).any():
        raise AwlError(
            "Every class of street is left out",
            where=f"{report.streets_read} streets read",
            remedy="Keep at least one class",
            inputs=("classes",),
            kind="no-streets",
        )
    street &= ~unwanted
    if not street.any():
        raise AwlError(
            "The extract holds no street",
            where=f"{len(raw.way_id)} ways read",
            remedy="Give an extract with ways that carry a 'highway' tag",
            kind="no-streets",
        )
    progress.step(0.1, "Joining streets at shared nodes")
    lon, lat, ident = raw.node_lon, raw.node_lat, raw.node_id
    segments, border_rows, report.references_missing = _segments(raw, np.flatnonzero(street))
    if len(segments.a) == 0:
        raise AwlError(
            "No street of the extract has two nodes that are in it",
            where=f"{report.streets_read} streets, {report.references_missing} references to missing nodes",
            remedy="Export the extract with its nodes",
            kind="no-streets",
        )
    if area is not None:
        progress.step(0.3, "Cutting to the study area")
        ways_before = len(np.unique(segments.way))
        segments, lon, lat, ident, cut = _clip(segments, lon, lat, ident, area)
        border_rows = np.concatenate([border_rows, cut])
        report.ways_outside = ways_before - len(np.unique(segments.way))
        if len(segments.a) == 0:
            raise AwlError(
                "No street lies inside the study area",
                where=f"{report.streets_read} streets read",
                remedy="Choose an area that overlaps the extract",
                kind="no-streets",
            )
    progress.step(0.5, "Measuring lengths")
    graph, dropped = _links(segments, lon, lat, ident, border_rows, raw)
    report.zero_length_dropped = len(dropped)
    at = segments.a[dropped[:MOST_PLACES]]
    report.zero_lengths = np.column_stack([raw.way_id[segments.way[dropped[:MOST_PLACES]]], lon[at], lat[at]]).tolist()
    if graph.link_count == 0:
        raise AwlError("Every street of the extract has length zero", remedy="Check the node coordinates")
    turns, lost = place_restrictions(
        raw.restrictions, graph.link_way, graph.link_from, graph.link_to, graph.node_osm_id
    )
    report.restrictions_not_placed = len(lost)
    missing = _missing_ways(raw, {ident for ident, _ in lost})
    # Beyond the edge of an extract members are missing because they lie outside.
    report.restrictions_lost = [
        [ident, float(graph.node_lon[node]), float(graph.node_lat[node]), missing.get(ident, 0)]
        for ident, node in lost
        if node >= 0 and not graph.node_border[node]
    ][:MOST_PLACES]
    graph = replace(graph, restrictions=turns)
    if merge:
        progress.step(0.8, "Merging chains of like links")
        graph, report.nodes_merged = merge_chains(graph)
    graph = numbered_anew(graph)
    fill_report(report, graph)
    progress.step(1.0, "Street graph built")
    return graph, report


def _missing_ways(raw: RawExtract, relations: set[int]) -> dict[int, int]:
    """The first way that turn restrictions name and the extract lacks, by the relation's id."""
    missing: dict[int, int] = {}
    known = set(raw.way_id.tolist()) if relations else set()
    for one in raw.restrictions:
        if one.id in relations:
            lacking = [way for way in (*one.from_ways, *one.via_ways, *one.to_ways) if way not in known]
            missing |= {one.id: lacking[0]} if lacking else {}
    return missing


def _counts(column: Categorical) -> dict[str, int]:
    """How many rows have each value, the commonest first."""
    times = np.bincount(column.codes[column.codes >= 0], minlength=len(column.values))
    return {column.values[code]: int(times[code]) for code in np.argsort(-times, kind="stable") if times[code]}


def _segments(raw: RawExtract, ways: NDArray[np.int64]) -> tuple[_Segments, NDArray[np.int64], int]:
    """Vertex pairs of `ways`; pairs with a node missing from the extract are dropped and their other end is border."""
    refs, start = raw.refs_of(ways)
    rows = raw.vertex_row[refs]
    way = np.repeat(ways, np.diff(start))
    a, b, same = rows[:-1], rows[1:], way[:-1] == way[1:]
    valid = same & (a >= 0) & (b >= 0) & (a != b)
    half = same & ((a >= 0) != (b >= 0))
    border = np.unique(np.maximum(a[half], b[half]))
    return _Segments(a[valid], b[valid], way[:-1][valid]), border, int((rows < 0).sum())


def _clip(
    segments: _Segments,
    lon: NDArray[np.float64],
    lat: NDArray[np.float64],
    ident: NDArray[np.int64],
    area: shapely.Geometry,
) -> tuple[_Segments, NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """Keep the parts of segments inside `area`; where one crosses the edge a new vertex (id 0) is put and returned."""
    shapely.prepare(area)
    inside = shapely.contains_xy(area, lon, lat)
    lines = shapely.linestrings(
        np.stack(
            [
                np.column_stack([lon[segments.a], lat[segments.a]]),
                np.column_stack([lon[segments.b], lat[segments.b]]),
            ],
            axis=1,
        )
    )
    edge = shapely.boundary(area)
    shapely.prepare(edge)
    crosses = shapely.intersects(edge, lines)
    keep = ~crosses & inside[segments.a] & inside[segments.b]
    cross_rows = np.flatnonzero(crosses)
    # A segment that crosses the edge becomes as many pieces as it has parts inside, in order along the segment.
    pieces, owner = shapely.get_parts(shapely.intersection(lines[cross_rows], area), return_index=True)
    linear = shapely.get_type_id(pieces) == shapely.GeometryType.LINESTRING
    pieces, owner = pieces[linear], cross_rows[owner[linear]]
    solid = shapely.length(pieces) > 0
    pieces, owner = pieces[solid], owner[solid]
    first = shapely.get_coordinates(shapely.get_point(pieces, 0))
    last = shapely.get_coordinates(shapely.get_point(pieces, -1))
    origin = np.column_stack([lon[segments.a[owner]], lat[segments.a[owner]]])
    backwards = np.hypot(*(first - origin).T) > np.hypot(*(last - origin).T)
    first[backwards], last[backwards] = last[backwards].copy(), first[backwards].copy()
    goal = np.column_stack([lon[segments.b[owner]], lat[segments.b[owner]]])
    starts_whole = np.all(np.abs(first - origin) < 1e-12, axis=1)
    ends_whole = np.all(np.abs(last - goal) < 1e-12, axis=1)
    new_points = np.concatenate([first[~starts_whole], last[~ends_whole]])
    new_rows = len(lon) + np.arange(len(new_points))
    a, b = segments.a[owner].copy(), segments.b[owner].copy()
    a[~starts_whole] = new_rows[: int((~starts_whole).sum())]
    b[~ends_whole] = new_rows[int((~starts_whole).sum()) :]
    along = np.hypot(*(first - origin).T)
    rows = np.concatenate([np.flatnonzero(keep), owner])
    order = np.lexsort([np.concatenate([np.zeros(int(keep.sum())), along]), rows])
    return (
        _Segments(
            np.concatenate([segments.a[keep], a])[order],
            np.concatenate([segments.b[keep], b])[order],
            segments.way[rows[order]],
        ),
        np.concatenate([lon, new_points[:, 0]]),
        np.concatenate([lat, new_points[:, 1]]),
        np.concatenate([ident, np.zeros(len(new_points), np.int64)]),
        new_rows,
    )


def _links(
    segments: _Segments,
    lon: NDArray[np.float64],
    lat: NDArray[np.float64],
    ident: NDArray[np.int64],
    border_rows: NDArray[np.int64],
    raw: RawExtract,
) -> tuple[StreetGraph, NDArray[np.int64]]:
    """Break runs of segments at shared vertices and measure them; also the first segments of links of no length, dropped."""
    a, b, way = segments.a, segments.b, segments.way
    # A run is a maximal chain of consecutive segments of one way.
    run_start = np.ones(len(a), bool)
    run_start[1:] = (way[1:] != way[:-1]) | (a[1:] != b[:-1])
    run_end = np.append(run_start[1:], True)
    # A vertex passed twice, or at the end of a run, is a node of the graph.
    seen = np.bincount(a, minlength=len(lon)) + np.bincount(b[run_end], minlength=len(lon))
    is_node = seen > 1
    is_node[a[run_start]] = True
    is_node[b[run_end]] = True
    marked, rows_of_tags = _marked_nodes(raw, len(lon))
    is_node |= marked
    link_start = np.flatnonzero(run_start | is_node[a])
    link_end = np.append(link_start[1:], len(a)) - 1
    length = segment_lengths(lon[a], lat[a], lon[b], lat[b])
    total = np.add.reduceat(length, link_start)
    real = total > 0
    dropped = link_start[~real]
    link_start, link_end = link_start[real], link_end[real]

    node_rows = np.unique(np.concatenate([a[link_start], b[link_end]]))
    node_rows = node_rows[hilbert_order(lon[node_rows], lat[node_rows])]
    row_to_node = np.full(len(lon), -1, np.int32)
    row_to_node[node_rows] = np.arange(len(node_rows), dtype=np.int32)
    # Links in the order of their lower end, so that a search touches near memory.
    tail, head = row_to_node[a[link_start]], row_to_node[b[link_end]]
    order = np.lexsort([np.maximum(tail, head), np.minimum(tail, head)])
    link_start, link_end, tail, head = link_start[order], link_end[order], tail[order], head[order]

    counts = link_end - link_start + 2
    shape_start = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    index = np.arange(shape_start[-1]) - np.repeat(shape_start[:-1], counts)
    segment = np.repeat(link_start, counts) + index
    is_last = index == np.repeat(counts, counts) - 1
    vertex = np.where(is_last, b[segment - 1], a[np.minimum(segment, len(a) - 1)])
    step = np.where(index == 0, 0.0, length[segment - 1])
    shape_m = metres_along(step, shape_start)

    link_way_row = way[link_start]
    own_tags = rows_of_tags[node_rows]
    border = np.zeros(len(lon), bool)
    border[border_rows] = True
    graph = StreetGraph(
        node_osm_id=ident[node_rows],
        node_lon=lon[node_rows],
        node_lat=lat[node_rows],
        node_border=border[node_rows],
        node_id=np.arange(1, len(node_rows) + 1, dtype=np.int64),
        link_id=np.arange(1, len(tail) + 1, dtype=np.int64),
        link_from=tail,
        link_to=head,
        link_ways=raw.way_id[link_way_row],
        ways_start=np.arange(len(link_way_row) + 1, dtype=np.int64),
        shape_start=shape_start,
        shape_lon=lon[vertex],
        shape_lat=lat[vertex],
        shape_m=shape_m,
        tags={
            key: column.take(link_way_row).compact()
            for key in STREET_KEYS
            if (column := raw.way_column(key)).take(link_way_row).present().any()
        },
        node_tags={
            key: column.compact()
            for key in JUNCTION_KEYS
            if key in raw.node_tags and (column := _spread(raw.node_tags[key], own_tags)).present().any()
        },
    )
    return graph, dropped


def _marked_nodes(raw: RawExtract, count: int) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """Vertices (count,) that carry a barrier, signal or level crossing, and the row of each one's tags (-1: none)."""
    rows = np.full(count, -1, np.int64)
    marked = np.zeros(count, bool)
    if len(raw.tagged_nodes) == 0:
        return marked, rows
    nothing = Categorical(np.full(len(raw.tagged_nodes), -1, np.int32), ())
    tags = {key: raw.node_tags.get(key, nothing) for key in ("barrier", "highway", "railway")}
    concerned = tags["barrier"].present() | tags["highway"].isin(SIGNALS)
    concerned |= tags["railway"].isin(("level_crossing", "crossing"))
    marked[raw.tagged_nodes[concerned]] = True
    rows[raw.tagged_nodes[concerned]] = np.flatnonzero(concerned)
    return marked, rows


def _spread(column: Categorical, rows: NDArray[np.int64]) -> Categorical:
    """The column at `rows`, without a value where a row is -1."""
    return Categorical(np.where(rows < 0, -1, column.codes[rows]).astype(np.int32), column.values)


def fill_report(report: BuildReport, graph: StreetGraph) -> None:
    """The figures of a finished graph.

    Parameters:
        report: counts and lengths are added to it.
        graph: the street graph.
    """
    length = graph.link_length
    total = float(length.sum())
    highway = graph.tag("highway")
    report.nodes, report.links, report.length_m = graph.node_count, graph.link_count, total
    report.border_nodes = int(graph.node_border.sum())
    report.restrictions = len(graph.restrictions)
    signals = graph.node_tag("highway")
    report.barriers = {
        **_counts(graph.node_tag("barrier")),
        **_counts(Categorical(np.where(graph.node_tag("barrier").present(), -1, signals.codes), signals.values)),
    }
    report.length_by_class_m, report.links_by_class = {}, {}
    metres = np.bincount(highway.codes, weights=length, minlength=len(highway.values))
    links = np.bincount(highway.codes, minlength=len(highway.values))
    for code in np.argsort(-metres):
        report.length_by_class_m[highway.values[code]] = float(metres[code])
        report.links_by_class[highway.values[code]] = int(links[code])

    def share(mask: NDArray[np.bool_]) -> float:
        return float(length[mask].sum() / total)

    report.share_with_maxspeed = share(graph.tag("maxspeed").present())
    report.share_named = share(graph.tag("name").present())
    report.share_oneway = share(graph.tag("oneway").isin(("yes", "true", "1", "-1", "reverse")))
