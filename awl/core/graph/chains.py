"""Merge links at nodes where nothing happens: two links meet, and both say the same.

A street register or map splits a street wherever an attribute changes or a mapper stopped; where all attributes agree the
split tells nothing. The merged link keeps every vertex and the list of its source ways. Nodes that carry something (a border,
a barrier, a signal, the via of a turn restriction) stay. The merged link keeps the lowest of its links' ids: that of the
street before it was split. O(m) besides one sort.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.geodesy import metres_along
from awl.core.graph.street_graph import StreetGraph

Ints = NDArray[np.int64]
DIRECTED_KEYS = (
    "oneway", "oneway:bicycle", "oneway:foot", "junction", "incline", "maxspeed:forward", "maxspeed:backward", "cycleway",
    "sidewalk",
)  # fmt: skip
"""Attributes that mean something else when a link is turned round."""


def merge_chains(graph: StreetGraph, keep: NDArray[np.bool_] | None = None) -> tuple[StreetGraph, int]:
    """The graph with chains of like links merged, and the number of nodes this took away; `keep` (n,) marks nodes to stay.

    A ring that hangs on nothing keeps one node.

    Parameters:
        graph: the street graph.
        keep: mask (n,) of the nodes that stay; None for those that must.
    """
    mergeable, first, second = _plain_nodes(graph)
    if keep is not None:
        mergeable &= ~keep
    nodes = np.flatnonzero(mergeable)
    a, b = first[nodes], second[nodes]
    alike = (a >> 1) != (b >> 1)
    # End 1 of one link meets end 0 of the next where both are drawn the same way.
    turned = (a & 1) == (b & 1)
    for key, column in graph.tags.items():
        same = column.codes[a >> 1] == column.codes[b >> 1]
        alike &= same
        if key in DIRECTED_KEYS:
            alike &= ~(turned & column.present()[a >> 1] & ~column.equals("no")[a >> 1])
    for pair in graph.costs.values():
        # Given costs are kept as they came: they may not be sums.
        alike &= np.isnan(pair[a >> 1]).all(axis=1) & np.isnan(pair[b >> 1]).all(axis=1)
    a, b = a[alike], b[alike]
    if len(a) == 0:
        return graph, 0
    partner = np.full(2 * graph.link_count, -1, np.int64)
    partner[a], partner[b] = b, a
    order, turned, start = _chains(partner)
    merged = _merged(graph, order, turned, start)
    return merged, graph.node_count - merged.node_count


def _plain_nodes(graph: StreetGraph) -> tuple[NDArray[np.bool_], Ints, Ints]:
    """Nodes (n,) with two link ends and nothing on them, and these ends: twice the link, plus one at its end."""
    n, m = graph.node_count, graph.link_count
    ends = np.empty(2 * m, np.int64)
    ends[0::2], ends[1::2] = graph.link_from, graph.link_to
    degree = np.bincount(ends, minlength=n)
    order = np.argsort(ends, kind="stable")
    begin = np.cumsum(degree) - degree
    plain = (degree == 2) & ~graph.node_border
    for column in graph.node_tags.values():
        plain &= ~column.present()
    plain[graph.restrictions.via_node] = False
    for turn in graph.restrictions.rows():  # where the last link between meets the one turned into
        if turn.via_links:
            last, out = turn.via_links[-1], turn.to_link
            ends_of = ({graph.link_from[i], graph.link_to[i]} for i in (last, out))
            plain[[int(node) for node in set.intersection(*ends_of)]] = False
    first, second = np.zeros(n, np.int64), np.zeros(n, np.int64)
    rows = np.flatnonzero(plain)
    first[rows], second[rows] = order[begin[rows]], order[begin[rows] + 1]
    return plain, first, second


@njit(cache=True, nogil=True)
def _chains(partner: Ints) -> tuple[Ints, NDArray[np.bool_], Ints]:
    """Links in order along their chains, whether each is passed against its drawing, and where each chain begins."""
    m = len(partner) // 2
    order, turned = np.empty(m, np.int64), np.zeros(m, np.bool_)
    start = np.empty(m + 1, np.int64)
    done = np.zeros(m, np.bool_)
    chains, n = 0, 0
    for rings in range(2):  # open chains first; what is left then are rings
        for link in range(m):
            if done[link] or (rings == 0 and partner[2 * link] >= 0 and partner[2 * link + 1] >= 0):
                continue
            start[chains] = n
            chains += 1
            entered = 2 * link if rings == 1 or partner[2 * link] < 0 else 2 * link + 1
            while entered >= 0 and not done[entered >> 1]:
                done[entered >> 1] = True
                order[n], turned[n] = entered >> 1, entered & 1
                n += 1
                entered = partner[entered ^ 1]
            # A chain runs the way its first link was drawn: all links with a direction in it are drawn alike.
            if turned[start[chains - 1]]:
                a, b = start[chains - 1], n - 1
                while a < b:
                    order[a], order[b] = order[b], order[a]
                    turned[a], turned[b] = turned[b], turned[a]
                    a, b = a + 1, b - 1
                for i in range(start[chains - 1], n):
                    turned[i] = not turned[i]
    start[chains] = n
    return order, turned, start[: chains + 1]


def _merged(graph: StreetGraph, order: Ints, turned: NDArray[np.bool_], start: Ints) -> StreetGraph:
    first, last = start[:-1], start[1:] - 1
    ends = np.stack([graph.link_from, graph.link_to])
    tail = ends[turned[first].astype(int), order[first]]
    head = ends[1 - turned[last].astype(int), order[last]]
    vertex, new_start = _vertices(graph, order, turned, start)
    ways, ways_start = _ways(graph, order, turned, start)
    step = _steps(graph, order, turned, start)
    metres = metres_along(step, new_start)
    is_end = np.zeros(graph.node_count, bool)
    is_end[tail] = is_end[head] = True
    node_of = np.where(is_end, np.cumsum(is_end) - 1, -1).astype(np.int32)
    chain_of = np.empty(graph.link_count, np.int32)
    chain_of[order] = np.repeat(np.arange(len(first), dtype=np.int32), np.diff(start))
    merged = replace(
        graph,
        **graph.node_columns(is_end),
        link_id=np.minimum.reduceat(graph.link_id[order], first),
        link_from=node_of[tail],
        link_to=node_of[head],
        link_ways=ways,
        ways_start=ways_start,
        shape_start=new_start,
        shape_lon=graph.shape_lon[vertex],
        shape_lat=graph.shape_lat[vertex],
        shape_m=metres,
        tags={key: column.take(order[first]) for key, column in graph.tags.items()},
        restrictions=graph.restrictions.renumbered(chain_of, node_of),
        costs={key: pair[order[first]] for key, pair in graph.costs.items()},
        highest_ids=(graph.next_node_id - 1, graph.next_link_id - 1),
    )
    return merged.in_order()


def _flat(size: Ints, begin: Ints, turned: NDArray[np.bool_]) -> Ints:
    """Rows `begin` to `begin + size` of each group after another, backwards where it is turned."""
    at = np.cumsum(size) - size
    index = np.arange(int(size.sum())) - np.repeat(at, size)
    back = np.repeat(turned, size)
    return np.repeat(begin, size) + np.where(back, np.repeat(size, size) - 1 - index, index)


def _vertices(graph: StreetGraph, order: Ints, turned: NDArray[np.bool_], start: Ints) -> tuple[Ints, Ints]:
    """Rows of the vertices of each chain, a joint once, and where each chain's begin."""
    size = np.diff(graph.shape_start)[order]
    flat = _flat(size, graph.shape_start[:-1][order], turned)
    drop = np.zeros(len(flat), bool)
    begin = np.cumsum(size) - size
    inner = np.ones(len(order), bool)
    inner[start[:-1]] = False
    drop[begin[inner]] = True
    per_link = size - inner
    return flat[~drop], np.concatenate([[0], np.cumsum(np.add.reduceat(per_link, start[:-1]))]).astype(np.int64)


