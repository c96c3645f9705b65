"""Which turns a mode may make where turn restrictions stand: at the nodes in question, every way in and every way out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.modes.mode import Mode
from awl.core.modes.network import Network
from awl.core.streets.graph import StreetGraph
from awl.core.streets.turns import TurnRestrictions

STRAIGHT, SHARP = 40.0, 150.0
"""Degrees from straight ahead up to which a turn counts as none, and from which it counts as turning back."""


def binding(mode: Mode, turns: TurnRestrictions) -> NDArray[np.bool_]:
    """Mask of the restrictions that always bind a mode; those with hours are left to questions with an hour.

    A mode on foot is bound by none; one that spares the mode's vehicle, or is for another, does not bind it.
    """
    if not mode.turn_keys:
        return np.zeros(len(turns), bool)
    spared = [value for value in turns.exempt.values if set(value.replace(" ", "").split(";")) & set(mode.turn_keys)]
    return (
        ~turns.condition.present()
        & (~turns.applies_to.present() | turns.applies_to.isin(mode.turn_keys))
        & ~turns.exempt.isin(spared)
    )


@dataclass(frozen=True)
class Movement:
    """A turn at a node, from arc to arc: an arc is twice the link, plus one when it is travelled against its drawing."""

    node: int
    arc_in: int
    arc_out: int
    kind: str
    allowed: bool


def movements(network: Network) -> list[Movement]:
    """Every turn at the nodes where a restriction via a node binds the mode, in the order of the nodes.

    `kind` is `left`, `right`, `thru` or `uturn`. Restrictions over further links are not in it: they are no turn at one node.
    """
    graph, turns = network.graph, network.graph.restrictions
    direct = np.diff(turns.via_start) == 0
    mine = [p for p, yes in zip(turns.rows(), direct & binding(network.mode, turns), strict=True) if yes]
    made = []
    for node in sorted({p.via_node for p in mine}):
        here = [p for p in mine if p.via_node == node]
        into, out = _arcs_at(network, node)
        for a in into:
            demanded = {p.to_link for p in here if p.from_link == a >> 1 and p.kind.startswith("only_")}
            forbidden = {p.to_link for p in here if p.from_link == a >> 1 and not p.kind.startswith("only_")}
            for b in out:
                allowed = (b >> 1) not in forbidden and (not demanded or (b >> 1) in demanded)
                made.append(Movement(node, a, b, turn_kind(graph, a, b), allowed))
    return made


def _arcs_at(network: Network, node: int) -> tuple[list[int], list[int]]:
    """Arcs by which the mode comes to a node and leaves it."""
    into, out = network.in_arcs, network.out_arcs
    return (
        sorted(into.arc[into.start[node] : into.start[node + 1]].tolist()),
        sorted(out.arc[out.start[node] : out.start[node + 1]].tolist()),
    )


def turn_kind(graph: StreetGraph, arc_in: int, arc_out: int) -> str:
    """`left`, `right`, `thru` or `uturn`, by the angle between the last and the first segment."""
    if arc_in >> 1 == arc_out >> 1 and (arc_in ^ arc_out) & 1:
        return "uturn"
    before, after = _heading(graph, arc_in, last=True), _heading(graph, arc_out, last=False)
    angle = np.degrees(np.arctan2(before[0] * after[1] - before[1] * after[0], before @ after))
    if abs(angle) >= SHARP:
        return "uturn"
    return "thru" if abs(angle) <= STRAIGHT else "left" if angle > 0 else "right"


def _heading(graph: StreetGraph, arc: int, last: bool) -> NDArray[np.float64]:
    """Direction of the last or first segment of a link as travelled, in the metric plane."""
    x, y = graph.shape_xy
    a, b = int(graph.shape_start[arc >> 1]), int(graph.shape_start[(arc >> 1) + 1])
    back = bool(arc & 1)
    at_end = last != back
    i, j = (b - 2, b - 1) if at_end else (a, a + 1)
    step = np.array([x[j] - x[i], y[j] - y[i]])
    return -step if back else step
