"""The order in which the states of a network were taken out, for networks that are alike: those on streets that were edited."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.network.network import Network
from awl.core.network.states import States

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]


@dataclass(frozen=True)
class KnownOrder:
    """An order of states, which are known by their node or by the link and direction by which one comes to them.

    Attributes:
        state: the state (c,) at each rank.
        states: the states.
        node_id: the id (n,) of each node.
        link_id: the id (m,) of each link.
        edges_each: edges for each rank when the order was made.
    """

    state: Ints
    states: States
    node_id: Longs
    link_id: Longs
    edges_each: float

    @classmethod
    def of(cls, network: Network, state: Ints, edges_each: float) -> KnownOrder:
        """That of the states of a network.

        Parameters:
            network: the streets of a mode.
            state: the state (c,) at each rank.
            edges_each: edges for each rank when the order was made.
        """
        return cls(state, network.states, network.graph.node_id, network.graph.link_id, edges_each)

    def ranks(self, network: Network) -> Longs:
        """The rank (s,) that each state of another network has in this order; -1 where it is not in it.

        Parameters:
            network: the streets of a mode.
        """
        known = _keys(self.states, self.node_id, self.link_id)[self.state]
        wanted = _keys(network.states, network.graph.node_id, network.graph.link_id)
        by_key = np.argsort(known)
        if not len(known):
            return np.full(len(wanted), -1, np.int64)
        rank = by_key[np.minimum(np.searchsorted(known, wanted, sorter=by_key), len(known) - 1)]
        return np.where(known[rank] == wanted, rank, -1)


MOST_ALIKE = 8
"""States of one node, or by one link, that are told apart by their number."""


def _keys(states: States, node_id: Longs, link_id: Longs) -> Longs:
    """A number for each state (s,) which is that of the same state after an edit elsewhere."""
    nodes = len(states.free)
    key = np.full(states.count, np.iinfo(np.int64).max // MOST_ALIKE - 1, np.int64)
    into = states.steps.head >= nodes
    arc = states.steps.arc[into]
    np.minimum.at(key, states.steps.head[into], 4 * link_id[arc >> 1] + 2 + (arc & 1))
    key[:nodes] = 4 * node_id
    order = np.argsort(key, kind="stable")
    first = np.flatnonzero(np.concatenate([[True], key[order][1:] != key[order][:-1]]))
    nth = np.empty(len(key), np.int64)
    nth[order] = np.arange(len(key)) - np.repeat(first, np.diff(np.append(first, len(key))))
    return key * MOST_ALIKE + np.minimum(nth, MOST_ALIKE - 1)