def _steps(graph: StreetGraph, order: Ints, turned: NDArray[np.bool_], start: Ints) -> NDArray[np.float64]:
    """Metres from the vertex before to each vertex of the chains, 0 at their first."""
    size = np.diff(graph.shape_start)[order]
    ahead = np.diff(graph.shape_m, append=0.0)
    # The segments of a link are its rows without the last one.
    segment = _flat(size - 1, graph.shape_start[:-1][order], turned)
    lengths = ahead[segment]
    per_chain = np.add.reduceat(size - 1, start[:-1])
    at = np.cumsum(per_chain) - per_chain
    return np.insert(lengths, at, 0.0)


def _ways(graph: StreetGraph, order: Ints, turned: NDArray[np.bool_], start: Ints) -> tuple[Ints, Ints]:
    """Source ways of each chain in order, each named once where it follows itself."""
    size = np.diff(graph.ways_start)[order]
    flat = _flat(size, graph.ways_start[:-1][order], turned)
    ways = graph.link_ways[flat]
    per_chain = np.add.reduceat(size, start[:-1])
    chain = np.repeat(np.arange(len(per_chain)), per_chain)
    new = np.ones(len(ways), bool)
    new[1:] = (ways[1:] != ways[:-1]) | (chain[1:] != chain[:-1])
    return ways[new], np.concatenate([[0], np.cumsum(np.bincount(chain[new], minlength=len(per_chain)))]).astype(
        np.int64
    )
