"""Movements: the turns at nodes where one is barred or costs time, as a table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from awl.core.modes.turning import KINDS, arc_heads, turn_kinds
from awl.core.network.network import Network


@dataclass(frozen=True)
class Movement:
    """A turn at a node, from arc to arc: an arc is twice the link, plus one when it is travelled against its drawing.

    `kind` is one of `KINDS`; `delay_s` is what the turn and its node cost beyond the time along the links.
    """

    node: int
    arc_in: int
    arc_out: int
    kind: str
    allowed: bool
    delay_s: float


def movements(network: Network) -> list[Movement]:
    """Every turn at the nodes where one is barred or costs time, in the order of nodes, arcs in, arcs out.

    Restrictions over further links are not in it: they are no turn at one node.

    Parameters:
        network: the streets of a mode, at a time and with closures.
    """
    graph, out, into = network.graph, network.out_arcs, network.in_arcs
    barred = {s for s in network.forbidden if len(s) == 2}
    delay = network.turn_delays
    wanted = {int(arc_heads(graph, np.array([a]))[0]) for a, _ in barred} | set(delay.nodes.tolist())
    rows = []
    for node in sorted(wanted):
        arcs_in = np.sort(into.arc[into.start[node] : into.start[node + 1]])
        arcs_out = np.sort(out.arc[out.start[node] : out.start[node + 1]])
        if len(arcs_in) == 0 or len(arcs_out) == 0:
            continue
        before, after = np.repeat(arcs_in, len(arcs_out)), np.tile(arcs_out, len(arcs_in))
        kinds = turn_kinds(graph, before, after)
        costs = delay.of(before, after, np.full(len(before), node))
        for a, b, kind, cost in zip(before.tolist(), after.tolist(), kinds.tolist(), costs.tolist(), strict=True):
            rows.append(Movement(node, a, b, KINDS[kind], (a, b) not in barred, cost / 1000))
    return rows
