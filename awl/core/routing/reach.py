"""What is reached within a limit: exact along every link, not only at nodes.

A search knows the arrival at nodes. Between them the arrival at a point is the lesser of coming from either end. Links
on which a place stands are split there, so that the same formula holds on every piece.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.access_points import NO_STAND
from awl.core.routing.dijkstra.plain import Arrivals, costs_of, owners_of
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.snapping import Snapped


@dataclass(frozen=True)
class Reach:
    """Pieces (p,) of usable links, with the arrival at each point of them; links that are missing are not reached at all.

    Piece i covers fractions `begin` to `end` of `link`. At fraction t the arrival is
    min(at_begin + (t - begin) * up, at_end + (end - t) * down), in ms or mm, with infinity where a way is barred.
    `owner_begin`, `owner_end` name the place each end belongs to. Where a piece begins or ends at a node, `node_begin` and
    `node_end` are the arrival there however one comes, which does not wait for what it takes to go on; else infinity.
    """

    link: NDArray[np.int32]
    begin: NDArray[np.float64]
    end: NDArray[np.float64]
    at_begin: NDArray[np.float64]
    at_end: NDArray[np.float64]
    up: NDArray[np.float64]
    down: NDArray[np.float64]
    owner_begin: NDArray[np.int32]
    owner_end: NDArray[np.int32]
    node_begin: NDArray[np.float64]
    node_end: NDArray[np.float64]

    def take(self, rows: NDArray[np.integer] | NDArray[np.bool_]) -> Reach:
        """Some of the pieces.

        Parameters:
            rows: which rows: numbers (k,) or a mask.
        """
        return Reach(*(getattr(self, name)[rows] for name in self.__dataclass_fields__))

    @property
    def is_reached(self) -> NDArray[np.bool_]:
        """Which pieces (p,) are come to at all, along them or at a node where they begin or end."""
        ends = (self.at_begin, self.at_end, self.node_begin, self.node_end)
        return np.logical_or.reduce([np.isfinite(end) for end in ends])

    def at(self, row: NDArray[np.integer], fraction: NDArray[np.float64]) -> NDArray[np.float64]:
        """Arrival at fractions of the link of pieces `row`, infinity where not reached.

        Parameters:
            row: rows (k,) of the pieces.
            fraction: fractions (k,) of the length of each link, from its begin.
        """
        ahead = _ride(self.at_begin[row], fraction - self.begin[row], self.up[row])
        behind = _ride(self.at_end[row], self.end[row] - fraction, self.down[row])
        on_way = np.minimum(ahead, behind)
        return np.where(fraction == 0.0, self.node_begin[row], np.where(fraction == 1.0, self.node_end[row], on_way))

    def within(self, limit: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """How far each piece is reached: up to fraction `a` from its begin, and from fraction `b` to its end.

        Where both ways reach all of a piece between them, `a` may lie beyond `b`.

        Parameters:
            limit: the limit, in the unit of the arrivals.
        """
        a = self.begin + _spare(limit, self.at_begin, self.up, self.end - self.begin)
        b = self.end - _spare(limit, self.at_end, self.down, self.end - self.begin)
        return a, b

    def length_within(self, limit: float, link_length: NDArray[np.float64]) -> float:
        """Metres of street that are reached, of links (m,) so long.

        Parameters:
            limit: the limit, in the unit of the arrivals.
            link_length: lengths (m,) of the links in metres.
        """
        a, b = self.within(limit)
        share = np.minimum((a - self.begin) + (self.end - b), self.end - self.begin)
        return float((share * link_length[self.link]).sum())

    def meeting(self) -> NDArray[np.float64]:
        """Fraction of each piece at which both ways arrive at once; its begin or end where one way wins throughout."""
        span = self.end - self.begin
        with np.errstate(invalid="ignore", divide="ignore"):
            share = (self.at_end - self.at_begin + span * self.down) / (self.up + self.down)
        share = np.where(np.isfinite(share), share, 0.0)
        begin_open = np.isfinite(self.at_begin) & np.isfinite(self.up)
        end_open = np.isfinite(self.at_end) & np.isfinite(self.down)
        share = np.where(begin_open & ~end_open, span, np.where(end_open & ~begin_open, 0.0, share))
        return self.begin + np.clip(share, 0.0, span)


def _ride(start: NDArray[np.float64], share: NDArray[np.float64], cost: NDArray[np.float64]) -> NDArray[np.float64]:
    """Start + share * cost, where a barred way stays infinite even over no distance beyond its own start."""
    with np.errstate(invalid="ignore"):
        ride = np.where(share > 0, share * cost, 0.0)
    return start + ride


def _spare(
    limit: float, arrival: NDArray[np.float64], cost: NDArray[np.float64], span: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Fraction of the link that can still be passed after `arrival`."""
    left = limit - arrival
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(cost > 0, left / cost, np.inf)
    share = np.where(left >= 0, share, 0.0)
    return np.minimum(np.nan_to_num(share, nan=0.0), span)


