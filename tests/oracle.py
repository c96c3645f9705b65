"""Independent answers: a plain search that remembers the way it came, and holds every rule against it."""

from __future__ import annotations

import heapq
import itertools
import math
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.zones import LIVED_ON, ZONE_EDGE_M
from awl.core.graph.turns import DELAY, Placed
from awl.core.modes.delays import GATES, MAIN
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.access_points import AccessPoints
from awl.core.routing.path import StreetLeg
from awl.core.routing.snapping import ON_STREET, TOO_FAR, Snapped
from awl.study.study import Study


def times_between(
    network: Network, places: Snapped, measure: str = "time", starts: NDArray[np.integer] | None = None
) -> NDArray[np.float64]:
    """Cost (s, k) in s or m from each of `starts` (all places when left out) to each place, infinity for no way.

    What a traveller has passed is kept as a plain list of arcs and held against each turn restriction as it is stated. Nothing of
    Awl's searches, states or turns is used; costs are real numbers, not rounded to whole milliseconds along a path.
    """
    world = World(network, measure)
    starts = np.arange(len(places.link)) if starts is None else starts
    cost = np.full((len(starts), len(places.link)), np.inf)
    for row, start in enumerate(starts):
        if places.link[start] >= 0:
            cost[row] = world.from_place(places, int(start))
    return cost


