"""Arcs of a network by the node or state they leave: compressed rows (CSR)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Arcs:
    """CSR adjacency: arcs leaving node i are rows `start[i]` to `start[i + 1]` of `head` and `arc`.

    `arc` is twice the link, plus one when the link is travelled against its drawn direction. Parallel links stay apart.
    """

    start: NDArray[np.int64]
    head: NDArray[np.int32]
    arc: NDArray[np.int32]

    def weights(self, forward: NDArray[np.int32], backward: NDArray[np.int32]) -> NDArray[np.int32]:
        """Per-arc weights in CSR order from per-link costs.

        Parameters:
            forward: costs (m,) of the links along their drawing.
            backward: costs (m,) of the links against their drawing.
        """
        link = self.arc >> 1
        return np.where(self.arc & 1, backward[link], forward[link]).astype(np.int32)


def csr(
    nodes: int, tail: NDArray[np.int32], head: NDArray[np.int32], ident: NDArray[np.int32] | None = None
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
    """Offsets by tail, heads, and idents (rows where none are given) in the order of the tails.

    Parameters:
        nodes: how many nodes there are.
        tail: the node (a,) that each arc leaves.
        head: the node (a,) that each arc leads to.
        ident: a number (a,) for each arc; its row where None.
    """
    order = np.argsort(tail, kind="stable")
    start = np.concatenate([[0], np.cumsum(np.bincount(tail, minlength=nodes))]).astype(np.int64)
    ident = order.astype(np.int32) if ident is None else ident[order]
    return start, head[order].astype(np.int32), ident
