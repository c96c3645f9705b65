"""Barriers on streets: a node that a mode cannot pass becomes two, so that both streets end there and neither leads on.

A barrier where three and more links meet is taken to stand beside them, for it would say nothing about which way is shut. A gate
with hours stays one node: when it is shut, going from one of its streets on to the other is forbidden, as a turn may be.
"""

from __future__ import annotations

from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.hours import is_understood, open_at
from awl.core.modes.mode import ALLOWING, FORBIDDING, Mode


def shut_nodes(mode: Mode, graph: StreetGraph) -> NDArray[np.int64]:
    """Nodes between two links at which a barrier stops the mode at every hour: by a tag at the barrier, or else by its kind.

    Parameters:
        mode: the mode.
        graph: the street graph.
    """
    barrier = graph.node_tag("barrier")
    if not barrier.present().any():
        return np.zeros(0, np.int64)
    shut = barrier.isin(mode.barriers)
    for key in reversed(mode.access_keys):
        column = graph.node_tag(key)
        if key != "access":
            shut &= ~column.isin((*ALLOWING, "destination", "customers"))
        shut |= barrier.present() & column.isin((*FORBIDDING, "private", "delivery", "permit", "residents"))
    return np.flatnonzero(shut & _between_two(graph))


def _between_two(graph: StreetGraph) -> NDArray[np.bool_]:
    """Nodes (n,) at which two links end."""
    return np.bincount(np.concatenate([graph.link_from, graph.link_to]), minlength=graph.node_count) == 2


def gate_sequences(graph: StreetGraph, when: datetime | None = None, ever: bool = False) -> list[tuple[int, int]]:
    """Pairs of arcs that may not be passed one after the other, because a gate between them is shut at a local date and time.

    With `ever`, those of all gates that have hours. Hours that cannot be read bind nobody.

    Parameters:
        graph: the street graph.
        when: local date and time; None is free flow.
        ever: whether what has hours counts whatever the hour.
    """
    hours, sequences = graph.node_tag("opening_hours"), list[tuple[int, int]]()
    closed = [text for text in hours.values if ever or (when is not None and open_at(text, when) is False)]
    gates = np.flatnonzero(graph.node_tag("barrier").present() & hours.isin(closed) & _between_two(graph))
    ends = np.stack([graph.link_from, graph.link_to], axis=1).ravel()
    rows = np.flatnonzero(np.isin(ends, gates))
    rows = rows[np.argsort(ends[rows], kind="stable")]
    # The arc that leaves by an end of a link has the number of that end; the other arc of the link comes to it.
    for one, other in rows.reshape(-1, 2).tolist():
        sequences += [(one ^ 1, other), (other ^ 1, one)]
    return sequences


def unread_gates(graph: StreetGraph, usable: NDArray[np.bool_]) -> NDArray[np.integer]:
    """Nodes (k,) with a barrier between two usable links whose opening hours are not read in full.

    Parameters:
        graph: the street graph.
        usable: mask (m,) of the links that carry the mode.
    """
    hours = graph.node_tag("opening_hours")
    unread = hours.isin([text for text in hours.values if not is_understood(text)])
    ends = np.concatenate([graph.link_from[usable], graph.link_to[usable]])
    between = np.bincount(ends, minlength=graph.node_count) == 2
    return np.flatnonzero(graph.node_tag("barrier").present() & unread & between & _between_two(graph))


def parted(mode: Mode, graph: StreetGraph) -> StreetGraph:
    """The graph as the mode meets it: a twin, numbered on from the highest number, for each node it cannot pass.

    Links keep their numbers and order, nodes theirs; twins come after them.

    Parameters:
        mode: the mode.
        graph: the street graph.
    """
    shut = shut_nodes(mode, graph)
    if len(shut) == 0:
        return graph
    twin_of = np.full(graph.node_count, -1, np.int64)
    twin_of[shut] = graph.node_count + np.arange(len(shut))
    ends = np.empty(2 * graph.link_count, np.int64)
    ends[0::2], ends[1::2] = graph.link_from, graph.link_to
    at = np.flatnonzero(twin_of[ends] >= 0)
    # The second of the two link ends at each such node goes to the twin.
    order = at[np.argsort(ends[at], kind="stable")]
    second = order[1::2]
    ends[second] = twin_of[ends[second]]
    rows = np.concatenate([np.arange(graph.node_count), shut])
    number = np.concatenate([graph.node_id, graph.next_node_id + np.arange(len(shut))])
    columns = graph.node_columns(rows) | {"node_id": number}
    tail, head = ends[0::2].astype(np.int32), ends[1::2].astype(np.int32)
    return graph.with_other_ends(**columns, link_from=tail, link_to=head)