class World:
    """A network as a traveller meets it."""

    def __init__(self, network: Network, measure: str) -> None:
        self.graph, self.mode, self.use = network.graph, network.mode, network.use
        pair = np.stack(network.directed(measure), axis=1)
        self.cost = np.where(pair == BLOCKED, np.inf, pair / 1000)
        self.along = {
            (link, side): cost for link, costs in enumerate(self.cost.tolist()) for side, cost in enumerate(costs)
        }
        self.heads = list(zip(self.graph.link_to.tolist(), self.graph.link_from.tolist(), strict=True))
        self.lost: dict[tuple[int, tuple[int, int] | None, tuple[int, int]], float] = {}
        self.timed = measure == "time"
        self.leaving: dict[int, list[tuple[int, int]]] = {}
        for link in np.flatnonzero(network.usable).tolist():
            for side, node in ((0, self.graph.link_from), (1, self.graph.link_to)):
                if np.isfinite(self.cost[link, side]):
                    self.leaving.setdefault(int(node[link]), []).append((link, side))
        keys = self.mode.turn_keys
        self.choices = {node: len(arcs) for node, arcs in self.leaving.items()}
        self.rules = [
            p for p in self.graph.restrictions.rows()
            if keys and p.kind != DELAY and p.condition is None and (p.applies_to is None or p.applies_to in keys)
            and not set((p.exempt or "").split(";")) & set(keys)
        ]  # fmt: skip
        self.stated = {
            (p.from_link, p.via_node, p.to_link): p.delay_s
            for p in self.graph.restrictions.rows()
            if keys and p.kind == DELAY
        }
        self.rules_from: dict[int, list[Placed]] = {}
        for p in self.rules:
            self.rules_from.setdefault(p.from_link, []).append(p)
        self.ends = np.bincount(
            np.concatenate([self.graph.link_from, self.graph.link_to]), minlength=self.graph.node_count
        )
        highway = self.graph.tag("highway").decode()
        main = np.isin(highway, MAIN)
        self.main = main
        self.meets_main = set(self.graph.link_from[main].tolist()) | set(self.graph.link_to[main].tolist())
        self.signals = (
            self.graph.node_tag("highway").equals("traffic_signals")
            | self.graph.node_tag("crossing").equals("traffic_signals")
        )  # fmt: skip
        self.gates = self.graph.node_tag("barrier").isin(GATES)

    def after(self, time: float, arc: tuple[int, int], share: float) -> float:
        """When a share of an arc is passed that is entered at a time."""
        return time if share == 0 else time + share * self.along[arc]

    def head(self, arc: tuple[int, int]) -> int:
        return int(self.heads[arc[0]][arc[1]])

    def allowed(self, passed: tuple[tuple[int, int], ...], arc: tuple[int, int]) -> bool:
        """Whether the traveller who passed these arcs may go on by another, by each restriction as it is stated."""
        for begin, (link, _) in enumerate(passed):
            for p in self.rules_from.get(link, ()):
                chain = (p.from_link, *p.via_links, p.to_link)
                if not self.begins(passed[begin:], p, chain):
                    continue
                at = len(passed) - begin
                goes_on = arc[0] == chain[at]
                if p.kind.startswith("only_") and not goes_on:
                    return False
                if not p.kind.startswith("only_") and goes_on and at == len(chain) - 1:
                    return False
        return True

    def begins(self, arcs: tuple[tuple[int, int], ...], p: Placed, chain: tuple[int, ...]) -> bool:
        """Whether these arcs are the first of a restriction, which has more."""
        links = tuple(link for link, _ in arcs)
        return len(links) < len(chain) and links == chain[: len(links)] and self.head(arcs[0]) == p.via_node

    def delay(self, node: int, before: tuple[int, int] | None, after: tuple[int, int]) -> float:
        """Seconds lost at a node on the way from one arc to the next."""
        if not self.timed:
            return 0.0
        turn = node, before, after
        if turn not in self.lost:
            self.lost[turn] = self._delay(node, before, after)
        return self.lost[turn]

    def _delay(self, node: int, before: tuple[int, int] | None, after: tuple[int, int]) -> float:
        d, graph = self.mode.delays, self.graph
        if before is not None and (before[0], node, after[0]) in self.stated:
            return float(self.stated[before[0], node, after[0]] or 0)
        lost = (
            d.signals_s
            if self.signals[node]
            else d.crossing_s
            if graph.node_tag("highway").at(node) == "crossing"
            else 0.0
        )
        lost += d.barrier_s if self.gates[node] else 0.0
        if before is None or self.choices.get(node, 0) < 2:
            return lost
        angle = (self._bearing(after, False) - self._bearing(before, True) + 180) % 360 - 180
        if before == (after[0], 1 - after[1]) or abs(angle) >= 150:
            lost += d.back_s
        elif abs(angle) > 40 and self.ends[node] > 2:
            lost += d.right_s if angle > 0 else d.left_s
        yields = node in self.meets_main and not self.main[before[0]] and not self.signals[node]
        return lost + (d.give_way_s if yields else 0.0)

    def _bearing(self, arc: tuple[int, int], last: bool) -> float:
        graph, (link, side) = self.graph, arc
        rows = list(range(int(graph.shape_start[link]), int(graph.shape_start[link + 1])))
        rows = rows[::-1] if side else rows
        i, j = rows[-2:] if last else rows[:2]
        x, y = graph.shape_xy
        return math.degrees(math.atan2(x[j] - x[i], y[j] - y[i]))

    def _state(self, passed: tuple[tuple[int, int], ...]) -> tuple[tuple[int, int], ...]:
        """As much of the way as can still matter."""
        for begin, (link, _) in enumerate(passed):
            for p in self.rules_from.get(link, ()):
                if self.begins(passed[begin:], p, (p.from_link, *p.via_links, p.to_link)):
                    return passed[begin:]
        return passed[-1:]

    def access_points(self, places: Snapped, row: int) -> list[tuple[int, float, float]]:
        """Link, fraction and way (as a share of the link) of where a place stands."""
        alternatives = places.alternatives
        more = np.flatnonzero(alternatives.place == row)
        rest = zip(
            alternatives.link[more].tolist(),
            alternatives.fraction[more].tolist(),
            alternatives.access_share[more].tolist(),
            strict=True,
        )
        return [(int(places.link[row]), float(places.fraction[row]), 0.0), *rest]

    def access_time(self, time: float, link: int, access_share: float) -> float:
        """When a street beside is come to, which takes as long as a piece of it on its quicker side."""
        return self.after(time, (link, int(np.argmin(self.cost[link]))), access_share)

    def from_place(self, places: Snapped, start: int, begin: float = 0.0) -> NDArray[np.float64]:
        """Costs to all places: by phases 0, before streets open at the ends alone are left, 1, and 2, back in them."""
        graph, at_ends = self.graph, self.use.at_ends
        waiting: list[tuple[float, int, int, tuple[tuple[int, int], ...], int]] = []
        ticket = itertools.count()
        access_points = self.access_points(places, start)
        for link, f, access_share in access_points:
            if f in (0.0, 1.0):
                node = int((graph.link_from if f == 0 else graph.link_to)[link])
                heapq.heappush(waiting, (begin, next(ticket), node, (), 0))
                continue
            first = 0 if at_ends[link] else 1
            for side, share in ((0, 1 - f), (1, f)):
                if np.isfinite(self.cost[link, side]):
                    arc = (link, side)
                    after = self.after(self.access_time(begin, link, access_share), arc, share)
                    heapq.heappush(waiting, (after, next(ticket), self.head(arc), (arc,), first))
        settled: dict[tuple[int, tuple[tuple[int, int], ...], int], float] = {}
        entered: dict[tuple[int, int], float] = {}
        at_node: dict[int, float] = {}
        while waiting:
            cost, _, node, passed, phase = heapq.heappop(waiting)
            key = (node, self._state(passed), phase)
            if key in settled:
                continue
            settled[key] = cost
            at_node.setdefault(node, cost)
            for arc in self.leaving.get(node, ()):
                ends = bool(at_ends[arc[0]])
                if (phase == 2 and not ends) or not self.allowed(passed, arc):
                    continue
                lost = cost + self.delay(node, passed[-1] if passed else None, arc)
                entered[arc] = min(entered.get(arc, np.inf), lost)
                after = phase if ends and phase == 0 else 2 if ends else 1
                heapq.heappush(
                    waiting,
                    (self.after(lost, arc, 1.0), next(ticket), self.head(arc), (*key[1], arc), after),
                )
        made = np.full(len(places.link), np.inf)
        for row in np.flatnonzero(places.link >= 0).tolist():
            for other, g, access_share in self.access_points(places, row):
                ways = [
                    self.after(entered[other, side], (other, side), share)
                    for side, share in ((0, g), (1, 1 - g))
                    if (other, side) in entered
                ]
                if g in (0.0, 1.0):
                    ways.append(at_node.get(int((graph.link_from if g == 0 else graph.link_to)[other]), np.inf))
                for link, f, way in access_points:
                    side = 0 if g >= f else 1
                    open_ = np.isfinite(self.cost[link, side]) and f not in (0.0, 1.0)
                    if link == other and (open_ or f == g):
                        ways.append(self.after(self.access_time(begin, link, way), (link, side), abs(g - f)))
                made[row] = min(
                    [made[row], *(self.access_time(way, other, access_share) for way in ways if np.isfinite(way))]
                )
        return made - begin + (self.mode.delays.start_s + self.mode.delays.end_s if self.timed else 0.0)


