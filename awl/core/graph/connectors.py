"""Zone centroids joined to the streets: each by connectors, straight links, to the nearest points of the nearest streets.

A street is broken where a connector meets it. Connectors are links of the class `connector`, so that modes give them a speed and
every answer can tell them apart. Source of the practice: any four-step demand model; centroids load onto the network midway
along streets, not at crossings.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.columns import MISSING, Categorical
from awl.core.errors import AwlError
from awl.core.geodesy import metres_along, segment_lengths
from awl.core.graph.build import CONNECTOR, FERRY
from awl.core.graph.chains import merge_chains
from awl.core.graph.shapes import cut_vertices
from awl.core.graph.street_graph import StreetGraph, ragged_rows
from awl.core.graph.turns import TurnRestrictions

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
FIRST_SEARCH_M, FARTHEST_M = 250.0, 5000.0
NEAR_END_M = 1.0
"""A connector that meets a street this close to its end meets the node."""
UNFIT = ("motorway", "motorway_link", "trunk", "trunk_link", FERRY, CONNECTOR)
"""Classes nobody lives on: they get no connector."""


@dataclass(frozen=True)
class ConnectorReport:
    """What was attached: centroids, connectors, their mean length in metres, and the rows of points that lie too far off."""

    centroids: int
    connectors: int
    mean_m: float
    too_far: NDArray[np.int64]


def attach(
    graph: StreetGraph, lon: Floats, lat: Floats, number: Ints, nearest: int = 1
) -> tuple[StreetGraph, ConnectorReport]:
    """The graph with a node for each point (k,), numbered `number`, joined to its `nearest` streets.

    Raises `AwlError` when a number is taken or given twice, or no point lies near a street. O((k + m) log m).

    Parameters:
        graph: the street graph.
        lon: longitudes (k,) in degrees.
        lat: latitudes (k,) in degrees.
        number: the number (k,) that each new node gets.
        nearest: how many streets each point is joined to.
    """
    taken = np.intersect1d(number, graph.node_id)
    if len(taken) or len(np.unique(number)) < len(number):
        what = f"{len(taken)} number(s) of zones are numbers of nodes already, the first is {taken[0]}" if len(taken) else (
            "Two zones have the same number"
        )  # fmt: skip
        raise AwlError(
            what,
            remedy="Number the nodes from a higher start, or choose another number field",
            inputs=("number",),
            kind="broken-numbering",
        )
    if graph.drawn:
        raise AwlError("A drawing without geography has no nearest streets", remedy="Use streets with coordinates")
    point, link, fraction = _nearest_streets(graph, lon, lat, nearest)
    if len(point) == 0:
        raise AwlError(
            f"No zone lies within {FARTHEST_M / 1000:g} km of a street",
            remedy="Check the layer",
            kind="no-place-on-street",
        )
    # The places where streets are broken get ids beyond those of the points.
    highest = max(graph.next_node_id - 1, int(number.max())), graph.next_link_id - 1
    split, joint = split_links(replace(graph, highest_ids=highest), link, fraction)
    used = np.unique(point)
    first = split.node_count
    row_of = np.zeros(len(lon), np.int64)
    row_of[used] = first + np.arange(len(used))
    result = _with_nodes(split, lon[used], lat[used], number[used])
    result, metres = _with_links(result, row_of[point], joint)
    far = np.setdiff1d(np.arange(len(lon)), used)
    return result.in_space_order(), ConnectorReport(len(used), len(point), float(metres.mean()), far)


def detach(graph: StreetGraph) -> StreetGraph:
    """The graph without its connectors and their centroids.

    Parameters:
        graph: the street graph.
    """
    is_street = ~graph.tag("highway").equals(CONNECTOR)
    if is_street.all():
        return graph
    links = np.flatnonzero(is_street)
    node_used = np.zeros(graph.node_count, bool)
    node_used[graph.link_from[links]] = node_used[graph.link_to[links]] = True
    node_of = (np.cumsum(node_used) - 1).astype(np.int32)
    link_of = (np.cumsum(is_street) - 1).astype(np.int32)
    columns = graph.link_columns(links)
    return replace(
        graph,
        **graph.node_columns(node_used),
        **columns
        | {
            "link_from": node_of[columns["link_from"]],
            "link_to": node_of[columns["link_to"]],
            "tags": {key: column.compact() for key, column in columns["tags"].items()},
        },
        restrictions=graph.restrictions.renumbered(link_of, node_of),
        highest_ids=(graph.next_node_id - 1, graph.next_link_id - 1),
    )


def whole_streets(graph: StreetGraph) -> StreetGraph:
    """The graph without its connectors, and with the streets whole again that were broken for them.

    Parameters:
        graph: the street graph.
    """
    bare = detach(graph)
    return graph if bare is graph else merge_chains(bare)[0].in_space_order()


def _nearest_streets(graph: StreetGraph, lon: Floats, lat: Floats, nearest: int) -> tuple[Ints, Ints, Floats]:
    """Rows of points, and the link and fraction along it of each of their nearest streets."""
    links = np.flatnonzero(~graph.tag("highway").isin(UNFIT))
    lines = graph.lines_xy[links]
    tree = shapely.STRtree(lines)
    points = shapely.points(*graph.plane.xy(lon, lat))
    remaining, reach = np.arange(len(points)), FIRST_SEARCH_M
    blocks: list[tuple[Ints, Ints]] = []
    while len(remaining) and reach <= FARTHEST_M * 2:
        hit, street = tree.query(points[remaining], predicate="dwithin", distance=min(reach, FARTHEST_M))
        enough = np.bincount(hit, minlength=len(remaining)) >= nearest
        last = reach >= FARTHEST_M
        chosen = np.ones(len(hit), bool) if last else enough[hit]
        blocks.append((remaining[hit[chosen]], street[chosen]))
        remaining, reach = (remaining[:0] if last else remaining[~enough]), reach * 2
    point = np.concatenate([rows for rows, _ in blocks])
    street = np.concatenate([rows for _, rows in blocks])
    away = shapely.distance(points[point], lines[street])
    order = np.lexsort((street, away, point))
    point, street = point[order], street[order]
    nth = np.arange(len(point)) - np.searchsorted(point, point)
    point, street = point[nth < nearest], street[nth < nearest]
    along = shapely.line_locate_point(lines[street], points[point], normalized=True)
    return point, links[street], along


def split_links(graph: StreetGraph, link: Ints, fraction: Floats) -> tuple[StreetGraph, Ints]:
    """The graph with links broken at fractions of their length (k,), and the node at each of these places.

    Places at the same spot share a node; one within a metre of an end is the node there. The first piece of a link keeps its id.

    Parameters:
        graph: the street graph.
        link: rows (k,) of links.
        fraction: fractions (k,) of the length of each link, from its begin.
    """
    at = fraction * graph.link_length[link]
    at = np.where(
        at <= NEAR_END_M, 0.0, np.where(at >= graph.link_length[link] - NEAR_END_M, graph.link_length[link], at)
    )
    inner = (at > 0) & (at < graph.link_length[link])
    joint = np.where(at <= 0, graph.link_from[link], graph.link_to[link]).astype(np.int64)
    spots = np.unique(np.column_stack([link[inner].astype(float), np.round(at[inner], 3)]), axis=0)
    where = {(int(row), metres): graph.node_count + i for i, (row, metres) in enumerate(spots.tolist())}
    for i in np.flatnonzero(inner):
        joint[i] = where[int(link[i]), float(np.round(at[i], 3))]
    if len(spots) == 0:
        return graph, joint
    cut_link, share = spots[:, 0].astype(np.int64), spots[:, 1] / graph.link_length[spots[:, 0].astype(np.int64)]
    pieces = 1 + np.bincount(cut_link, minlength=graph.link_count)
    source = np.repeat(np.arange(graph.link_count), pieces)
    first = np.cumsum(pieces) - pieces
    # Cuts are in link order, so they fill the inner ends of the pieces in order.
    begin, end = np.zeros(len(source)), np.ones(len(source))
    inner_end = np.ones(len(source), bool)
    inner_end[first + pieces - 1] = False
    inner_begin = np.ones(len(source), bool)
    inner_begin[first] = False
    end[inner_end], begin[inner_begin] = share, share
    tail, head = graph.link_from[source].astype(np.int64), graph.link_to[source].astype(np.int64)
    new = graph.node_count + np.arange(len(spots))
    head[inner_end], tail[inner_begin] = new, new
    vertices, start = cut_vertices(graph, source.astype(np.int32), begin, end)
    steps = np.zeros(len(vertices))
    steps[1:] = segment_lengths(vertices[:-1, 0], vertices[:-1, 1], vertices[1:, 0], vertices[1:, 1])
    steps[start[:-1]] = 0.0
    way_rows, ways_start = ragged_rows(graph.ways_start, source)
    spot = vertices[start[1:][inner_end] - 1]
    result = _with_nodes(graph, spot[:, 0], spot[:, 1], graph.next_node_id + np.arange(len(spots)))
    ids = graph.link_id[source]
    later = np.flatnonzero(inner_begin)
    ids[later] = graph.next_link_id + np.arange(len(later))
    result = replace(
        result,
        link_id=ids,
        link_from=tail.astype(np.int32),
        link_to=head.astype(np.int32),
        link_ways=graph.link_ways[way_rows],
        ways_start=ways_start,
        shape_start=start,
        shape_lon=vertices[:, 0].copy(),
        shape_lat=vertices[:, 1].copy(),
        shape_m=metres_along(steps, start),
        tags={key: column.take(source) for key, column in graph.tags.items()},
        costs={key: pair[source] * (end - begin)[:, None] for key, pair in graph.costs.items()},
        restrictions=_moved_turns(graph, first, pieces),
    )
    return result, joint


def _moved_turns(graph: StreetGraph, first: Ints, pieces: Ints) -> TurnRestrictions:
    """Restrictions on the pieces: the piece at the via node, and the piece where the chain between ends."""
    moved = []
    for p in graph.restrictions.rows():
        node = p.via_node
        into = _piece_at(graph, first, pieces, p.from_link, node)
        between: list[int] = []
        for link in p.via_links:
            pieces_of_link = list(range(first[link], first[link] + pieces[link]))
            along = graph.link_from[link] == node
            between += pieces_of_link if along else pieces_of_link[::-1]
            node = int(graph.link_to[link] if along else graph.link_from[link])
        out = _piece_at(graph, first, pieces, p.to_link, node)
        moved.append(replace(p, from_link=into, via_links=tuple(between), to_link=out))
    return TurnRestrictions.of(moved)


def _piece_at(graph: StreetGraph, first: Ints, pieces: Ints, link: int, node: int) -> int:
    return int(first[link] if graph.link_from[link] == node else first[link] + pieces[link] - 1)


def _with_nodes(graph: StreetGraph, lon: Floats, lat: Floats, number: Ints) -> StreetGraph:
    """The graph with nodes appended, bare of attributes."""
    count = len(lon)
    return replace(
        graph,
        node_osm_id=np.concatenate([graph.node_osm_id, np.zeros(count, np.int64)]),
        node_lon=np.concatenate([graph.node_lon, lon]),
        node_lat=np.concatenate([graph.node_lat, lat]),
        node_border=np.concatenate([graph.node_border, np.zeros(count, bool)]),
        node_id=np.concatenate([graph.node_id, number]),
        node_tags={key: _longer(column, count) for key, column in graph.node_tags.items()},
    )


def _longer(column: Categorical, count: int) -> Categorical:
    return Categorical(np.concatenate([column.codes, np.full(count, MISSING, np.int32)]), column.values)


def _with_links(graph: StreetGraph, tail: Ints, head: Ints) -> tuple[StreetGraph, Floats]:
    """The graph with straight connectors appended, and their lengths."""
    count = len(tail)
    metres = segment_lengths(graph.node_lon[tail], graph.node_lat[tail], graph.node_lon[head], graph.node_lat[head])
    metres = np.maximum(metres, 0.001)
    tags = {key: _longer(column, count) for key, column in graph.tags.items()}
    highway = tags["highway"]
    values = highway.values if CONNECTOR in highway.values else (*highway.values, CONNECTOR)
    codes = highway.codes.copy()
    codes[-count:] = values.index(CONNECTOR)
    tags["highway"] = Categorical(codes, values)
    ends = np.column_stack([tail, head]).ravel()
    return replace(
        graph,
        link_id=np.concatenate([graph.link_id, graph.next_link_id + np.arange(count)]),
        link_from=np.concatenate([graph.link_from, tail]).astype(np.int32),
        link_to=np.concatenate([graph.link_to, head]).astype(np.int32),
        link_ways=np.concatenate([graph.link_ways, np.zeros(count, np.int64)]),
        ways_start=np.concatenate([graph.ways_start, graph.ways_start[-1] + 1 + np.arange(count)]),
        shape_start=np.concatenate([graph.shape_start, graph.shape_start[-1] + 2 * (1 + np.arange(count))]),
        shape_lon=np.concatenate([graph.shape_lon, graph.node_lon[ends]]),
        shape_lat=np.concatenate([graph.shape_lat, graph.node_lat[ends]]),
        shape_m=np.concatenate([graph.shape_m, np.column_stack([np.zeros(count), metres]).ravel()]),
        tags=tags,
        costs={key: np.concatenate([pair, np.full((count, 2), np.nan)]) for key, pair in graph.costs.items()},
    ), metres
