"""Barriers on streets: a node that a mode cannot pass becomes two, so that both streets end there and neither leads on.

A barrier where three and more links meet is taken to stand beside them, for it would say nothing about which way is shut.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from awl.core.modes.hours import open_at
from awl.core.modes.mode import ALLOWING, FORBIDDING, Mode
from awl.core.streets.graph import StreetGraph


def shut_nodes(mode: Mode, graph: StreetGraph, when: datetime | None = None) -> NDArray[np.int64]:
    """Nodes between two links at which a barrier stops the mode: by a tag at the barrier, or else by its kind.

    At an hour, a gate outside its opening hours stops everyone.
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
    if when is not None:
        hours = graph.node_tag("opening_hours")
        closed = [text for text in hours.values if open_at(text, when) is False]
        shut |= barrier.present() & hours.isin(closed)
    degree = np.bincount(np.concatenate([graph.link_from, graph.link_to]), minlength=graph.node_count)
    return np.flatnonzero(shut & (degree == 2))


def parted(mode: Mode, graph: StreetGraph, when: datetime | None = None) -> StreetGraph:
    """The graph as the mode meets it: a twin, numbered on from the highest number, for each node it cannot pass.

    Links keep their numbers and order, nodes theirs; twins come after them.
    """
    shut = shut_nodes(mode, graph, when)
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
    number = np.concatenate([graph.node_number, graph.node_number.max() + 1 + np.arange(len(shut))])
    columns = graph.node_columns(rows) | {"node_number": number}
    return replace(graph, **columns, link_from=ends[0::2].astype(np.int32), link_to=ends[1::2].astype(np.int32))