def random_places(network: Network, count: int, seed: int, alternatives: bool = True) -> Snapped:
    """Places strewn over the usable streets, some of them on one link and at link ends, some `alternatives` further streets."""
    rng = np.random.default_rng(seed)
    links = np.flatnonzero(network.usable)
    link = rng.choice(links, count).astype(np.int32)
    fraction = rng.uniform(0, 1, count)
    if count >= 6:
        link[1], link[2] = link[0], link[0]
        fraction[3], fraction[4] = 0.0, 1.0
    nothing = np.zeros(count)
    places = Snapped(link, fraction, nothing, np.zeros(count, np.int8), nothing, nothing)
    return replace(places, alternatives=random_stands(places, links, rng)) if alternatives else places


def without_street(places: Snapped, lost: NDArray[np.bool_]) -> Snapped:
    """The same places, some of which (mask (k,)) lie on no street."""
    link = np.where(lost, -1, places.link).astype(np.int32)
    status = np.where(lost, TOO_FAR, ON_STREET).astype(np.int8)
    return replace(
        places, link=link, status=status, alternatives=places.alternatives.take(~lost[places.alternatives.place])
    )


def random_stands(places: Snapped, links: NDArray[np.integer], rng: np.random.Generator) -> AccessPoints:
    """Up to three further links for half of the places between nodes; not all of them are far off."""
    place, link = [], []
    for row in np.flatnonzero((places.fraction > 0) & (places.fraction < 1)).tolist():
        others = links[links != places.link[row]]
        more = rng.choice(others, min(int(rng.integers(0, 4)), len(others)), replace=False)
        place += [row] * len(more)
        link += list(more)
    count = len(link)
    access_share = np.where(rng.random(count) < 0.2, 0.0, rng.uniform(0, 0.5, count))
    return AccessPoints(
        np.array(place, np.int32), np.array(link, np.int32), rng.uniform(0.05, 0.95, count), access_share
    )


