"""Dealing the ranks of a hierarchy out to threads: subtrees that know nothing of one another, and the top above them all.

Ways over a rank lie between ranks above it, which come after it on the way to the root. So what a subtree changes is its own, but
for edges between ranks of the top: of these each thread but the first has a copy of its own, and the least of all copies counts.
Source of working by subtrees: J. W. H. Liu, *The role of elimination trees in sparse factorization*, SIAM J. Matrix Anal. Appl.
11 (1990).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from heapq import heappop, heappush

import numpy as np
from numba import njit
from numpy.typing import NDArray

from awl.core.progress import threads_of
from awl.core.routing.cch.supernodes import follows

Ints = NDArray[np.int32]
Longs = NDArray[np.int64]
WORTH_SHARING = 10_000_000
"""Pairs of edges from which on a second thread is quicker than none: it has to be woken first."""
PARTS_EACH = 2
"""A subtree has no more than this part of the pairs that a thread gets: the more parts, the more even, but the larger the top."""
OWN = np.iinfo(np.int32).min
"""Of a rank whose edges are changed where they stand."""


@dataclass(frozen=True)
class Shares:
    """Runs of ranks (k, 2), first and last, by thread, and those of the `top`, which come after all of them.

    The edges of the top are `rows` (e,), ascending: in this order they stand in copies.
    """

    threads: tuple[Longs, ...]
    top: Longs
    rows: Longs

    def shift(self, start: Ints) -> Ints:
        """How far from where they stand among all edges those of a rank (c,) stand in a copy; `OWN` for ranks below the top.

        Parameters:
            start: offsets (c + 1,) of the edges of each rank.
        """
        shift, placed = np.full(len(start) - 1, OWN, np.int32), 0
        for first, last in self.top.tolist():
            shift[first : last + 1] = placed - start[first]
            placed += int(start[last + 1] - start[first])
        return shift

    def each_way(self, put: Callable[..., None]) -> None:
        """Put steps in that lead up (0) and down (1), both at once where there are threads: most of it is waiting for memory.

        Parameters:
            put: puts in the steps of the ways it is given.
        """
        if len(self.threads) == 1:
            put(0, 1)
            return
        with threads_of(2) as pool:
            list(pool.map(put, (0, 1)))

    def each(self, work: Callable[[int, Longs], None]) -> None:
        """Do the share of each thread, all at once.

        Parameters:
            work: what is done with the number of a thread and its runs of ranks.
        """
        if len(self.threads) == 1:
            work(0, self.threads[0])
            return
        with threads_of(len(self.threads)) as pool:
            list(pool.map(work, range(len(self.threads)), self.threads))


def shares_of(start: Ints, head: Ints, parent: Ints, lowest: Ints, threads: int, worth: int = WORTH_SHARING) -> Shares:
    """The ranks of a topology, dealt out; all of them to one thread where there is too little to do.

    Parameters:
        start: offsets (c + 1,) of the edges of each rank.
        head: the higher rank (e,) of each edge.
        parent: the parent (c,) of each rank.
        lowest: the lowest (c,) of the ranks from which parents lead up to each.
        threads: how many threads there are.
        worth: pairs of edges from which on they are dealt out.
    """
    above = np.diff(start).astype(np.int64)
    done = np.concatenate([np.zeros(1, np.int64), np.cumsum(above * (above - 1) // 2)])
    nothing = np.empty((0, 2), np.int64)
    if threads < 2 or done[-1] < worth:
        return Shares((np.array([[0, len(parent) - 1]]),), nothing, np.empty(0, np.int64))
    pairs = done[1:] - done[lowest]
    in_top = _in_top(start, head, parent, pairs, done[-1] // (threads * PARTS_EACH))
    top = np.flatnonzero(in_top)
    roots = np.flatnonzero(~in_top & ((parent < 0) | in_top[parent]))
    dealt: list[list[int]] = [[] for _ in range(threads)]
    least_busy = [(0, thread) for thread in range(threads)]
    for root in roots[np.argsort(-pairs[roots], kind="stable")].tolist():
        busy, thread = heappop(least_busy)
        dealt[thread].append(root)
        heappush(least_busy, (busy + int(pairs[root]), thread))
    ends = [np.array(sorted(share), np.int64) for share in dealt]
    runs = tuple(_joined(lowest[end], end) for end in ends)
    return Shares(runs, _joined(top, top), np.flatnonzero(np.repeat(in_top, above)))


def _joined(first: NDArray[np.integer], last: NDArray[np.integer]) -> Longs:
    """Runs (k, 2) of ranks, those that touch as one."""
    if len(first) == 0:
        return np.empty((0, 2), np.int64)
    apart = np.append(first[1:] != last[:-1] + 1, True)
    return np.stack([first[np.concatenate([[True], apart[:-1]])], last[apart]], axis=1).astype(np.int64)


@njit(cache=True, nogil=True)
def _in_top(start, head, parent, pairs, most):
    """Ranks (c,) that have more than `most` pairs of edges below them, with the supernodes they stand in."""
    in_top = np.zeros(len(parent), np.bool_)
    for x in range(len(parent) - 1, -1, -1):
        above = parent[x]
        if above < 0 or in_top[above]:
            in_top[x] = pairs[x] > most or (above == x + 1 and follows(start, head, x))
    return in_top
