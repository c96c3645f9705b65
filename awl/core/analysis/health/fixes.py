"""What would mend each finding, as edits of the streets: none, one or several ways, the likeliest first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from awl.core.analysis.health.findings import NAMES, Findings
from awl.core.analysis.health.levels import level_of
from awl.core.graph.edits.edit import Edit
from awl.core.graph.lines import groups
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY

MOST_GAP_M = 200.0
"""A part that lies apart is joined over a gap no wider than this."""
MOST_TAKEN_OUT = 200
"""A part of more links than this is not taken out at a click."""


@dataclass(frozen=True)
class Fix:
    """A way to mend a finding: what it does, in words for a button, and its edits."""

    label: str
    edits: tuple[Edit, ...]


class Fixer:
    """Finds the fixes of findings on one graph; what several of them need is worked out once."""

    def __init__(self, graph: StreetGraph, findings: Findings) -> None:
        self.graph, self.findings = graph, findings
        self._level = level_of(graph)
        self._part: np.ndarray | None = None

    def fixes(self, row: int) -> list[Fix]:
        """The ways to mend a finding, the likeliest first; empty where only somebody who knows the place can tell.

        Parameters:
            row: of the finding.
        """
        make = FIXES.get(NAMES[self.findings.kind[row]])
        return [] if make is None else make(self, row)

    # -- what they are made of -----------------------------------------------------------------------------------------

    def links(self, row: int) -> tuple[int, ...]:
        """Ids of the links of a finding.

        Parameters:
            row: of the finding.
        """
        return tuple(self.graph.link_id[[i for i in self.findings.links[row].tolist() if i >= 0]].tolist())

    def place(self, row: int, end: bool = False) -> tuple[float, float]:
        """Where a finding is, in degrees.

        Parameters:
            row: of the finding.
            end: where its gap ends instead, if it has one.
        """
        f = self.findings
        x, y = (f.to_x[row], f.to_y[row]) if end and np.isfinite(f.to_x[row]) else (f.x[row], f.y[row])
        lon, lat = self.graph.plane.lonlat(np.array([x]), np.array([y]))
        return round(float(lon[0]), 7), round(float(lat[0]), 7)

    def part_of(self, link: int) -> np.ndarray:
        """Rows of the links of the part of the streets a link belongs to.

        Parameters:
            link: row of the link.
        """
        graph = self.graph
        if self._part is None:
            label = groups(graph.node_count, np.column_stack([graph.link_from, graph.link_to]).astype(np.int64))
            self._part = label[graph.link_from]
        return np.flatnonzero(self._part == self._part[link])

    def shared_node(self, row: int) -> int:
        """The row of the node that both links of a finding end at.

        Parameters:
            row: of the finding.
        """
        graph, (a, b) = self.graph, self.findings.links[row]
        ends = {int(graph.link_from[a]), int(graph.link_to[a])} & {int(graph.link_from[b]), int(graph.link_to[b])}
        return min(ends, default=-1)

    def usual(self, link: int, key: str) -> str | None:
        """The commonest value of an attribute on links of the class of one that have another value.

        Parameters:
            link: row of the link.
            key: the key of the tag.
        """
        column, highway = self.graph.tag(key), self.graph.tag("highway")
        other = column.present() & (column.codes != column.codes[link])
        codes = column.codes[(highway.codes == highway.codes[link]) & other]
        return column.values[int(np.bincount(codes).argmax())] if len(codes) else None


def _near_miss(of: Fixer, row: int) -> list[Fix]:
    return [Fix("Join them", (Edit("join", of.links(row), points=(of.place(row, end=True),)),))]


def _crossing(of: Fixer, row: int) -> list[Fix]:
    a, b = of.links(row)
    bridge = Edit("change", (b,), tags={"bridge": "yes", "layer": "1"})
    over = of.graph.tag("name").at(int(of.findings.links[row, 1])) or "the second"
    return [
        Fix("Join them", (Edit("join", (a, b), points=(of.place(row),)),)),
        Fix(f"Let {over} pass over", (bridge,)),
    ]


def _joined_levels(of: Fixer, row: int) -> list[Fix]:
    graph, node = of.graph, of.shared_node(row)
    if node < 0:
        return []
    at = np.flatnonzero((graph.link_from == node) | (graph.link_to == node))
    own = of.findings.links[row, 1]
    apart = at[of._level[at] == of._level[own]]
    if len(apart) in (0, len(at)):
        return []
    edit = Edit("separate", tuple(graph.link_id[apart].tolist()), node=int(graph.node_id[node]))
    return [Fix("Take the levels apart", (edit,))]


def _duplicate(of: Fixer, row: int) -> list[Fix]:
    graph, (a, b) = of.graph, of.findings.links[row]
    known = [sum(column.at(link) is not None for column in graph.tags.values()) for link in (a, b)]
    less = int(a if known[0] < known[1] else b)
    return [Fix("Take one out", (Edit("delete", (int(graph.link_id[less]),)),))]


def _take_out(of: Fixer, row: int) -> list[Fix]:
    links = of.links(row)
    return [Fix("Take it out", (Edit("delete", links[:1]),))] if links else []


def _isolated(of: Fixer, row: int) -> list[Fix]:
    f, fixes = of.findings, list[Fix]()
    gap = float(np.hypot(f.to_x[row] - f.x[row], f.to_y[row] - f.y[row]))
    if np.isfinite(gap) and gap <= MOST_GAP_M:
        line = of.place(row), of.place(row, end=True)
        tags = {"highway": of.graph.tag("highway").at(int(f.links[row, 0])) or "residential"}
        fixes.append(Fix("Join over the gap", (Edit("add", points=line, tags=tags),)))
    part = of.part_of(int(f.links[row, 0]))
    if len(part) <= MOST_TAKEN_OUT:
        fixes.append(Fix("Take the part out", (Edit("delete", tuple(of.graph.link_id[part].tolist())),)))
    return fixes


def _two_way(of: Fixer, row: int) -> list[Fix]:
    links = of.links(row)[:1]
    return [
        Fix("Make it two-way", (Edit("change", links, tags={"oneway": None}),)),
        Fix("Turn it round", (Edit("reverse", links),)),
    ]


def _speed(of: Fixer, row: int) -> list[Fix]:
    graph, link = of.graph, int(of.findings.links[row, 0])
    column = graph.tag("maxspeed")
    # The limit stands on all pieces of its way, which is told of once.
    alike = (graph.link_way == graph.link_way[link]) & (column.codes == column.codes[link])
    links = tuple(graph.link_id[alike].tolist())
    usual = of.usual(link, "maxspeed")
    fixes = [Fix("Take the limit out", (Edit("change", links, tags={"maxspeed": None}),))]
    if usual is not None:
        fixes.insert(0, Fix(f"Post {usual}, as is usual", (Edit("change", links, tags={"maxspeed": usual}),)))
    return fixes


def _missing_speed(of: Fixer, row: int) -> list[Fix]:
    usual = of.usual(int(of.findings.links[row, 0]), "maxspeed")
    edit = Edit("change", of.links(row)[:1], tags={"maxspeed": usual})
    return [] if usual is None else [Fix(f"Post {usual}, as is usual", (edit,))]


def _shut(of: Fixer, row: int) -> list[Fix]:
    graph, link = of.graph, int(of.findings.links[row, 0])
    edits = tuple(
        Edit(
            "allow",
            (int(graph.link_id[p.from_link]), int(graph.link_id[p.to_link])),
            node=int(graph.node_id[p.via_node]),
        )
        for p in graph.restrictions.rows()
        if p.from_link == link and not p.via_links and p.kind != DELAY
    )
    return [Fix("Take the restrictions out", edits)] if edits else []


def _ground(of: Fixer, row: int) -> list[Fix]:
    tags = dict.fromkeys(("layer", "bridge", "tunnel"))
    return [
        Fix("Put it on the ground", (Edit("change", of.links(row)[:1], tags=tags),)),
        Fix(
            "It is a bridge", (Edit("change", of.links(row)[:1], tags={"layer": "1", "bridge": "yes", "tunnel": None}),)
        ),
    ]


def _bridge(of: Fixer, row: int) -> list[Fix]:
    links = of.links(row)[:1]
    return [
        Fix("It is a bridge", (Edit("change", links, tags={"bridge": "yes", "layer": "1"}),)),
        Fix("Take it out", (Edit("delete", links),)),
    ]


FIXES: dict[str, Callable[[Fixer, int], list[Fix]]] = {
    "near-miss": _near_miss, "unjoined-crossing": _crossing, "joined-levels": _joined_levels, "duplicate": _duplicate,
    "no-length": _take_out, "too-long": _take_out, "isolated": _isolated, "no-way-out": _two_way, "no-way-in": _two_way,
    "facing": _two_way, "absurd-speed": _speed, "odd-speed": _speed, "missing-speed": _missing_speed,
    "shut-by-restrictions": _shut,
    "odd-level": _ground, "covered-by-water": _bridge,
}  # fmt: skip
