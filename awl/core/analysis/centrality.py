"""How central places are among each other: indices over all pairs of places that lie within a radius.

From each place one search runs that stops at the radius, remembers in which order states were settled, and how many best ways
lead to each. Going back in that order it hands down how many of the trips to other places pass each state and each street: pairs
are never listed. Definitions: A. Bavelas (1950) and G. Sabidussi, Psychometrika 31 (1966), closeness; L. C. Freeman,
Sociometry 40 (1977), betweenness; W. G. Hansen, J. Am. Inst. Planners 25 (1959), gravity; S. Porta, P. Crucitti, V. Latora,
Environment and Planning B 33 (2006), straightness. Source of the way back: U. Brandes, *A faster algorithm for betweenness
centrality*, J. Mathematical Sociology 25 (2001).
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.progress import Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.dijkstra.betweenness import (
    Access,
    ArcCosts,
    Destinations,
    OnLinks,
    Origins,
    Setting,
    Settings,
    Spots,
    Totals,
    TripSteps,
    searched_and_passed,
)
from awl.core.routing.dijkstra.search import NO_LIMIT
from awl.core.routing.path import accumulated_with
from awl.core.routing.router import Router
from awl.core.routing.snapping import Snapped
from awl.core.routing.terminals import Terminals, entering, leaving

Floats = NDArray[np.float64]
Rows = NDArray[np.int64]
AT_ONCE, MOST_BLOCKS = 1024, 64
"""Places one call of the kernel starts from; more where that makes too many calls, for each goes through all places once."""


@dataclass(frozen=True)
class Sums:
    """Sums over the other places within the radius of each place (k,), each by its weight; NaN for a place not asked about.

    `reached` is the sum of weights, `cost` that of weight times cost (min, m or whole units of a given cost), `gravity` that of
    weight times what is left of it at its cost, `straight` that of weight times crow-fly distance over way. `passing` (k,) and
    `on_link` (m,) are trips from the places asked about, each of the weight of its destination, that pass a place or a link.
    """

    reached: Floats
    cost: Floats
    gravity: Floats
    straight: Floats
    passing: Floats
    on_link: Floats

    @property
    def closeness(self) -> Floats:
        """One over the sum of costs (Sabidussi); 0 where nothing is reached, infinity where all of it is at no cost."""
        with np.errstate(divide="ignore"):
            return np.where(self.reached > 0, 1.0 / self.cost, np.where(np.isnan(self.cost), np.nan, 0.0))

    @property
    def mean_cost(self) -> Floats:
        """Cost of a trip in the mean; NaN where nothing is reached."""
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(self.reached > 0, self.cost / self.reached, np.nan)


class Centrality:
    """Places, ready to be asked how central they are on the network of a router.

    They count others within `radius` (ms, mm or 1/1000 of a given cost).

    `weight` (k,) is what each place counts for; a place at a cost of c units counts exp(-`beta` c) of it for gravity.
    """

    def __init__(self, router: Router, places: Snapped, measure: str, radius: int, weight: Floats, beta: float) -> None:
        self._network = network = router.network
        self._places, self._measure = places, measure
        # Columns of tables may not be written, and kernels are compiled for arrays that may.
        self._weight = np.array(weight, np.float64)
        self._beta = beta / self.unit
        terminal_time = network.terminal_time(measure)
        self._overhead, self._within = terminal_time, min(radius, int(NO_LIMIT)) - terminal_time

    @property
    def unit(self) -> int:
        """Thousandths in which costs come out: minutes for times, metres or whole units for others."""
        return 60_000 if self._measure == "time" else 1000

    @cached_property
    def _terminals(self) -> Terminals:
        return leaving(self._places, self._network, self._measure, accumulated_with(self._measure))

    @cached_property
    def _goals(self) -> tuple[Rows, Terminals]:
        """Goals by the state they are reached from, with offsets by state."""
        goals = entering(self._places, self._network, self._measure, accumulated_with(self._measure))
        order = np.argsort(goals.state, kind="stable")
        by_state = Terminals(*(getattr(goals, item.name)[order] for item in fields(Terminals)))
        return np.searchsorted(by_state.state, np.arange(self._network.states.count + 1)), by_state

    @cached_property
    def _on_links(self) -> tuple[Rows, Rows]:
        """Access points by link and fraction: offsets by link, and rows."""
        access_points = self._places.access_points
        rows = np.lexsort((access_points.fraction, access_points.link))
        return np.searchsorted(access_points.link[rows], np.arange(self._network.graph.link_count + 1)), rows

    @cached_property
    def _access(self) -> Access:
        """Access points as the kernel wants them, and how many ways along links there are at most from one place."""
        access_points, network, measure = self._places.access_points, self._network, self._measure
        start = np.searchsorted(access_points.place, np.arange(len(self._places.link) + 1))
        alternatives = np.diff(self._on_links[0])[access_points.link]
        most = int(np.bincount(access_points.place, alternatives).max(initial=0))
        cost = access_points.access_costs(network, measure)
        far = access_points.access_costs(network, accumulated_with(measure))
        return Access(start, access_points.place, access_points.link, access_points.fraction, cost, far, most)

    @cached_property
    def _at(self) -> tuple[Floats, Floats]:
        """Where the places stand on the street, in metres."""
        return self._network.graph.plane.xy(self._places.lon, self._places.lat)

    def sums(self, rows: Rows | None = None, threads: int | None = None, progress: Progress | None = None) -> Sums:
        """The sums for some places (all when left out), and what trips from them pass.

        Parameters:
            rows: rows (k,) of the places; all where None.
            threads: how many threads; as many as there are cores where None.
            progress: is told how far the work is, and stops it.
        """
        progress = progress or Progress()
        rows = np.arange(len(self._places.link)) if rows is None else rows
        total = self._none()
        size = max(AT_ONCE, -(-len(rows) // MOST_BLOCKS))
        blocks = [rows[a : a + size] for a in range(0, len(rows), size)]
        with threads_of(threads) as pool:
            for done, part in enumerate(pool.map(self._block, blocks), 1):
                for item in fields(Sums):
                    whole, more = getattr(total, item.name), getattr(part, item.name)
                    np.add(whole, more, out=whole)
                progress.step(done / len(blocks), f"{min(done * size, len(rows)):,} of {len(rows):,} places")
        asked = np.zeros(len(self._places.link), bool)
        asked[rows] = self._places.link[rows] >= 0
        for own in (total.reached, total.cost, total.gravity, total.straight):
            own[~asked] = np.nan
        total.passing[self._places.link < 0] = np.nan
        return total

    def _none(self) -> Sums:
        reached, cost, gravity, straight, passing = np.zeros((5, len(self._places.link)))
        return Sums(reached, cost, gravity, straight, passing, np.zeros(self._network.graph.link_count))

    def _block(self, rows: Rows) -> Sums:
        network, places, sums = self._network, self._places, self._none()
        graph, measure, accumulated = network.graph, self._measure, accumulated_with(self._measure)
        start, head, number = network.rows("from")
        weight = network.search_rows(measure, accumulated, "from")[2:]
        terminals, (goal_start, goals) = self._terminals, self._goals
        at_node = _at_node(places)
        node = np.where(places.fraction == 0.0, graph.link_from[places.link], graph.link_to[places.link])
        node = np.where(at_node, node, -1).astype(np.int32)
        on_arc, at_nodes = np.zeros(2 * graph.link_count), np.zeros(graph.node_count)
        setting = Setting(
            TripSteps(start, head, *weight, network.states.steps.arc[number], network.states.node),
            Origins(
                terminals.starts(len(places.link)), terminals.state, terminals.cost, terminals.accumulated, terminals.arc,
                terminals.access_row,
            ),
            Destinations(goal_start, goals.owner, goals.cost, goals.accumulated, goals.arc, goals.access_row),
            Spots(node, *self._at, self._weight),
            self._access,
            ArcCosts(network.arc_costs(measure), network.arc_costs(accumulated)),
            OnLinks(*self._on_links),
            Settings(self._within, self._overhead, self._beta, float(self.unit), measure == "distance"),
        )  # fmt: skip
        totals = Totals(
            sums.reached, sums.cost, sums.gravity, sums.straight, sums.passing, on_arc, at_nodes, sums.on_link
        )
        searched_and_passed(rows, setting, totals, current_token())
        raise_if_cancelled()
        sums.on_link[:] += on_arc[0::2] + on_arc[1::2]
        between = np.flatnonzero((places.link >= 0) & ~at_node)
        link = places.link[between]
        sums.passing[between] += on_arc[2 * link] + on_arc[2 * link + 1]
        sums.passing[at_node] += at_nodes[node[at_node]]
        return sums


def _at_node(places: Snapped) -> NDArray[np.bool_]:
    return (places.link >= 0) & ((places.fraction == 0.0) | (places.fraction == 1.0))
