"""The hierarchy against the peer: preparing, putting costs in, and each kind of search on it."""

from __future__ import annotations

import time

import numpy as np
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from awl.core.engine.climbing import path_between, sweep_lanes, sweep_one
from awl.core.engine.hierarchy import Hierarchy, customized, ways_of
from awl.core.engine.lanes import LANES
from awl.core.engine.places import Snapper
from awl.core.engine.query import matrix
from awl.core.modes.network import Network
from bench.measure import Row, medians


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
    ways = ways_of(topology, metric, cost, far)
    rng = np.random.default_rng(4)
    ranks = topology.rank[topology.state[rng.choice(topology.count, LANES, replace=False)]].astype(np.int32)
    nothing, lanes = np.zeros(LANES, np.int64), np.arange(LANES, dtype=np.int32)
    label, wide = np.empty(topology.count, np.uint32), np.empty((topology.count, LANES), np.uint32)
    everything = np.arange(topology.count, dtype=np.int32)
    zero = np.zeros(LANES, np.uint32)
    begin = int(topology.state[ranks[0]])
    copied, (up, down) = np.empty_like(wide), metric.cost

    def ways_between() -> None:
        for k in range(LANES - 1):
            path_between(topology, metric, ways, (ranks[k : k + 1], nothing[:1]), (ranks[k + 1 : k + 2], nothing[:1]))

    whole, custom, one, many, way, copying = medians(
        lambda: dijkstra(peer, indices=begin),
        lambda: customized(topology, cost),
        lambda: sweep_one(topology.start, topology.head, up, down, ranks[:1], zero[:1], label),
        lambda: sweep_lanes(topology.start, topology.head, up, down, ranks, lanes, zero, everything, wide),
        ways_between,
        lambda: np.copyto(copied, wide),
    )
    memory = sum(
        array.nbytes
        for array in (*vars(topology).values(), *vars(metric).values(), *vars(ways).values())
        if isinstance(array, np.ndarray)
    )
    network.hierarchy = high
    high.ways(network, "time", "distance")
    usable = np.flatnonzero(network.usable)
    picks = network.graph.link_from[rng.choice(usable, 1000)]
    places = Snapper(network).snap(network.graph.node_lon[picks], network.graph.node_lat[picks], 500.0)
    (square,) = medians(lambda: matrix(network, places, places, "time", threads=2), rounds=1)
    network.hierarchy = None
    kind = f"{name}, hierarchy"
    return [
        Row(f"{kind}: order and topology (bound {bound_s:g} s)", prepared, bound_s, "of the bound"),
        Row(f"{kind}: put in one metric; peer one to all", custom, whole, "x faster"),
        Row(f"{kind}: one to all, one source; peer", one, whole, "x faster"),
        Row(f"{kind}: one to all, per source of 16; peer", many / LANES, whole, "x faster"),
        Row(f"{kind}: sweep of 16 against copying its bytes", many, copying, "of its speed"),
        Row(f"{kind}: one to one, with its steps; peer one to all", way / (LANES - 1), whole, "x faster"),
        Row(f"{kind}: 1000 x 1000, two threads; peer 1000 x one to all", square, 1000 * whole, "x faster"),
        Row(
            f"{kind}: bytes a state / 1000 with one metric (bound 400)",
            memory / topology.count / 1e3,
            0.4,
            "of the bound",
        ),
    ]
