"""Supernodes of a topology: runs of ranks of which each is the parent of the one before and has its neighbours but one.

Edges over all of a run stand at the same places behind each rank. Source: J. W. H. Liu, E. G. Ng, B. W. Peyton, *On finding
supernodes for sparse matrix computations*, SIAM J. Matrix Anal. Appl. 14 (1993).
"""

from __future__ import annotations

import numpy as np

from awl.core.kernels import njit_no_refcount
from awl.core.routing.simd.vectors import load_unchecked


@njit_no_refcount
def follows(start, head, x):
    """Whether rank `x` + 1 stands in the same supernode as `x`.

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        x: the rank.
    """
    begin, end = np.int64(load_unchecked(start, x)), np.int64(load_unchecked(start, x + 1))
    return (
        end > begin and load_unchecked(head, begin) == x + 1 and load_unchecked(start, x + 2) - end == end - begin - 1
    )


@njit_no_refcount
def ranks_in(start, head, x):
    """How many ranks the supernode has that begins at `x`.

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        x: the rank.
    """
    size = np.int64(1)
    while follows(start, head, x + size - 1):
        size += 1
    return size


@njit_no_refcount
def rows_between(start, head, first, end, row):
    """Put into `row` the edges between the higher end of edge `first` and those of the edges behind it, before `end`.

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        first: the edge the block begins with.
        end: the edge before which it ends.
        row: edges by rank, filled here.
    """
    t = np.int64(load_unchecked(start, np.int64(load_unchecked(head, first))))
    for f in range(first + 1, end):
        high = load_unchecked(head, f)
        while load_unchecked(head, t) != high:
            t += 1
        row[f - first - 1] = t
        t += 1


@njit_no_refcount
def widest(start):
    """The most edges of a rank.

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
    """
    most = np.int64(1)
    for x in range(len(start) - 1):
        most = max(most, start[x + 1] - start[x])
    return most
