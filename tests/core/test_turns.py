"""Turn restrictions as the source states them find their links and nodes, or are counted as lost."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from awl.core.graph.build import build_graph
from tests.conftest import node, way

PLACES = {1: (0, 0), 2: (1, 0), 3: (2, 0), 4: (1, 1), 5: (1, -1), 6: (2, 1), 7: (3, 0)}
GROUND = "".join(node(i, -36.2 + x * 0.001, 41.3 + y * 0.001) for i, (x, y) in PLACES.items())
STREETS = (
    way(10, [1, 2], highway="residential", name="West")
    + way(11, [2, 3], highway="residential", name="East")
    + way(12, [5, 2, 4], highway="residential", name="Cross")
    + way(13, [3, 6], highway="residential", name="North")
    + way(14, [3, 7], highway="residential", name="Far")
)


_ids = itertools.count(1)


def relation(members, **tags):
    rows = "".join(f'<member type="{kind}" ref="{ref}" role="{role}"/>' for role, kind, ref in members)
    inner = "".join(f'<tag k="{k.replace("__", ":")}" v="{v}"/>' for k, v in tags.items())
    return f'<relation id="{next(_ids)}">{rows}{inner}</relation>'


def placed(read_osm, *relations):
    graph, report = build_graph(read_osm(GROUND + STREETS + "".join(relations)))
    return graph, report, graph.restrictions.rows()


def street(graph, link):
    return graph.tag("name").at(link)


VIA_NODE = [("from", "way", 10), ("via", "node", 2), ("to", "way", 11)]


def test_via_a_node(read_osm):
    graph, report, rows = placed(read_osm, relation(VIA_NODE, type="restriction", restriction="no_straight_on"))
    (one,) = rows
    assert (street(graph, one.from_link), street(graph, one.to_link)) == ("West", "East")
    assert graph.node_osm_id[one.via_node] == 2 and one.via_links == () and one.kind == "no_straight_on"
    assert (report.restrictions, report.restrictions_not_placed) == (1, 0)


def test_via_a_way_finds_the_links_between(read_osm):
    members = [("from", "way", 10), ("via", "way", 11), ("to", "way", 13)]
    graph, _, (one,) = placed(read_osm, relation(members, type="restriction", restriction="no_left_turn"))
    assert [street(graph, i) for i in (one.from_link, *one.via_links, one.to_link)] == ["West", "East", "North"]
    assert graph.node_osm_id[one.via_node] == 2


def test_exceptions_vehicles_and_hours_are_kept_as_text(read_osm):
    graph, _, rows = placed(
        read_osm,
        relation(VIA_NODE, type="restriction", restriction="only_straight_on", **{"except": "bicycle;bus"}),
        relation(VIA_NODE, type="restriction", restriction__hgv="no_straight_on"),
        relation(VIA_NODE, type="restriction", restriction__conditional="no_straight_on @ (Mo-Fr 07:00-09:00)"),
        relation(VIA_NODE, type="restriction:bicycle", restriction="no_straight_on"),
    )
    told = [(p.kind, p.applies_to, p.exempt, p.condition) for p in rows]
    assert told == [
        ("only_straight_on", None, "bicycle;bus", None),
        ("no_straight_on", "hgv", None, None),
        ("no_straight_on", None, None, "(Mo-Fr 07:00-09:00)"),
        ("no_straight_on", "bicycle", None, None),
    ]
    assert graph.restrictions.only.tolist() == [True, False, False, False]


def test_two_ways_in_are_two_restrictions(read_osm):
    members = [*VIA_NODE, ("from", "way", 14)]
    _, _, rows = placed(read_osm, relation(members, type="restriction", restriction="no_entry"))
    assert len(rows) == 1, "way 14 does not reach node 2"
    members = [("from", "way", 11), ("from", "way", 13), ("via", "node", 3), ("to", "way", 14)]
    graph, _, rows = placed(read_osm, relation(members, type="restriction", restriction="no_entry"))
    assert [street(graph, p.from_link) for p in rows] == ["East", "North"]


LOST = {
    "a way that passes through": [("from", "way", 12), ("via", "node", 2), ("to", "way", 11)],
    "a missing way": [("from", "way", 99), ("via", "node", 2), ("to", "way", 11)],
    "a missing node": [("from", "way", 10), ("via", "node", 99), ("to", "way", 11)],
    "no via": [("from", "way", 10), ("to", "way", 11)],
    "ways that do not meet": [("from", "way", 10), ("via", "way", 14), ("to", "way", 13)],
}


@pytest.mark.parametrize("kind", LOST)
def test_what_cannot_be_placed_is_counted(read_osm, kind):
    _, report, rows = placed(read_osm, relation(LOST[kind], type="restriction", restriction="no_left_turn"))
    assert rows == [] and report.restrictions_not_placed == 1


def test_the_demo_city_keeps_every_restriction_across_merging(raw, graph):
    """Each still leads from its from way over joined links to its to way."""
    apart, _ = build_graph(raw, merge=False)
    whole, report = build_graph(raw)
    assert len(whole.restrictions) == len(apart.restrictions) > 0 and report.nodes_merged > 0
    for before, after in zip(apart.restrictions.rows(), whole.restrictions.rows(), strict=True):
        for old, new in ((before.from_link, after.from_link), (before.to_link, after.to_link)):
            ways = whole.link_ways[whole.ways_start[new] : whole.ways_start[new + 1]]
            assert apart.link_way[old] in ways
        at = after.via_node
        assert whole.node_osm_id[at] == apart.node_osm_id[before.via_node]
        for link, following in zip((after.from_link, *after.via_links), (*after.via_links, after.to_link), strict=True):
            assert at in (whole.link_from[link], whole.link_to[link])
            assert at in (whole.link_from[following], whole.link_to[following])
            at = whole.link_to[following] if whole.link_from[following] == at else whole.link_from[following]
    assert np.array_equal(np.sort(whole.restrictions.relation), np.sort(apart.restrictions.relation))
