"""What modes make of tags. Each row: tags, then use by walk, cycle, drive: B both ways, F along, R against, E at ends, - not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from awl.core.columns import Categorical
from awl.core.graph.build import build_graph
from awl.core.modes.mode import CYCLE, DRIVE, LORRY, SHIPPED, WALK
from awl.core.modes.rules import (
    BY_SIZE,
    SPEED_FROM_CLASS,
    SPEED_FROM_MAXSPEED,
    SPEED_MEASURED,
    apply_mode,
    posted_speed,
)
from awl.core.network.network import Network
from tests.conftest import node, way

TABLE = [
    ({"highway": "residential"}, "BBB"),
    ({"highway": "residential", "oneway": "yes"}, "BFF"),
    ({"highway": "residential", "oneway": "1"}, "BFF"),
    ({"highway": "residential", "oneway": "-1"}, "BRR"),
    ({"highway": "residential", "oneway": "no"}, "BBB"),
    ({"highway": "residential", "oneway": "yes", "oneway__bicycle": "no"}, "BBF"),
    ({"highway": "residential", "oneway": "yes", "cycleway": "opposite_lane"}, "BBF"),
    ({"highway": "primary", "junction": "roundabout"}, "BFF"),
    ({"highway": "primary", "junction": "circular"}, "BFF"),
    ({"highway": "motorway"}, "--F"),
    ({"highway": "motorway", "oneway": "no"}, "--B"),
    ({"highway": "motorway_link", "oneway": "yes"}, "--F"),
    ({"highway": "motorway", "foot": "yes"}, "--F"),
    ({"highway": "trunk"}, "B-B"),
    ({"highway": "trunk", "foot": "no"}, "--B"),
    ({"highway": "trunk", "bicycle": "yes"}, "BBB"),
    ({"highway": "footway"}, "B--"),
    ({"highway": "footway", "bicycle": "yes"}, "BB-"),
    ({"highway": "footway", "bicycle": "dismount"}, "B--"),
    ({"highway": "footway", "access": "yes"}, "B--"),
    ({"highway": "footway", "foot": "private"}, "E--"),
    ({"highway": "footway", "oneway__foot": "yes"}, "F--"),
    ({"highway": "pedestrian"}, "B--"),
    ({"highway": "pedestrian", "motor_vehicle": "destination"}, "B-E"),
    ({"highway": "pedestrian", "bicycle": "designated"}, "BB-"),
    ({"highway": "steps"}, "B--"),
    ({"highway": "path"}, "BB-"),
    ({"highway": "path", "foot": "no"}, "-B-"),
    ({"highway": "cycleway"}, "BB-"),
    ({"highway": "track"}, "BB-"),
    ({"highway": "track", "motor_vehicle": "yes"}, "BBB"),
    ({"highway": "track", "access": "private"}, "EE-"),
    ({"highway": "track", "access": "private", "foot": "permissive"}, "BE-"),
    ({"highway": "service", "access": "private"}, "EEE"),
    ({"highway": "service", "access": "destination"}, "EEE"),
    ({"highway": "service", "access": "no", "bicycle": "yes"}, "-B-"),
    ({"highway": "service", "vehicle": "no"}, "B--"),
    ({"highway": "service", "motor_vehicle": "no"}, "BB-"),
    ({"highway": "service", "vehicle": "no", "motorcar": "yes"}, "B-B"),
    ({"highway": "unclassified", "motor_vehicle": "agricultural"}, "BB-"),
    ({"highway": "living_street"}, "BBB"),
    ({"highway": "busway"}, "-B-"),
]


@pytest.fixture(scope="module")
def table_graph(tmp_path_factory):
    from awl.io import osm_xml
    from tests.conftest import osm

    body = "".join(node(2 * i + 1, i * 0.01, 0) + node(2 * i + 2, i * 0.01, 0.001) for i in range(len(TABLE)))
    body += "".join(way(i + 1, [2 * i + 1, 2 * i + 2], **tags) for i, (tags, _) in enumerate(TABLE))
    path = tmp_path_factory.mktemp("rules") / "table.osm"
    path.write_text(osm(body))
    return build_graph(osm_xml.read(path))[0]


@pytest.mark.parametrize(("row", "column"), [(r, c) for r in range(len(TABLE)) for c in range(3)])
def test_use_and_direction(table_graph, row, column):
    use = apply_mode((WALK, CYCLE, DRIVE)[column], table_graph)
    link = int(np.flatnonzero(table_graph.link_way == row + 1)[0])
    drawn = table_graph.node_osm_id[table_graph.link_from[link]] == 2 * row + 1
    assert drawn, "links keep the direction in which they were drawn"
    seen = {(True, True): "B", (True, False): "F", (False, True): "R", (False, False): "-"}
    assert ("E" if use.at_ends[link] else seen[bool(use.forward[link]), bool(use.backward[link])]) == TABLE[row][1][
        column
    ], TABLE[row][0]


def test_posted_limits_are_read_with_their_unit():
    texts = ["50", "30 mph", " 20 km/h ", "walk", "none", "fast", "0", "999", "DE:urban", None]
    read = posted_speed(Categorical.of(texts))
    assert read[:5].tolist() == pytest.approx([50, 48.28, 20, 7, 130], abs=0.01)
    assert np.isnan(read[5:]).all(), "what is absurd or unreadable is not guessed"


def test_the_source_of_a_speed_is_kept(read_osm):
    body = "".join(node(i, i * 0.001, 0) for i in range(1, 5))
    body += way(1, [1, 2], highway="residential", maxspeed="20") + way(2, [2, 3], highway="residential")
    body += way(3, [3, 4], highway="residential", maxspeed="nonsense")
    graph, _ = build_graph(read_osm(body))
    use = apply_mode(DRIVE, graph)
    speed = dict(zip(graph.link_way.tolist(), use.speed.tolist(), strict=True))
    source = dict(zip(graph.link_way.tolist(), use.speed_source.tolist(), strict=True))
    assert speed == {1: 20.0, 2: 30.0, 3: 30.0}
    assert source == {1: SPEED_FROM_MAXSPEED, 2: SPEED_FROM_CLASS, 3: SPEED_FROM_CLASS}
    assert (apply_mode(WALK, graph).speed == 4.8).all(), "a posted limit never speeds up a walker"


def test_a_measured_speed_goes_before_a_posted_limit_and_may_differ_by_direction(read_osm):
    body = "".join(node(i, i * 0.001, 0) for i in range(1, 4))
    body += way(1, [1, 2], highway="primary", maxspeed="50", name="a")
    body += way(2, [2, 3], highway="primary", maxspeed="50", name="b")
    graph, _ = build_graph(read_osm(body))
    order = np.argsort(graph.link_way)
    pair = np.full((2, 2), np.nan)
    pair[order[0]] = 40.0, 20.0
    network = Network.of(replace(graph, costs={"probe": pair}), replace(DRIVE, measured="probe"))
    seconds = network.duration_ms[order] / 1000
    length = graph.link_length[order]
    assert seconds[0] == pytest.approx(length[0] / (np.array([40, 20]) / 3.6), rel=1e-4)
    assert seconds[1] == pytest.approx(length[1] / (np.array([50, 50]) / 3.6), rel=1e-4)
    assert network.use.speed_source[order].tolist() == [SPEED_MEASURED, SPEED_FROM_MAXSPEED]


LIMITS = [
    ({"maxheight": "3.8"}, False), ({"maxheight": "4.2 m"}, True), ({"maxweight": "7.5 t"}, False), ({"maxweight": "40"}, True),
    ({"maxwidth": "2.3"}, False), ({"maxheight": "13'6&quot;"}, True), ({"maxheight": "12'0&quot;"}, False),
    ({"maxheight": "default"}, True),
]  # fmt: skip


@pytest.mark.parametrize(("tags", "passes"), LIMITS)
def test_a_lorry_keeps_off_streets_too_low_narrow_or_weak_for_it(read_osm, tags, passes):
    graph, _ = build_graph(read_osm(node(1, 0, 0) + node(2, 0.001, 0) + way(1, [1, 2], highway="primary", **tags)))
    use = apply_mode(LORRY, graph)
    assert bool(use.forward[0]) is passes and (use.reason[0] == BY_SIZE) is not passes
    assert apply_mode(DRIVE, graph).forward[0], "a car measures nothing"


@pytest.mark.parametrize("ident", list(SHIPPED))
def test_copying_a_mode_changes_nothing(table_graph, ident):
    one, copy = (
        apply_mode(mode, table_graph) for mode in (SHIPPED[ident], replace(SHIPPED[ident], id="own", title="Own"))
    )
    for name, value in vars(one).items():
        assert np.array_equal(value, getattr(copy, name)), name