def time_along(network: Network, leg: StreetLeg) -> float:
    """What the links of a way, its turns and the streets beside at its ends take together, in ms."""
    begin, end = np.where(leg.along, 0.0, 1.0), np.where(leg.along, 1.0, 0.0)
    begin[0], end[-1] = leg.start, leg.end
    passing = network.duration_ms[leg.links, np.where(leg.along, 0, 1)]
    both = np.stack(network.directed("time"), axis=1)[leg.links[[0, -1]]]
    alternatives = [
        access_share * min(cost for cost in pair if cost != BLOCKED)
        for access_share, pair in zip(leg.access_share, both.tolist(), strict=True)
        if access_share
    ]
    return float((np.abs(end - begin) * passing).sum() + leg.delay_ms.sum() + sum(alternatives))


SPOTS = 8000


def homes_along_streets(
    study: Study, count: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], list[NDArray[np.int64]]]:
    """Longitude and latitude (count,) of points evenly spaced along residential frontage, with the rows that lie in each zone."""
    network = study.network("walk")
    graph = network.graph
    links = np.flatnonzero(network.usable & np.isin(graph.tag("highway").decode(), LIVED_ON))
    # Points evenly spaced along all streets laid end to end.
    reach = np.cumsum(graph.link_length[links])
    marks = (np.arange(count) + 0.5) / count * reach[-1]
    row = np.searchsorted(reach, marks)
    chosen, at = links[row], 1 - (reach[row] - marks) / graph.link_length[links][row]
    spots = shapely.line_interpolate_point(graph.lines_xy[chosen], at, normalized=True)
    lon, lat = graph.plane.lonlat(*shapely.get_coordinates(spots).T)
    shapes = shapely.buffer(graph.plane.project(study.read_layer("zones").geometry), ZONE_EDGE_M)
    return lon, lat, [np.flatnonzero(shapely.contains(shape, spots)) for shape in shapes]


def sampled_homes(study: Study) -> tuple[NDArray[np.float64], list[NDArray[np.int64]]]:
    """Seconds (rooms, SPOTS) between each cool room and points evenly spaced along residential frontage, by the oracle's search.

    With the rows of the points that lie in each zone.
    """
    network = study.network("walk")
    rooms = study.read_layer("cool_rooms")
    lon, lat, inside = homes_along_streets(study, SPOTS)
    everything = study.snapper("walk").snap(
        np.concatenate([lon, shapely.get_x(rooms.geometry)]), np.concatenate([lat, shapely.get_y(rooms.geometry)]), 100
    )
    # Nobody walks one way only in Ferrow, so the time from a room is the time to it.
    rooms_at = np.arange(SPOTS, len(everything.link))
    return times_between(network, everything, starts=rooms_at)[:, :SPOTS], inside


def people_within(study: Study, minutes: float) -> float:
    """People of all zones within reach of a cool room."""
    times, inside = sampled_homes(study)
    near = times.min(axis=0) <= minutes * 60
    people = np.array(study.read_layer("zones").columns["population"], float)
    return float(sum(people[zone] * near[rows].mean() for zone, rows in enumerate(inside) if len(rows)))
