"""The hierarchy against the peer: preparing, putting costs in, and each kind of search on it; and searches by the clock."""

from __future__ import annotations

import time
from datetime import datetime
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.network.network import Network
from awl.core.routing.cch.customization import customized, unpacking_of
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.hourly_matrix import customized_lanes
from awl.core.routing.cch.kernel_arguments import LaneScratch, LaneSources, SourceRanks, SweepGraph
from awl.core.routing.cch.one_to_all import sweep_lanes, sweep_one
from awl.core.routing.cch.perfect import reduced_graph
from awl.core.routing.cch.point_to_point import Ends, Scratch, ways_of_pairs
from awl.core.routing.cch.topology import Topology
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.dijkstra.time_dependent import HOUR_MS
from awl.core.routing.router import StreetRouter
from awl.core.routing.simd.lanes import LANES
from awl.core.routing.snapping import Snapper
from awl.core.routing.terminals import leaving
from bench.measure import Row, medians

CLOSURES = 10


def on_the_hierarchy(name: str, network: Network, bound_s: float) -> list[Row]:
    """Rows for one network; the peer is SciPy's Dijkstra over the same states in the same order, one to all."""
    start, head, weight, _ = network.search_rows("time", "distance", "from")
    size = network.states.count
    peer = csr_matrix((weight.astype(float), head, start), shape=(size, size))
    network.step_delay  # noqa: B018 - turns are no part of what is measured here
    begun = time.perf_counter()
    high = Hierarchy.of(network)
    prepared = time.perf_counter() - begun
    topology = high.topology
    cost, far = network.step_costs("time"), network.step_costs("distance")
    metric = customized(topology, cost)
    ways = unpacking_of(topology, metric, cost, far)
    rng = np.random.default_rng(4)
    ranks = topology.rank[topology.state[rng.choice(topology.count, LANES, replace=False)]].astype(np.int32)
    lanes = np.arange(LANES, dtype=np.int32)
    label, wide = np.empty(topology.count, np.uint32), np.empty((topology.count, LANES), np.uint32)
    zero = np.zeros(LANES, np.uint32)
    begin = int(topology.state[ranks[0]])
    copied, place = np.empty_like(wide), np.full(topology.count, -1, np.int32)
    sides = reduced_graph(topology, metric)
    edges = sides.up.edges(), sides.down.edges()
    swept = SweepGraph(topology.parent, edges[0], np.arange(topology.count, dtype=np.int32), edges[1])
    sources, wide_scratch = LaneSources(ranks, lanes, zero), LaneScratch(place, wide, np.empty((0, LANES), np.uint32))

    pairs = 200
    begins, ends = (
        Ends(np.arange(pairs + 1), rng.integers(0, topology.count, pairs).astype(np.int32), np.zeros(pairs, np.int64))
        for _ in range(2)
    )
    scratch, usable = Scratch(topology.count), np.flatnonzero(network.usable)
    closures = []  # what ten links lie under differs much
    for _ in range(CLOSURES):
        closures.append(np.zeros(network.graph.link_count, bool))
        closures[-1][rng.choice(usable, 10, replace=False)] = True
    router = StreetRouter(network, high)
    high.metric(network, "time")
    closed_one_after_the_other(router, closures[:1])  # what is sorted once for all is no part of what is measured here

    whole, custom, sixteen, named, again, trim, one, many, distance, way, copying = medians(
        lambda: dijkstra(peer, indices=begin),
        lambda: customized(topology, cost),
        lambda: sixteen_put_in(topology, cost),
        lambda: unpacking_of(topology, metric, cost, far),
        lambda: closed_one_after_the_other(router, closures),
        lambda: reduced_graph(topology, metric),
        lambda: sweep_one(topology.parent, *edges, SourceRanks(ranks[:1], zero[:1]), label),
        lambda: sweep_lanes(swept, sources, wide_scratch),
        lambda: ways_of_pairs(topology, sides, ways, begins, ends, scratch, listed=False),
        lambda: ways_of_pairs(topology, sides, ways, begins, ends, scratch),
        lambda: np.copyto(copied, wide),
    )
    high.unpacking(network, "time", "distance")
    high.trim(network, "time")
    memory = high.nbytes
    picks = network.graph.link_from[rng.choice(usable, 1000)]
    places = Snapper(network).snap(network.graph.node_lon[picks], network.graph.node_lat[picks], 500.0)
    square, bare = medians(
        lambda: router.matrix(places, places, "time", threads=2),
        lambda: router.matrix(places, places, "time", threads=2, carrying=False),
        rounds=3,
    )
    origin = places.take(np.arange(1))
    nodes = np.sort(router.arrivals(origin, "time").cost)
    limits = {share: int(nodes[int(share * (nodes < UNREACHED).sum())]) for share in (0.01, 0.1, 0.6)}
    begin = int(leaving(origin, network, "time", "distance").state[0])
    reached = []
    for share, limit in limits.items():
        ours, theirs = medians(
            partial(router.arrivals, origin, "time", limit=limit), partial(dijkstra, peer, indices=begin, limit=limit)
        )
        reached.append(
            Row(f"{name}: reach of {share:.0%} of the nodes; peer with that limit", ours, theirs, "x faster")
        )
    kind = f"{name}, hierarchy"
    return [
        *reached,
        Row(f"{kind}: order and topology (bound {bound_s:g} s)", prepared, bound_s, "of the bound"),
        Row(f"{kind}: put in one metric; peer one to all", custom, whole, "x faster"),
        Row(f"{kind}: put in sixteen metrics; peer one to all", sixteen, whole, "x faster"),
        Row(f"{kind}: find what edges stand for; peer one to all", named, whole, "x faster"),
        Row(f"{kind}: leave out edges no best way uses; peer one to all", trim, whole, "x faster"),
        Row(
            f"{kind}: close ten links, from streets to costs; full customization", again / CLOSURES, custom, "x faster"
        ),
        Row(f"{kind}: one to all, one source; peer", one, whole, "x faster"),
        Row(f"{kind}: one to all, per source of 16; peer", many / LANES, whole, "x faster"),
        Row(f"{kind}: sweep of 16 against copying its bytes", many, copying, "of its speed"),
        Row(f"{kind}: one to one; peer one to all", distance / pairs, whole, "x faster"),
        Row(f"{kind}: one to one, with its steps; peer one to all", way / pairs, whole, "x faster"),
        Row(f"{kind}: 1000 x 1000, two threads; peer 1000 x one to all", bare, 1000 * whole, "x faster"),
        Row(f"{kind}: 1000 x 1000 with carried costs, two threads; peer without", square, 1000 * whole, "x faster"),
        Row(
            f"{kind}: bytes a state / 1000 with one metric (bound 250)",
            memory / topology.count / 1e3,
            0.25,
            "of the bound",
        ),
    ]


