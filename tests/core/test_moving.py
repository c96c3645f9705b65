"""Who moves on streets: times against the router's, positions against the streets, meetings against everybody with everybody."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse.csgraph import shortest_path

from awl.core.analysis.simulation.meetings import Close, met
from awl.core.analysis.simulation.moving import Passages, passages_of, timed_paths
from awl.core.routing.dijkstra.search import UNREACHED
from awl.core.routing.router import StreetRouter
from tests.core.test_search import networks
from tests.examples import examples
from tests.oracle import random_places


def walked(network, seed: int, people: int, window_ms: int):
    """People on their way between places strewn over a network, with the paths they follow."""
    rng = np.random.default_rng(seed)
    places = random_places(network, 8, seed)
    a, b = rng.integers(0, 8, (2, people))
    paths = StreetRouter(network).trips(places.take(a), places.take(b), "time")
    timed = timed_paths(network, paths)
    departs = rng.integers(0, window_ms, people)
    return places, (a, b), timed, departs, passages_of(timed, np.arange(people), np.arange(people), departs)


@settings(max_examples=examples(120), deadline=None)
@given(networks(), st.integers(0, 1000))
def test_who_moves_arrives_when_the_router_says_and_never_jumps(network, seed):
    places, (a, b), timed, departs, passages = walked(network, seed, 12, 90_000)
    cost, _ = StreetRouter(network).matrix(places, places, "time", carrying=False)
    expected = cost[a, b].astype(np.int64)
    assert np.array_equal(timed.takes_ms, np.where(expected == UNREACHED, -1, expected))
    graph = network.graph
    delays = network.mode.delays
    tracks = passages.tracks(graph, 12, in_plane=True)
    lines = graph.lines_xy
    for person in range(12):
        own = passages.take(passages.person == person)
        if not len(own):
            continue
        assert (own.leaves_ms >= own.enters_ms).all() and (own.enters_ms[1:] >= own.leaves_ms[:-1]).all()
        assert own.enters_ms[0] >= departs[person] + 1000 * delays.start_s
        last = departs[person] + timed.takes_ms[person] - 1000 * delays.end_s
        assert own.leaves_ms[-1] <= last + 1
        ends = [
            shapely.get_coordinates(shapely.line_interpolate_point(lines[own.link], fraction, normalized=True))
            for fraction in (own.begin, own.end)
        ]
        assert np.abs(ends[0][1:] - ends[1][:-1]).max(initial=0) < 1e-3, "one stretch begins where another ended"
        # Halfway through a stretch one is halfway along it.
        for row in np.flatnonzero(own.leaves_ms - own.enters_ms > 2)[:5].tolist():
            moment = int(own.enters_ms[row] + own.leaves_ms[row]) // 2
            share = (moment - own.enters_ms[row]) / (own.leaves_ms[row] - own.enters_ms[row])
            at = own.begin[row] + share * (own.end[row] - own.begin[row])
            there = shapely.get_coordinates(shapely.line_interpolate_point(lines[own.link[row]], at, normalized=True))
            moved = np.hypot(*(tracks.positions_at(moment)[person] - there[0]))
            assert moved < 0.05 + graph.link_length[own.link[row]] * 2 / (own.leaves_ms[row] - own.enters_ms[row])


def test_a_slower_pace_takes_longer_in_proportion(walk):
    _, _, timed, _, _ = walked(walk, 4, 12, 1)
    slow = timed.at_speed(0.5)
    there = timed.takes_ms >= 0
    assert np.array_equal(slow.takes_ms[there], 2 * timed.takes_ms[there]) and timed.at_speed(1.0) is timed
    assert (slow.takes_ms[~there] == -1).all()


def met_plainly(passages: Passages, graph, people: int, close: Close) -> set[tuple[int, int, int, int]]:
    """Meetings by everybody with everybody, second by second: both, the first and the last second."""
    edges = (np.minimum(graph.link_from, graph.link_to), np.maximum(graph.link_from, graph.link_to))
    order = np.argsort(-graph.link_length, kind="stable")  # the shortest of parallel links is put in last
    table = np.full((graph.node_count, graph.node_count), np.inf)
    table[edges[0][order], edges[1][order]] = np.maximum(graph.link_length[order], 1e-9)
    between = shortest_path(np.where(np.isfinite(table), table, 0), directed=False)
    np.fill_diagonal(between, 0)
    seconds = range(int(passages.enters_ms.min() // 1000), int(passages.leaves_ms.max() // 1000) + 1)
    together: dict[tuple[int, int], list[int]] = {}
    for second in seconds:
        now = second * 1000
        present = {}
        for row in np.flatnonzero((passages.enters_ms <= now) & (now <= passages.leaves_ms)).tolist():
            spent = passages.leaves_ms[row] - passages.enters_ms[row]
            share = (now - passages.enters_ms[row]) / spent if spent else 0.0
            fraction = passages.begin[row] + share * (passages.end[row] - passages.begin[row])
            present[int(passages.person[row])] = (int(passages.link[row]), float(fraction))
        for one, (link, fraction) in present.items():
            for other, (further, at) in present.items():
                if one >= other:
                    continue
                ends = [
                    [(graph.link_from[i], f * graph.link_length[i]), (graph.link_to[i], (1 - f) * graph.link_length[i])]
                    for i, f in ((link, fraction), (further, at))
                ]
                apart = min(m + between[u, v] + n for u, m in ends[0] for v, n in ends[1])
                if link == further:
                    apart = min(apart, abs(fraction - at) * graph.link_length[link])
                if apart <= close.metres:
                    together.setdefault((one, other), []).append(second)
    meetings = set()
    for pair, moments in together.items():
        runs = np.split(np.array(moments), np.flatnonzero(np.diff(moments) > 1) + 1)
        meetings |= {(*pair, int(run[0]), int(run[-1])) for run in runs if run[-1] - run[0] >= close.seconds}
    return meetings


@settings(max_examples=examples(80), deadline=None)
@given(networks(), st.integers(0, 1000), st.sampled_from([0.5, 8.0, 60.0, 400.0]), st.sampled_from([0, 1, 4]))
def test_meetings_are_those_of_everybody_with_everybody(network, seed, metres, seconds):
    *_, passages = walked(network, seed, 9, 20_000)
    if not len(passages):
        return
    passages = passages.with_standing()
    close = Close(metres, seconds)
    plain = met_plainly(passages, network.graph, 9, close)
    near = met_plainly(passages, network.graph, 9, replace(close, metres=metres + 1e-4))
    if plain != near:
        return  # two that are exactly so far apart are close or not by rounding
    found = met(passages, network.graph, 9, close)
    rows = zip(found.first, found.second, found.begins_ms // 1000, found.until_ms // 1000, strict=True)
    assert {tuple(int(value) for value in row) for row in rows} == plain
    assert np.array_equal(found.when_ms, found.begins_ms + 1000 * seconds) and (np.diff(found.when_ms) >= 0).all()


def test_walls_keep_people_apart(walk):
    """Two on different streets stand 25 m apart, with more than that to the next crossing: they do not meet."""
    graph = walk.graph
    lines = graph.lines_xy
    links = np.flatnonzero(walk.usable & (graph.link_length > 80))
    middle = shapely.line_interpolate_point(lines[links], 0.5, normalized=True)
    pairs = zip(*shapely.STRtree(middle).query(middle, predicate="dwithin", distance=25.0), strict=True)
    above, below = next((int(links[a]), int(links[b])) for a, b in pairs if a != b)
    at = np.full(2, 0.5)
    standing = Passages(
        np.arange(2), np.array([above, below], np.int32), at, at, np.zeros(2, np.int64), np.full(2, 9000)
    )
    assert len(met(standing, graph, 2, Close(26.0))) == 0
    both = replace(standing, link=np.full(2, above, np.int32), begin=at[[0, 0]], end=at[[0, 0]])
    one = met(both, graph, 2, Close(5.0, 3))
    assert (one.begins_ms.tolist(), one.until_ms.tolist(), one.when_ms.tolist()) == ([0], [9000], [3000])


def test_too_many_meetings_are_refused(walk, monkeypatch):
    monkeypatch.setattr("awl.core.analysis.simulation.meetings.MOST_SPANS", 3)
    link = np.full(9, int(np.flatnonzero(walk.usable)[0]), np.int32)
    half, zero = np.full(9, 0.5), np.zeros(9, np.int64)
    crowd = Passages(np.arange(9), link, half, half, zero, zero + 5000)
    with pytest.raises(Exception, match="Two are close 36 times"):
        met(crowd, walk.graph, 9, Close(1.0))
