"""Independent answers: SciPy's Dijkstra on a graph in which every place is a node of its own."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.access.zones import LIVED_ON, ZONE_EDGE_M
from awl.core.engine.places import Snapped
from awl.core.modes.network import BLOCKED, Network
from awl.study.study import Study


def times_between(
    network: Network, places: Snapped, measure: str = "time", starts: NDArray[np.integer] | None = None
) -> NDArray[np.float64]:
    """Cost (s, k) in s or m from each of `starts` (all places when left out) to each place, infinity for no way.

    Links are split at the places: a chain of pieces replaces each link that carries one. Nothing of Awl's searches is
    used; costs are real numbers, not rounded to whole milliseconds.
    """
    graph, n = network.graph, network.graph.node_count
    forward, backward = network.directed(measure)
    found = np.flatnonzero(places.link >= 0)
    on_link: dict[int, list[int]] = {}
    for row in found:
        on_link.setdefault(int(places.link[row]), []).append(int(row))
    edges: dict[tuple[int, int], float] = {}

    def join(a: int, b: int, cost: float) -> None:
        # SciPy drops explicit zeros; an edge without cost becomes a tiny one.
        edges[a, b] = min(edges.get((a, b), np.inf), max(cost, 1e-9))

    for link in np.flatnonzero(network.usable):
        rows = sorted(on_link.get(int(link), []), key=lambda row: places.fraction[row])
        stops = [(int(graph.link_from[link]), 0.0)]
        stops += [(n + row, float(places.fraction[row])) for row in rows]
        stops += [(int(graph.link_to[link]), 1.0)]
        for (a, at_a), (b, at_b) in zip(stops[:-1], stops[1:], strict=True):
            if forward[link] != BLOCKED:
                join(a, b, (at_b - at_a) * forward[link] / 1000)
            if backward[link] != BLOCKED:
                join(b, a, (at_b - at_a) * backward[link] / 1000)
    for row in found:  # a place at the end of a link stands at the node
        for at, node in ((0.0, graph.link_from), (1.0, graph.link_to)):
            if places.fraction[row] == at:
                join(n + int(row), int(node[places.link[row]]), 0.0)
                join(int(node[places.link[row]]), n + int(row), 0.0)
    tail, head = np.array(list(edges)).T
    size = n + len(places.link)
    matrix = csr_matrix((np.array(list(edges.values())), (tail, head)), shape=(size, size))
    starts = np.arange(len(places.link)) if starts is None else starts
    cost = dijkstra(matrix, indices=n + starts)[:, n:]
    cost[places.link[starts] < 0, :] = np.inf
    cost[:, places.link < 0] = np.inf
    return np.asarray(cost)


def random_places(network: Network, count: int, seed: int) -> Snapped:
    """Places strewn over the usable streets, some of them on one link and at link ends."""
    rng = np.random.default_rng(seed)
    links = np.flatnonzero(network.usable)
    link = rng.choice(links, count).astype(np.int32)
    fraction = rng.uniform(0, 1, count)
    if count >= 6:
        link[1], link[2] = link[0], link[0]
        fraction[3], fraction[4] = 0.0, 1.0
    nothing = np.zeros(count)
    return Snapped(link, fraction, nothing, np.zeros(count, np.int8), nothing, nothing)


def people_within(study: Study, minutes: float) -> float:
    """People of all zones within reach of a cool room, from 8,000 sample points and the oracle's times."""
    network = study.network("walk")
    graph = network.graph
    rooms = study.read_layer("cool_rooms")
    zones = study.read_layer("zones")
    links = np.flatnonzero(network.usable & np.isin(graph.tag("highway").decode(), LIVED_ON))
    # 8,000 points evenly spaced along all streets laid end to end.
    reach = np.cumsum(graph.link_length[links])
    marks = (np.arange(8000) + 0.5) / 8000 * reach[-1]
    row = np.searchsorted(reach, marks)
    chosen, at = links[row], 1 - (reach[row] - marks) / graph.link_length[links][row]
    spots = shapely.line_interpolate_point(graph.lines_xy[chosen], at, normalized=True)
    lon, lat = graph.plane.lonlat(*shapely.get_coordinates(spots).T)
    everything = study.snapper("walk").snap(
        np.concatenate([lon, shapely.get_x(rooms.geometry)]), np.concatenate([lat, shapely.get_y(rooms.geometry)]), 100
    )
    # Nobody walks one way only in Ferrow, so the time from a room is the time to it.
    rooms_at = np.arange(8000, len(everything.link))
    times = times_between(network, everything, starts=rooms_at)[:, :8000].min(axis=0)
    people = np.array(zones.columns["population"], float)
    within = np.zeros(len(people))
    for row, shape in enumerate(graph.plane.project(zones.geometry)):
        inside = shapely.contains(shapely.buffer(shape, ZONE_EDGE_M), spots)
        within[row] = people[row] * (times[inside] <= minutes * 60).mean() if inside.any() else 0
    return float(within.sum())