def reach_of(network: Network, places: Snapped, arrivals: Arrivals) -> Reach:
    """The pieces of the usable links that have an end or a place which was come to, after a search from or to `places`.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        arrivals: what a search found.
    """
    graph, costs = network.graph, network.link_costs(arrivals.measure, arrivals.direction)
    splits = splits_of(network, places, arrivals)
    links = links_come_to(network, splits, arrivals)
    extra = np.bincount(splits.link, minlength=graph.link_count)[links]
    counts = extra + 1
    link = np.repeat(links, counts)
    first = np.cumsum(counts) - counts
    nth = np.arange(len(link)) - np.repeat(first, counts)
    last = nth == np.repeat(extra, counts)
    begin, end = np.zeros(len(link)), np.ones(len(link))
    label_begin, label_end = arrivals.at_ends(link)
    at_begin, at_end = _arrival(label_begin), _arrival(label_end)
    owner_begin, owner_end = owners_of(label_begin), owners_of(label_end)
    # Splits stand in link order, as the pieces do: the pieces that end at a split, then those that begin there.
    end[~last], at_end[~last], owner_end[~last] = splits.fraction, splits.arrival, splits.owner
    begin[nth > 0], at_begin[nth > 0], owner_begin[nth > 0] = splits.fraction, splits.arrival, splits.owner
    at_node = _arrival_of(arrivals.cost)
    return Reach(
        link, begin, end, at_begin, at_end, _open(costs.up[link]), _open(costs.down[link]), owner_begin, owner_end,
        np.where(nth == 0, at_node[graph.link_from[link]], np.inf), np.where(last, at_node[graph.link_to[link]], np.inf),
    )  # fmt: skip


def links_come_to(network: Network, splits: Splits, arrivals: Arrivals) -> NDArray[np.int32]:
    """Rows (k,) of the usable links that have an end or a place which a search came to.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        splits: where places stand on links.
        arrivals: what a search found.
    """
    known = arrivals.cost != UNREACHED
    come_to = known[network.graph.link_from] | known[network.graph.link_to]
    come_to[splits.link] = True
    return np.flatnonzero(come_to & network.usable).astype(np.int32)


@dataclass(frozen=True)
class Splits:
    """Where places stand on usable links (q,), between their nodes, ordered by link and fraction: arrival, and whose it is."""

    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    arrival: NDArray[np.float64]
    owner: NDArray[np.int32]


def splits_of(network: Network, places: Snapped, arrivals: Arrivals) -> Splits:
    """Where links are split after a search from or to `places`.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        places: places put on streets (k,).
        arrivals: what a search found.
    """
    access_points, way = places.access_points, places.access_points.access_costs(network, arrivals.measure)
    if arrivals.head_start is not None:
        way = np.where(way == NO_STAND, NO_STAND, way + arrivals.head_start[access_points.place])
    rows = np.flatnonzero(network.usable[access_points.link] & (way != NO_STAND) & ~access_points.at_node)
    rows = rows[np.lexsort((access_points.fraction[rows], access_points.link[rows]))]
    link, fraction, owner = access_points.link[rows], access_points.fraction[rows], access_points.place[rows].copy()
    arrival = (way[rows] + network.terminal_time(arrivals.measure)).astype(np.float64)
    if way.any():
        costs, (at_begin, at_end) = network.link_costs(arrivals.measure, arrivals.direction), arrivals.at_ends(link)
        _pass_splits(
            link, fraction, (_arrival(at_begin), _arrival(at_end)), (owners_of(at_begin), owners_of(at_end)),
            _open(costs.up[link]), _open(costs.down[link]), arrival, owner,
        )  # fmt: skip
    return Splits(link, fraction, arrival, owner)