def closed_one_after_the_other(router: StreetRouter, closures: list[NDArray[np.bool_]]) -> None:
    """Customize for each set of closures, and let go of it before the next, as one tries them."""
    for closed in closures:
        shut = router.on(router.network.with_closed(closed))
        shut.prepared().metric(shut.network, "time")


def sixteen_put_in(topology: Topology, cost: NDArray[np.integer]) -> None:
    """Put in sixteen metrics, and let go of them."""
    with customized_lanes(topology, [cost] * LANES):
        pass


def by_the_clock(name: str, network: Network, trips: int = 10) -> list[Row]:
    """Earliest arrivals of some trips at 8:00, searched towards their goals; the peer is the same search in all directions."""
    at_eight = network.at(datetime(2026, 6, 3, 8))
    guided, blind = StreetRouter(network, Hierarchy.of(network)).on(at_eight), StreetRouter(at_eight)
    rng = np.random.default_rng(5)
    picks = network.graph.link_from[rng.choice(np.flatnonzero(network.usable), 2 * trips)]
    places = Snapper(network).snap(network.graph.node_lon[picks], network.graph.node_lat[picks], 500.0)

    def legs(of: StreetRouter) -> None:
        for trip in range(trips):
            of.departing(8 * HOUR_MS).path(places, 2 * trip, 2 * trip + 1, "time")

    ours, plain = medians(lambda: legs(guided), lambda: legs(blind), rounds=5)
    return [Row(f"{name}: earliest arrival at 8:00; in all directions", ours / trips, plain / trips, "x faster")]
