"""Earliest arrivals by the clock: against a plain search that walks through the day second by second."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from awl.core.modes.hours import hour_pace
from awl.core.modes.mode import Curve
from awl.core.network.costs import BLOCKED
from awl.core.network.network import Network
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.dijkstra.plain import arrivals, best_leg
from awl.core.routing.dijkstra.time_dependent import HOUR_MS, arrival_at
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import Snapped
from awl.core.routing.static_speeds import changes_over_the_day, off_by_the_clock, some_reached
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import World, random_places

WEDNESDAY = datetime(2026, 6, 3, 7)
shares = st.lists(st.floats(0.05, 1.25), min_size=24, max_size=24)


def clocked(network: Network, curves: tuple[Curve, ...], guided: bool = False) -> StreetRouter:
    """The router of the same network with curves, at an hour; it knows what ways take at least, if `guided`."""
    free = Network.of(network.graph, replace(network.mode, curves=curves))
    return StreetRouter(free, Hierarchy.of(free) if guided else None).on(free.at(WEDNESDAY))


def table(share: list[float]) -> tuple[np.ndarray, np.ndarray]:
    row = np.array([[*share, share[0]]])
    done = np.concatenate([[[0.0]], np.cumsum((row[:, 1:] + row[:, :-1]) / 2 * HOUR_MS, axis=1)], axis=1)
    return row[0], done[0]


@settings(deadline=None)
@given(shares, st.floats(0, 30), st.floats(0, 40))
def test_what_is_done_between_begin_and_arrival_is_what_was_to_be_done(share, begin, hours):
    shares, done = table(share)
    free = hours * HOUR_MS
    end = arrival_at(shares, done, begin * HOUR_MS, free)
    grid = np.linspace(begin, end / HOUR_MS, 20_001)
    speed = np.interp(grid % 24, np.arange(25), shares)
    assert np.trapezoid(speed, grid) == pytest.approx(hours, abs=2e-3 + 1e-3 * hours)


@settings(deadline=None)
@given(shares, st.floats(0, 24), st.floats(0.001, 3), st.floats(0.0001, 2))
def test_nobody_overtakes_by_waiting(share, begin, later, hours):
    shares, done = table(share)
    early, late = (arrival_at(shares, done, b * HOUR_MS, hours * HOUR_MS) for b in (begin, begin + later))
    assert late >= early - 1e-3


STEP_S = 10
"""Speeds change so slowly that within a step they are good to 4 ms."""


class ByClock(World):
    """The plain search, with speeds that change: days are laid out in steps of `STEP_S` seconds."""

    def __init__(self, network: Network) -> None:
        super().__init__(network, "time")
        free = network.free_ms.reshape(-1, 2)
        self.cost = np.where(free == BLOCKED, np.inf, free / 1000)
        self.seconds = seconds = np.arange(0, 3 * 86_400 + 1, STEP_S)
        day = WEDNESDAY.replace(hour=0)
        self.done = {}
        for link in range(network.graph.link_count):
            pace = [hour_pace(network.mode, network.graph, day.replace(hour=h))[link] for h in range(24)]
            speed = np.interp(seconds / 3600 % 24, np.arange(25), 1 / np.array([*pace, pace[0]]))
            self.done[link] = np.concatenate([[0.0], STEP_S * np.cumsum((speed[1:] + speed[:-1]) / 2)])

    def after(self, time: float, arc: tuple[int, int], share: float) -> float:
        if share == 0:
            return time
        done = self.done[arc[0]]
        return float(np.interp(np.interp(time, self.seconds, done) + share * self.cost[arc], done, self.seconds))


@settings(max_examples=examples(50), deadline=None)
@given(networks(), st.integers(0, 1000), shares, st.integers(0, 23), st.sampled_from([0.0, 0.2]), st.booleans())
def test_ways_by_the_clock_equal_a_plain_search(network, seed, share, hour, closed, guided):
    # Streets are made long, so that a trip sees several hours pass.
    curves = (Curve("weekday", (), tuple(share)),)
    router = clocked(network, curves, guided)
    slow = router.network.with_slower(np.full(network.graph.link_count, 60.0))
    choices = ByClock(slow).choices  # what a turn costs is not changed by a closure
    slow = slow.with_closed(np.random.default_rng(seed).random(network.graph.link_count) < closed)
    assume(slow.usable.any())
    places = random_places(slow, 4, seed)
    world = ByClock(slow)
    world.choices = choices
    oracle = world.from_place(places, 0, hour * 3600.0)
    ends = (slow.mode.delays.start_s + slow.mode.delays.end_s) * 1000
    for target in range(1, 4):
        path = router.on(slow).departing(hour * HOUR_MS).path(places, 0, target, "time")
        if path is None:
            assert np.isinf(oracle[target])
            continue
        (leg,) = path.legs
        assert (leg.cost + ends) / 1000 == pytest.approx(oracle[target], rel=1e-4, abs=0.02)
        assert leg.passing_ms.sum() + leg.delay_ms.sum() == pytest.approx(leg.cost, abs=3)


def test_in_free_flow_the_clock_gives_the_plain_way(walk):
    still = clocked(walk, ())
    places = random_places(still.network, 8, 4)
    for target in range(1, 8):
        one = best_leg(walk, places, 0, target, "time")
        (two,) = still.departing(9 * HOUR_MS).path(places, 0, target, "time").legs
        # A clock rounds at each link.
        assert two.cost == pytest.approx(one.cost, abs=1 + len(one.links) / 2) and np.array_equal(one.links, two.links)


def test_frozen_speeds_are_off_only_where_speeds_change(walk):
    still, hurried = clocked(walk, ()), clocked(walk, (Curve("weekday", (), tuple([1.0] * 8 + [0.25] * 16)),))
    assert not changes_over_the_day(walk) and not changes_over_the_day(still.network)
    assert changes_over_the_day(hurried.network)
    places = random_places(still.network, 12, 2)
    sources, targets = places.take(np.arange(6)), places.take(np.arange(6, 12))
    access_share = off_by_the_clock(still, sources, targets, 7 * HOUR_MS)
    assert np.nanmax(np.abs(access_share)) < 1e-4
    # At seven the speed is whole and falls to a quarter within the hour: at frozen speed trips seem too short.
    assert np.nanmax(off_by_the_clock(hurried, sources, targets, 7.5 * HOUR_MS)) < -0.2


@pytest.mark.parametrize("direction", ["from", "to"])
def test_sampled_points_are_reached_and_belong_to_their_place(walk, direction):
    places = random_places(walk, 3, 5)
    found = arrivals(walk, places, "time", direction, 300_000)
    points, owner = some_reached(found, 300_000, 8)
    assert 0 < len(points.link) <= 8 and walk.usable[points.link].all()
    for i, mine in enumerate(owner.tolist()):
        both = Snapped.joined([places.take(np.array([mine])), points.take(np.array([i]))])
        ends = (0, 1) if direction == "from" else (1, 0)
        assert best_leg(walk, both, *ends, "time").cost <= 300_000
