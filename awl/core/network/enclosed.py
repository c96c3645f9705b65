"""Streets that belong to the main part by their nodes, but that no trip can leave or reach.

Parts are found on nodes, which see neither turn restrictions nor that streets for the ends of trips cannot be passed through. On
the states a search runs over, both count: a street behind a private one may be where every trip is stuck.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.network.parts import strong_parts

if TYPE_CHECKING:
    from awl.core.network.states import States

Offsets = NDArray[np.int64]
Heads = NDArray[np.int32]


@njit(cache=True, nogil=True)
def reachable(start: Offsets, head: Heads, begin: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Mask (n,) of the rows of a CSR graph that can be reached from those of `begin`, these included.

    Parameters:
        start: offsets (n + 1,) by node.
        head: the node (a,) that each arc leads to.
        begin: mask (n,) of the nodes to begin with.
    """
    mask = begin.copy()
    frontier = np.flatnonzero(begin)
    stack = np.empty(len(begin), np.int64)
    size = len(frontier)
    stack[:size] = frontier
    while size > 0:
        size -= 1
        row = stack[size]
        for i in range(start[row], start[row + 1]):
            other = head[i]
            if not mask[other]:
                mask[other] = True
                stack[size] = other
                size += 1
    return mask


def enclosed_links(
    states: States, ahead: tuple[Offsets, Heads], back: tuple[Offsets, Heads], link_length: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Links (m,) that are used, but on which no trip to or from the bulk of the streets can begin or end.

    Parameters:
        states: the states of a network.
        ahead: offsets and heads of its steps by the state they leave.
        back: the same by the state they come to.
        link_length: metres of each link (m,).
    """
    steps, link = states.steps, states.steps.arc >> 1
    label = strong_parts(*ahead)
    within = label[steps.tail] == label[steps.head]
    metres = np.bincount(label[steps.tail[within]], weights=link_length[link[within]], minlength=1)
    bulk = label == int(np.argmax(metres))
    entered, left = reachable(*ahead, bulk), reachable(*back, bulk)
    count = len(link_length)
    used, begins, ends = (np.zeros(count, bool) for _ in range(3))
    arcs = np.flatnonzero(states.begun >= 0)
    used[arcs >> 1] = True
    begins[arcs[left[states.begun[arcs]]] >> 1] = True
    ends[link[entered[steps.tail]]] = True
    return used & ~(begins & ends)
