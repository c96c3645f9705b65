"""Checks of the streets: each finds the fault it is for, and keeps still where there is none."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.analysis.health.check import check
from awl.core.analysis.health.findings import KINDS, NAMES, Findings
from awl.core.analysis.health.segments import Segments, meetings
from awl.core.analysis.health.sentences import sentences
from awl.core.graph.build import build_graph
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from tests.conftest import node, way
from tests.examples import examples

M = 1 / 111_195
"""Degrees of latitude in a metre."""


@pytest.fixture
def checked(read_osm):
    """What the checks find in a small town."""

    def check_town(body: str, water: shapely.Geometry | None = None) -> tuple[Network, Findings]:
        graph, report = build_graph(read_osm(body), merge=False)
        network = Network.of(graph, SHIPPED["drive"])
        polygons = None if water is None else network.graph.plane.project(np.array([water], object))
        return network, check(graph, network, polygons, report=report)

    return check_town


def block(more: str = "", **tags: str) -> str:
    """A square of streets of 200 m, and what else is given."""
    corners = [(0, 0), (200, 0), (200, 200), (0, 200)]
    nodes = "".join(node(i + 1, x * M, y * M) for i, (x, y) in enumerate(corners))
    return nodes + way(1, [1, 2, 3, 4, 1], highway="residential", name="Square", **tags) + more


def at(x: float, y: float, ident: int, **tags: str) -> str:
    return node(ident, x * M, y * M, **tags)


def street(ident: int, refs: list[int], **tags: str) -> str:
    return way(ident, refs, **{"highway": "residential", **tags})


def test_a_sound_town_has_no_fault(checked):
    assert len(checked(block())[1]) == 0


BEYOND = at(360, -80, 20) + at(360, 80, 21) + at(200, -80, 22) + street(9, [20, 21]) + street(8, [20, 22, 2])
"""More streets east of the square: what ends there does not end with the map."""

FAULTS = {
    "near-miss": block(at(100, 150, 10) + at(100, 2, 11) + street(2, [10, 11]) + street(3, [10, 3])),
    "unjoined-crossing": block(
        at(100, -50, 10) + at(100, 50, 11) + at(50, -50, 12) + street(2, [10, 11]) + street(3, [10, 12, 1])
    ),
    "self-crossing": block(
        at(300, 0, 10) + at(300, 50, 11) + at(250, 50, 12) + at(250, -50, 13) + street(2, [2, 10, 11, 12, 13])
    ),
    "duplicate": block(at(50, 0, 10) + at(150, 0, 11) + street(2, [1, 10, 11, 2])),
    "isolated": block(at(500, 0, 10) + at(600, 0, 11) + street(2, [10, 11])),
    "no-way-out": block(BEYOND + at(300, 0, 10) + street(2, [2, 10], oneway="yes")),
    "no-way-in": block(BEYOND + at(300, 0, 10) + street(2, [10, 2], oneway="yes")),
    "facing": block(at(300, 0, 10) + street(2, [2, 10], oneway="yes") + street(3, [3, 10], oneway="yes")),
    "no-length": block(at(0, 0, 10) + street(2, [1, 10])),
    "lost-restriction": block(
        '<relation id="7"><tag k="type" v="restriction"/><tag k="restriction" v="no_left_turn"/>'
        '<member type="way" ref="1" role="from"/><member type="node" ref="2" role="via"/>'
        '<member type="way" ref="99" role="to"/></relation>'
    ),
    "absurd-speed": block(at(300, 0, 10) + street(2, [2, 10], maxspeed="fast")),
    "odd-speed": block(at(300, 0, 10) + street(2, [2, 10], maxspeed="130")),
    "odd-level": block(at(300, 0, 10) + street(2, [2, 10], bridge="yes", layer="-1")),
    "joined-levels": block(
        at(300, 0, 10) + at(400, 0, 11) + at(300, -100, 12) + at(300, 100, 13)
        + street(2, [2, 10, 11]) + street(3, [12, 10], bridge="yes", layer="1") + street(4, [10, 13], bridge="yes", layer="1")
    ),
}  # fmt: skip


@pytest.mark.parametrize("kind", FAULTS)
def test_a_fault_is_found_for_what_it_is(checked, kind):
    network, findings = checked(FAULTS[kind])
    assert findings.counts() == {kind: 1}
    (sentence,) = sentences(network.graph, findings)
    assert not sentence[0].islower() and sentence.endswith(".") and "nan" not in sentence


@pytest.mark.parametrize(
    "body",
    {
        "an end that is meant to be one": block(at(300, 0, 10) + street(2, [2, 10])),
        "a street beside another": block(at(20, 20, 10) + at(180, 20, 11) + street(2, [4, 10]) + street(3, [3, 11])),
        "a bridge over a street": block(
            at(100, -50, 10) + at(100, 50, 11)
            + street(2, [1, 10]) + street(3, [10, 11], bridge="yes", layer="1") + street(4, [11, 4])
        ),
        "a limit in words": block(at(300, 0, 10) + street(2, [2, 10], maxspeed="none")),
        "a one-way street around": block(oneway="yes"),
        "a path that ends at a road which bars walkers": block(
            at(100, 150, 10) + at(100, 2, 11) + street(3, [3, 10]) + way(2, [10, 11], highway="footway"), foot="no"
        ),
        "a tunnel that ends beside a path": block(
            at(300, 0, 10) + at(301, -30, 11) + at(301, 200, 12)
            + street(2, [2, 10], tunnel="yes", layer="-1") + way(3, [11, 12, 3], highway="footway")
        ),
    }.items(),
    ids=lambda item: item[0],
)  # fmt: skip
def test_what_is_meant_so_is_no_fault(checked, body):
    assert checked(body[1])[1].counts() == {}


def test_a_level_of_its_own_on_a_street_that_goes_on_is_odd(checked):
    arm = at(300, 0, 10) + at(400, 0, 11) + at(500, 0, 12) + street(2, [2, 10]) + street(4, [11, 12])
    network, findings = checked(block(arm + street(3, [10, 11], layer="1")))
    assert findings.counts() == {"odd-level": 1} and "unlike the streets" in sentences(network.graph, findings)[0]
    assert checked(block(arm + street(3, [10, 11], layer="1", bridge="yes")))[1].counts() == {}


def test_streets_that_nobody_may_drive_on_are_checked_all_the_same(read_osm):
    graph, _ = build_graph(read_osm(FAULTS["unjoined-crossing"].replace("residential", "footway")), merge=False)
    assert check(graph, None).counts() == {"unjoined-crossing": 1}


def test_a_gap_says_how_wide_it_is_and_where_it_ends(checked):
    network, findings = checked(FAULTS["near-miss"])
    assert findings.size[0] == pytest.approx(2, abs=0.02)
    assert np.hypot(findings.to_x - findings.x, findings.to_y - findings.y)[0] == pytest.approx(2, abs=0.02)
    assert "2.0 m short of Square" in sentences(network.graph, findings)[0]


def test_the_nearest_to_a_part_by_itself_is_of_its_level(checked):
    apart = at(100, 10, 10) + at(150, 10, 11) + way(2, [10, 11], highway="footway")
    above = at(300, 10, 12) + at(90, 12, 13) + street(3, [2, 12, 13], bridge="yes", layer="1")
    network, findings = checked(block(apart + above))
    (row,) = np.flatnonzero(findings.kind == NAMES.index("isolated"))
    assert sentences(network.graph, findings)[row].endswith("the nearest is Square, 10 m away.")


@pytest.mark.parametrize("kind", ["no-way-out", "no-way-in"])
def test_where_one_street_ends_alone_the_extract_may_be_cut(checked, kind):
    network, findings = checked(FAULTS[kind])
    assert sentences(network.graph, findings)[0].endswith(", unless the extract is cut here.")


def test_a_street_through_water_is_one_unless_it_has_a_bridge(checked):
    pond = shapely.box(250 * M, -50 * M, 350 * M, 50 * M)
    arm = at(400, 0, 10)
    assert checked(block(arm + street(2, [2, 10])), pond)[1].counts() == {"covered-by-water": 1}
    assert checked(block(arm + street(2, [2, 10], bridge="yes")), pond)[1].counts() == {}


def test_a_street_that_turn_restrictions_shut(checked):
    arms = (
        at(300, 0, 10)
        + at(400, 0, 11)
        + at(300, 100, 12)
        + street(2, [2, 10])
        + street(3, [10, 11])
        + street(4, [10, 12])
    )
    bans = "".join(
        f'<relation id="{k}"><tag k="type" v="restriction"/><tag k="restriction" v="no_left_turn"/>'
        f'<member type="way" ref="2" role="from"/><member type="node" ref="10" role="via"/>'
        f'<member type="way" ref="{k}" role="to"/></relation>'
        for k in (3, 4)
    )
    assert "shut-by-restrictions" in checked(block(arms + bans))[1].counts()


def test_main_roads_without_a_limit_count_where_others_have_one(checked):
    roads = "".join(
        at(300 + 100 * k, 0, 10 + k)
        + way(10 + k, [2 if k == 0 else 9 + k, 10 + k], highway="primary", **({} if k == 9 else {"maxspeed": "50"}))
        for k in range(10)
    )
    assert checked(block(roads))[1].counts() == {"missing-speed": 1}
    assert checked(block(roads.replace('k="maxspeed"', 'k="was"')))[1].counts() == {}


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(0, 10_000), st.integers(2, 40), st.sampled_from([30.0, 120.0]))
def test_crossings_are_those_that_shapely_finds(seed, count, span):
    rng = np.random.default_rng(seed)
    begin, end = rng.uniform(-span, span, (2, count, 2))
    link = np.arange(count)
    nodes = np.column_stack([2 * link, 2 * link + 1])
    segments = Segments(link, begin, end, nodes, np.stack([begin, end], axis=1).reshape(-1, 2))
    meet = meetings(segments)
    lines = shapely.linestrings(np.stack([begin, end], axis=1))
    expected = {
        (i, j): shapely.get_coordinates(shapely.intersection(lines[i], lines[j]))[0]
        for i in range(count)
        for j in range(i + 1, count)
        if shapely.crosses(lines[i], lines[j]) and not nearly_parallel(begin, end, i, j)
    }
    told = {
        (a, b): xy
        for a, b, xy, along in zip(meet.a.tolist(), meet.b.tolist(), meet.xy, meet.along, strict=True)
        # Which of those that are about parallel cross, and which overlap, is a matter of rounding.
        if along == 0 and not nearly_parallel(begin, end, a, b)
    }
    assert len(meet.a) == len(set(zip(meet.a.tolist(), meet.b.tolist(), meet.along.tolist(), strict=True))), (
        "each is told once"
    )
    assert told.keys() == expected.keys()
    for pair, xy in expected.items():
        assert told[pair] == pytest.approx(xy, abs=1e-6)


def nearly_parallel(begin: np.ndarray, end: np.ndarray, i: int, j: int) -> bool:
    u, v = end[i] - begin[i], end[j] - begin[j]
    return bool(abs(u[0] * v[1] - u[1] * v[0]) <= 0.021 * np.hypot(*u) * np.hypot(*v))


def test_every_kind_is_described():
    for name, kind in KINDS.items():
        assert kind.grade in ("error", "warning", "note") and kind.why.endswith(".") and name in NAMES
