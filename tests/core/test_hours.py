"""Hours: curves of speed, gates that close, turns forbidden at times."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from awl.core.modes.hours import open_at, share_at
from awl.core.modes.mode import DRIVE, WALK, Curve
from awl.core.network.components import KeepParts
from awl.core.network.network import Network
from awl.core.routing.dijkstra.plain import best_leg
from awl.core.routing.snapping import Snapper
from tests.conftest import node, way

FRIDAY = datetime(2026, 6, 5)
OPEN = [
    ("24/7", "Fr 03:00", True),
    ("07:00-21:00", "Fr 06:59", False),
    ("07:00-21:00", "Fr 07:00", True),
    ("07:00-21:00", "Fr 21:00", False),
    ("Mo-Fr 08:00-10:00,14:00-16:00", "Fr 15:00", True),
    ("Mo-Fr 08:00-10:00,14:00-16:00", "Sa 15:00", False),
    ("Mo-Fr 08:00-18:00; Sa 09:00-12:00", "Sa 09:30", True),
    ("Mo-Su 08:00-18:00; Fr off", "Fr 12:00", False),
    ("Mo,We,Fr 08:00-09:00", "Fr 08:30", True),
    ("Sa-Mo 08:00-09:00", "Su 08:30", True),
    ("Fr 22:00-02:00", "Sa 01:30", True),
    ("Fr 22:00-02:00", "Su 01:30", False),
    ("Mo-Su 08:00-18:00; PH off", "Fr 12:00", True),
    ("sunrise-sunset", "Fr 12:00", None),
    ("Jun-Aug 08:00-18:00", "Fr 12:00", None),
    ("", "Fr 12:00", None),
]


@pytest.mark.parametrize(("text", "moment", "expected"), OPEN)
def test_opening_hours(text, moment, expected):
    day, clock = moment.split(" ")
    hour, minute = clock.split(":")
    when = FRIDAY + timedelta(days=["Fr", "Sa", "Su"].index(day), hours=int(hour), minutes=int(minute))
    assert open_at(text, when) is expected


def test_a_curve_runs_straight_between_full_hours_and_round_midnight():
    share = tuple(1.0 if hour else 0.4 for hour in range(24))
    assert share_at(share, 0) == 0.4 and share_at(share, 0.5) == pytest.approx(0.7)
    assert share_at(share, 23.5) == pytest.approx(0.7) and share_at(share, 12) == 1.0


def test_the_first_curve_that_fits_the_day_and_the_class_decides(read_osm):
    body = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in (1, 2, 3, 4))
    body += (
        way(1, [1, 2], highway="primary") + way(2, [2, 3], highway="residential") + way(3, [3, 4], highway="tertiary")
    )
    graph, _ = build_graph(read_osm(body))
    curves = (
        Curve("saturday", (), (0.25,) * 24),
        Curve("weekday", ("primary",), (0.5,) * 24),
        Curve("weekday", ("primary", "tertiary"), (0.8,) * 24),
    )
    mode = replace(DRIVE, curves=curves)
    free = Network.of(graph, mode).duration_ms
    order = np.argsort(graph.link_way)
    for when, expected in (
        (FRIDAY, [2, 1, 1.25]),
        (FRIDAY + timedelta(days=1), [4, 4, 4]),
        (FRIDAY + timedelta(days=2), [1, 1, 1]),
    ):
        slower = Network.of(graph, mode, when=when).duration_ms / free
        assert slower[order, 0] == pytest.approx(expected, abs=1e-3), when


def test_a_gate_stops_everyone_outside_its_hours(read_osm):
    body = "".join(node(i, -36.2 + i * 0.001, 41.3) for i in (1, 3))
    body += node(2, -36.198, 41.3, barrier="gate", opening_hours="Mo-Su 07:00-21:00") + way(
        1, [1, 2, 3], highway="footway"
    )
    graph, _ = build_graph(read_osm(body))

    def passes(when):
        network = Network.of(graph, WALK, KeepParts("all"), when=when)
        places = Snapper(network).snap(np.array([-36.1988, -36.1972]), np.array([41.3, 41.3]), 50)
        return best_leg(network, places, 0, 1, "time") is not None

    assert [passes(when) for when in (None, FRIDAY.replace(hour=12), FRIDAY.replace(hour=22))] == [True, True, False]


def test_a_turn_forbidden_at_times_binds_then_alone(read_osm):
    body = node(1, -36.2, 41.3) + node(2, -36.199, 41.3) + node(3, -36.199, 41.301) + node(4, -36.198, 41.3)
    body += way(1, [1, 2], highway="residential", name="a") + way(2, [2, 3], highway="residential", name="b")
    body += way(3, [2, 4], highway="residential", name="c") + way(4, [3, 4], highway="residential", name="d")
    body += (
        '<relation id="9"><member type="way" ref="1" role="from"/><member type="node" ref="2" role="via"/>'
        '<member type="way" ref="2" role="to"/><tag k="type" v="restriction"/>'
        '<tag k="restriction:conditional" v="no_left_turn @ (Mo-Fr 07:00-09:00)"/></relation>'
    )
    graph, _ = build_graph(read_osm(body), merge=False)

    def links(when):
        network = Network.of(graph, DRIVE, when=when)
        places = Snapper(network).snap(np.array([-36.1997, -36.199]), np.array([41.3, 41.3004]), 20)
        leg = best_leg(network, places, 0, 1, "time")
        return [graph.tag("name").at(link) for link in leg.links]

    assert links(None) == ["a", "b"] and links(FRIDAY.replace(hour=12)) == ["a", "b"]
    assert links(FRIDAY.replace(hour=8)) == ["a", "c", "d", "b"]
