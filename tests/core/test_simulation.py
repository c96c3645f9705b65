"""Demand against its constraints, and places that fill up against a plain agenda: conservation, order, chance."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis.simulation.demand import (
    calibrated,
    doubly_constrained,
    mean_cost,
    sampled_pairs,
    sampled_starts,
    singly_constrained,
)
from awl.core.analysis.simulation.filling import STATES, Conduct, Crowd, Rooms, fill
from awl.core.analysis.simulation.passing import NEVER, Meetings, passed_on
from awl.core.analysis.simulation.tracks import Tracks, load_by_time
from awl.core.errors import AwlError
from tests.core.filling_oracle import fill_plainly
from tests.examples import examples

FAR = 10**9


@st.composite
def crowds(draw):
    """A small crowd with ties in time, places of no and little room, and places that cannot be reached."""
    n, k, h, g = draw(st.integers(0, 14)), draw(st.integers(1, 4)), draw(st.integers(1, 9)), draw(st.integers(1, 2))
    times = st.one_of(st.integers(0, 9), st.just(FAR))

    def whole(values, *shape):
        size = int(np.prod(shape))
        return np.array(draw(st.lists(values, min_size=size, max_size=size)), np.int64).reshape(shape)

    crowd = Crowd(
        whole(st.integers(0, 6), n),
        whole(st.integers(0, h - 1), n),
        whole(times, h, k),
        whole(st.integers(0, 12), n),
        whole(st.integers(-1, k - 1), n) if draw(st.booleans()) else None,
        whole(st.integers(0, g - 1), n) if draw(st.booleans()) else None,
    )
    between = whole(times, g, k, k)
    between[:, np.arange(k), np.arange(k)] = 0
    rooms = Rooms(whole(st.integers(0, 3), k), between)
    conduct = Conduct(
        draw(st.integers(0, 20)), draw(st.sampled_from(["wait", "next", "leave"])), draw(st.integers(0, 9))
    )
    return crowd, rooms, conduct


@settings(max_examples=examples(400))
@given(crowds())
def test_places_fill_up_as_on_a_plain_agenda(made):
    crowd, rooms, conduct = made
    filled = fill(crowd, rooms, conduct)
    n = len(crowd)
    plain = fill_plainly(
        crowd.departs_ms, crowd.travel_ms[crowd.origin], np.full(n, -1) if crowd.bound_for is None else crowd.bound_for,
        rooms.between_ms[np.zeros(n, int) if crowd.goes_on is None else crowd.goes_on], rooms.capacity, crowd.stay_ms,
        conduct.limit_ms, conduct.when_full, conduct.patience_ms,
    )  # fmt: skip
    for name, values in plain.items():
        assert np.array_equal(getattr(filled, name), values), name


@settings(max_examples=examples(200))
@given(crowds())
def test_nobody_is_lost_and_no_place_holds_more_than_it_can(made):
    crowd, rooms, conduct = made
    filled = fill(crowd, rooms, conduct)
    moments = np.arange(-1, 80, dtype=np.int64)
    states = filled.states_at(moments)
    assert states.shape == (len(STATES), len(moments)) and (states >= 0).all()
    assert (states.sum(axis=0) == len(crowd.departs_ms)).all()
    inside = filled.occupancy(moments, len(rooms.capacity))
    assert (inside <= rooms.capacity[:, None]).all()
    assert np.array_equal(inside.sum(axis=0), states[STATES.index("inside")])
    assert states[:, -1][[STATES.index(one) for one in ("not started", "travelling", "waiting", "inside")]].sum() == 0
    if conduct.when_full != "wait":
        assert not states[STATES.index("waiting")].any()


def test_a_worked_case_of_each_rule():
    """Three people come to a room of one seat at minutes 1, 2 and 3 and stay ten; another room is four minutes on."""
    times = np.array([[1, 9], [2, 9], [3, 9]], np.int64)
    crowd = Crowd(np.zeros(3, np.int64), np.arange(3), times, np.full(3, 10, np.int64))
    rooms = Rooms(np.array([1, 1], np.int64), np.array([[[0, 4], [4, 0]]], np.int64))
    on = fill(crowd, rooms, Conduct(20, "next"))
    assert (on.place.tolist(), on.enters_ms.tolist(), on.found_full.tolist()) == ([0, 1, 1], [1, 6, -1], [0, 1, 2])
    assert on.turned_away.tolist() == [2, 1] and on.ends_ms.tolist() == [11, 16, 7]
    assert on.full.tolist() == [[-1, -1], [0, -1], [0, 1]] and on.full_ms.tolist() == [[-1, -1], [2, -1], [3, 7]]
    short = fill(crowd, rooms, Conduct(6, "next"))
    assert short.served.tolist() == [True, True, False] and short.ends_ms[2] == 3, "seven minutes are over the limit"
    wait = fill(crowd, rooms, Conduct(20, "wait", 12))
    assert wait.enters_ms.tolist() == [1, 11, -1] and wait.ends_ms.tolist() == [11, 21, 15]
    assert fill(crowd, rooms, Conduct(20, "leave")).ends_ms.tolist() == [11, 2, 3]


def test_times_and_crowds_that_do_not_fit_are_refused():
    one = np.ones(1, np.int64)
    crowd = Crowd(-one, one - 1, one[None], one)
    rooms = Rooms(one, one[None, None] - 1)
    with pytest.raises(AwlError, match="before its begin"):
        fill(crowd, rooms, Conduct(5))
    with pytest.raises(AwlError, match="years after"):
        fill(Crowd(one << 36, crowd.origin, crowd.travel_ms, crowd.stay_ms), rooms, Conduct(5))


# -- tracks ----------------------------------------------------------------------------------------------------------------


@st.composite
def tracks(draw):
    """A few tracks, some empty, some that wait where they are, with times that are shared."""
    begins, times, points = [0], [], []
    for _ in range(draw(st.integers(1, 6))):
        count = draw(st.integers(0, 5))
        times += sorted(draw(st.lists(st.integers(0, 12), min_size=count, max_size=count)))
        points += [[draw(st.integers(-5, 5)), draw(st.integers(-5, 5))] for _ in range(count)]
        begins.append(len(times))
    return Tracks(np.array(begins), np.array(times, np.int64), np.array(points, float).reshape(-1, 2))


@settings(max_examples=examples(200))
@given(tracks(), st.integers(-1, 13))
def test_positions_are_those_of_each_track_by_itself(made, moment):
    """Against interpolation track by track; where several points share a moment the last of them is where one is."""
    where = made.positions_at(moment)
    for row in range(len(made)):
        part = slice(made.begins[row], made.begins[row + 1])
        times, xy = made.time_ms[part], made.xy[part]
        if len(times) == 0 or not times[0] <= moment <= times[-1]:
            assert np.isnan(where[row]).all()
            continue
        last = np.flatnonzero(times <= moment)[-1]
        kept = np.concatenate([np.unique(times, return_index=True)[1][1:] - 1, [len(times) - 1]])
        later = np.interp(moment, times[kept], xy[kept, 0]), np.interp(moment, times[kept], xy[kept, 1])
        assert times[last] <= moment
        if moment in times:
            assert where[row] == pytest.approx(xy[last])
        elif len(kept) == len(times):
            assert where[row] == pytest.approx(later)
    arrivals = made.arrivals()
    assert [int(one) for one in arrivals] == [
        int(made.time_ms[made.begins[row + 1] - 1]) if made.begins[row + 1] > made.begins[row] else -1
        for row in range(len(made))
    ]


@settings(max_examples=examples(100))
@given(st.integers(0, 2**32 - 1), st.integers(0, 40))
def test_streets_hold_who_is_on_them(seed, count):
    """Against everybody counted at every moment."""
    rng = np.random.default_rng(seed)
    link, enters = rng.integers(0, 4, count), rng.integers(-5, 30, count)
    leaves = enters + rng.integers(0, 9, count)
    edges = np.array([0, 10, 15, 25])
    entries, mean = load_by_time(link, enters, leaves, 4, edges)
    for street in range(4):
        own = link == street
        for nth, (begin, end) in enumerate(zip(edges[:-1], edges[1:], strict=True)):
            assert entries[street, nth] == ((enters[own] >= begin) & (enters[own] < end)).sum()
            there = sum(((enters[own] <= moment) & (leaves[own] > moment)).sum() for moment in range(begin, end))
            assert mean[street, nth] == pytest.approx(there / (end - begin))


# -- what is passed on at meetings -----------------------------------------------------------------------------------------


def test_without_recovery_in_complete_mixing_the_curve_is_logistic():
    """Everybody meets one other, drawn at random, at each step: Verhulst's curve, its step as a rate."""
    people, steps, probability, begun = 20_000, 160, 0.05, 800
    rng = np.random.default_rng(11)
    pairs = np.vstack([rng.permutation(people).reshape(-1, 2) for _ in range(steps)])
    meetings = Meetings(pairs[:, 0].copy(), pairs[:, 1].copy(), np.repeat(np.arange(steps), people // 2))
    passed = passed_on(people, meetings, np.arange(begun), probability, 0, 0, rng)
    moments = np.arange(steps)
    carrying = passed.counts_at(moments)[1]
    rate = np.log1p(probability)
    expected = people / (1 + (people / begun - 1) * np.exp(-rate * (moments + 1)))
    assert np.abs(carrying - expected).max() < 0.02 * people
    assert (np.diff(carrying) >= 0).all() and carrying[-1] > 0.98 * people


@settings(max_examples=examples(150))
@given(st.integers(0, 2**32 - 1), st.integers(2, 9), st.integers(0, 40), st.sampled_from([0, 3, 8]))
def test_passing_on_follows_meetings_one_by_one(seed, people, count, recovery):
    """With certainty of passing on, against sets of carriers moment by moment; meetings of a moment in any order."""
    rng = np.random.default_rng(seed)
    first = rng.integers(0, people, count)
    second = (first + rng.integers(1, people, count)) % people
    when = np.sort(rng.integers(0, 12, count))
    begin_with = np.array([0])
    passed = passed_on(people, Meetings(first, second, when), begin_with, 1.0, recovery, 0, rng)
    since = {0: -1}
    for moment in range(12):
        carriers = {one for one, begin in since.items() if not recovery or moment < begin + recovery}
        for one, other in zip(first[when == moment], second[when == moment], strict=True):
            for giver, taker in ((one, other), (other, one)):
                if giver in carriers and taker not in since:
                    since[int(taker)] = moment
    assert {i: int(t) for i, t in enumerate(passed.since_ms) if t != NEVER} == since
    counts = passed.counts_at(np.arange(-2, 30))
    assert (counts.sum(axis=0) == people).all() and (counts >= 0).all()
    assert counts[2, -1] == (len(since) if recovery else 0)
    shuffled = np.lexsort((rng.random(count), when))
    again = passed_on(people, Meetings(first[shuffled], second[shuffled], when), begin_with, 1.0, recovery, 0, rng)
    assert np.array_equal(again.since_ms, passed.since_ms)
    for taker, giver in enumerate(passed.source):
        assert giver == -1 or passed.since_ms[giver] < passed.since_ms[taker]


def test_meetings_out_of_order_are_refused():
    with pytest.raises(AwlError, match="not in order"):
        passed_on(
            2,
            Meetings(np.zeros(2, int), np.ones(2, int), np.array([5, 4])),
            np.array([0]),
            1,
            0,
            0,
            np.random.default_rng(1),
        )


# -- demand ----------------------------------------------------------------------------------------------------------------


@settings(max_examples=examples(100))
@given(st.integers(1, 8), st.integers(1, 8), st.integers(0, 2**32 - 1))
def test_constrained_trips_have_their_sums(n, m, seed):
    rng = np.random.default_rng(seed)
    cost = rng.uniform(1, 30, (n, m))
    share, produced, attraction = np.exp(-0.1 * cost), rng.uniform(0, 100, n), rng.uniform(0.1, 5, m)
    one = singly_constrained(share, produced, attraction)
    assert one.sum(axis=1) == pytest.approx(produced)
    attracted = attraction / attraction.sum() * produced.sum()
    two = doubly_constrained(share, produced, attracted)
    assert two.sum(axis=1) == pytest.approx(produced, rel=1e-6, abs=1e-6)
    assert two.sum(axis=0) == pytest.approx(attracted, rel=1e-6, abs=1e-6)
    # The odds of any two origins and destinations are those of the shares: balancing changes no more than it must.
    if n > 1 and m > 1 and (two[:2, :2] > 1e-9).all():
        odds = two[0, 0] * two[1, 1] / (two[0, 1] * two[1, 0])
        assert odds == pytest.approx(share[0, 0] * share[1, 1] / (share[0, 1] * share[1, 0]), rel=1e-4)


def test_sums_that_cannot_be_are_refused():
    share = np.array([[1.0, 0.0], [0.0, 1.0]])
    with pytest.raises(AwlError, match="30 trips begin and 20 end"):
        doubly_constrained(share, np.array([10.0, 20.0]), np.array([10.0, 10.0]))
    with pytest.raises(AwlError, match="No table of trips"):
        doubly_constrained(share, np.array([10.0, 20.0]), np.array([20.0, 10.0]))
    assert singly_constrained(np.array([[0.0, 0.0], [1.0, 1.0]]), np.array([5.0, 4.0]), np.ones(2)).tolist() == [
        [0, 0],
        [2, 2],
    ]


@settings(max_examples=examples(60))
@given(st.integers(0, 2**32 - 1), st.floats(0.15, 0.95))
def test_trips_are_calibrated_to_their_mean(seed, between):
    rng = np.random.default_rng(seed)
    cost = rng.uniform(1, 60, (6, 9))
    cost[rng.random((6, 9)) < 0.1] = np.inf
    cost[:, 0] = 20.0
    produced, attraction = rng.uniform(1, 50, 6), rng.uniform(1, 5, 9)

    def distribute(share):
        return singly_constrained(share, produced, attraction)

    longest = mean_cost(distribute(np.isfinite(cost).astype(float)), cost)
    least = float((produced * cost.min(axis=1)).sum() / produced.sum())
    wanted = least + between * (longest - least)
    b, trips = calibrated(cost, wanted, distribute)
    assert mean_cost(trips, cost) == pytest.approx(wanted, rel=2e-4) and b >= 0
    assert trips.sum(axis=1) == pytest.approx(produced)
    with pytest.raises(AwlError, match="one of"):
        calibrated(cost, longest * 1.1, distribute)
    with pytest.raises(AwlError, match="even where everybody goes to the nearest"):
        calibrated(cost, least * 0.9, distribute)


def test_samples_follow_their_shares_and_their_seed():
    trips = np.array([[0.0, 6.0], [3.0, 1.0], [0.0, 0.0]])
    pairs = sampled_pairs(trips, 40_000, np.random.default_rng(7))
    counted = np.zeros_like(trips)
    np.add.at(counted, pairs, 1)
    # Five standard deviations of a binomial count.
    expected = trips / trips.sum() * 40_000
    assert (np.abs(counted - expected) <= 5 * np.sqrt(expected)).all()
    again = sampled_pairs(trips, 40_000, np.random.default_rng(7))
    assert all(np.array_equal(one, other) for one, other in zip(pairs, again, strict=True))
    starts = sampled_starts(1000, 5000, np.array([1.0, 0.0, 3.0, 0.0]), 20_000, np.random.default_rng(3))
    quarters = np.bincount((starts - 1000) // 1000, minlength=4)
    assert starts.min() >= 1000 and starts.max() < 5000 and quarters[1] == quarters[3] == 0
    assert quarters[2] / quarters[0] == pytest.approx(3, rel=0.1)