@njit(cache=True, nogil=True)
def _pass_splits(link, fraction, at_ends, owner_ends, up, down, arrival, owner):
    """Lower arrivals at splits that are come to along the link sooner than by the way to a street beside."""
    for i in range(len(link)):
        if i > 0 and link[i - 1] == link[i]:
            before, at, place = fraction[i - 1], arrival[i - 1], owner[i - 1]
        else:
            before, at, place = 0.0, at_ends[0][i], owner_ends[0][i]
        over = at + (fraction[i] - before) * up[i] if fraction[i] > before else at
        if over < arrival[i]:
            arrival[i], owner[i] = over, place
    for i in range(len(link) - 1, -1, -1):
        if i + 1 < len(link) and link[i + 1] == link[i]:
            behind, at, place = fraction[i + 1], arrival[i + 1], owner[i + 1]
        else:
            behind, at, place = 1.0, at_ends[1][i], owner_ends[1][i]
        over = at + (behind - fraction[i]) * down[i] if behind > fraction[i] else at
        if over < arrival[i]:
            arrival[i], owner[i] = over, place


def _arrival(label: NDArray[np.int64]) -> NDArray[np.float64]:
    return _arrival_of(costs_of(label))


def _arrival_of(cost: NDArray[np.int32]) -> NDArray[np.float64]:
    return np.where(cost == UNREACHED, np.inf, cost.astype(np.float64))


def _open(cost: NDArray[np.int32]) -> NDArray[np.float64]:
    return np.where(cost == BLOCKED, np.inf, cost.astype(np.float64))


@dataclass(frozen=True)
class Parts:
    """Reached parts of links: fractions `begin` to `end`, arrival at both, the place they belong to, the piece row."""

    piece: NDArray[np.int64]
    link: NDArray[np.int32]
    begin: NDArray[np.float64]
    end: NDArray[np.float64]
    arrival_begin: NDArray[np.float64]
    arrival_end: NDArray[np.float64]
    owner: NDArray[np.int32]


def reached_parts(reach: Reach, limit: float) -> Parts:
    """Split every piece where the limit falls and where two ways meet; keep what is reached.

    Each part has one owner and an arrival that changes linearly along it.

    Parameters:
        reach: arrivals along all links.
        limit: the limit, in the unit of the arrivals.
    """
    reached_to, reached_from = reach.within(limit)
    meeting = reach.meeting()
    # From the begin: up to the limit or to where the other way is quicker. From the end likewise.
    first_end = np.minimum(reached_to, meeting)
    last_begin = np.maximum(reached_from, meeting)
    row = np.arange(len(reach.link))
    ahead = (first_end > reach.begin) & (reach.at_begin <= limit) & np.isfinite(reach.up)
    behind = (last_begin < reach.end) & (reach.at_end <= limit) & np.isfinite(reach.down)
    rows = np.concatenate([row[ahead], row[behind]])
    begin = np.concatenate([reach.begin[ahead], last_begin[behind]])
    end = np.concatenate([first_end[ahead], reach.end[behind]])
    arrival_begin = np.concatenate(
        [reach.at_begin[ahead], (reach.at_end + (reach.end - last_begin) * _finite(reach.down))[behind]]
    )
    arrival_end = np.concatenate(
        [(reach.at_begin + (first_end - reach.begin) * _finite(reach.up))[ahead], reach.at_end[behind]]
    )
    owner = np.concatenate([reach.owner_begin[ahead], reach.owner_end[behind]])
    order = np.lexsort((begin, rows))
    return Parts(
        rows[order],
        reach.link[rows[order]],
        begin[order],
        end[order],
        arrival_begin[order],
        arrival_end[order],
        owner[order],
    )


def _finite(cost: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(np.isfinite(cost), cost, 0.0)
