"""Meetings of those who move: two are close while so many metres of street or fewer lie between them.

The distance is that along streets, whatever their direction: who is on the other side of a wall, or on a bridge above, is not
close. Times are worked out stretch by stretch, and looked at moment by moment: a meeting is a run of moments, one step after
another, at which two are close.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation import meetings_kernel as kernel
from awl.core.analysis.simulation.moving import Passages
from awl.core.analysis.simulation.passing import Meetings
from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.core.progress import threads_of

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
SHARES = 16
"""Parts in which meetings are put in order, for threads to share."""
MOST_SPANS = 40_000_000
"""Times at which two are close, at most."""
FIRST_ROOM = 12
MOST_PEOPLE = 1 << 20


@dataclass(frozen=True)
class Close:
    """What a meeting is.

    Attributes:
        metres: how far apart two are at most, along streets.
        seconds: how long, at least.
    """

    metres: float
    seconds: int = 0


@dataclass(frozen=True)
class Met:
    """Meetings (q,), ordered by when they count as such.

    Attributes:
        first, second: the two (q,), the lower number first.
        begins_ms, until_ms: the first and the last moment at which they are close (q,).
        when_ms: when they have been close for long enough (q,).
    """

    first: Ints
    second: Ints
    begins_ms: Ints
    until_ms: Ints
    when_ms: Ints

    def __len__(self) -> int:
        return len(self.first)

    @property
    def meetings(self) -> Meetings:
        """The same as something is passed on at them."""
        return Meetings(self.first, self.second, self.when_ms)


def met(passages: Passages, graph: StreetGraph, people: int, close: Close) -> Met:
    """Who meets whom when. Time as the stretches and the pairs on one street at once.

    Parameters:
        passages: who is where when.
        graph: the streets.
        people: how many there are.
        close: what a meeting is.

    Raises:
        AwlError: there are too many.
    """
    on_streets = passages.with_standing()
    on_streets = on_streets.take(on_streets.link < graph.link_count)
    moved = on_streets.take(np.argsort(on_streets.link.astype(np.int64) << 40 | on_streets.enters_ms, kind="stable"))
    if people > MOST_PEOPLE or int(np.ptp(moved.enters_ms) if len(moved) else 0) > kernel.MOMENTS // 2 * kernel.STEP_MS:
        raise AwlError(
            f"Meetings of {people:,} people, or over so long a time, are not counted",
            remedy=f"Let {MOST_PEOPLE:,} people go at most, within twelve days",
            inputs=("meet",),
        )
    length = graph.link_length[moved.link]
    enters, leaves = moved.enters_ms.astype(np.float64), moved.leaves_ms.astype(np.float64)
    spent = leaves - enters
    speed = np.divide((moved.end - moved.begin) * length, spent, out=np.zeros(len(moved)), where=spent > 0)
    stretch = _Stretches(moved.person, enters, leaves, moved.begin * length, speed, moved.link, length)
    base = int(moved.enters_ms.min(initial=0) // kernel.STEP_MS)
    with threads_of(None) as pool:
        parts = [pool.submit(closer, stretch, graph, float(close.metres), base) for closer in (_on_links, _over_nodes)]
        who, spans = (np.concatenate(part) for part in zip(*(part.result() for part in parts), strict=True))
    start = np.concatenate([[0], np.cumsum(np.bincount(who, minlength=people))])
    ordered = np.empty_like(spans)
    kernel.by_person(who, spans, start[:-1].copy(), ordered)
    out = np.empty((len(spans), 4), np.int64)
    least = -(-close.seconds * 1000 // kernel.STEP_MS)
    cuts = np.linspace(0, people, SHARES + 1).astype(np.int64)
    with threads_of(None) as pool:
        counts = list(pool.map(lambda i: kernel.lasting(start, ordered, cuts[i : i + 2], least, out), range(SHARES)))
    meetings = np.concatenate([out[start[cut] : start[cut] + count] for cut, count in zip(cuts, counts, strict=False)])
    first, second, begins, until = meetings[np.argsort(meetings[:, 2], kind="stable")].T + np.array(
        [[0], [0], [base], [base]]
    )
    return Met(first, second, begins * kernel.STEP_MS, until * kernel.STEP_MS, (begins + least) * kernel.STEP_MS)


@dataclass(frozen=True)
class _Stretches:
    """Who is on which link (q,), from when to when in ms, how far from its begin in metres, and how fast in metres per ms."""

    person: Ints
    enters: Floats
    leaves: Floats
    at: Floats
    speed: Floats
    link: NDArray[np.int32]
    length: Floats

    @property
    def moving(self) -> tuple[Any, ...]:
        """What kernels take of each."""
        return self.person, self.enters, self.leaves, self.at, self.speed


def _with_room(rows: int, run: Callable[[NDArray[np.int32], Ints], int]) -> tuple[NDArray[np.int32], Ints]:
    """What a kernel writes that needs room for nobody knows how much: again with enough where the first was too small."""
    room = FIRST_ROOM * rows + 1024
    while True:
        who, spans = np.empty(room, np.int32), np.empty(room, np.int64)
        size = int(run(who, spans))
        if size > MOST_SPANS:
            raise AwlError(
                f"Two are close {size:,} times, which is more than {MOST_SPANS:,}",
                remedy="Let fewer people go, or count only those as meeting who come closer",
                inputs=("meet",),
            )
        if size <= room:
            return who[:size], spans[:size]
        room = size


def _on_links(stretch: _Stretches, graph: StreetGraph, metres: float, base: int) -> tuple[NDArray[np.int32], Ints]:
    start = np.searchsorted(stretch.link, np.arange(graph.link_count + 1))

    def run(who: NDArray[np.int32], spans: Ints) -> int:
        return int(kernel.on_links(start, *stretch.moving, metres, base, who, spans))

    return _with_room(len(stretch.link), run)


def _over_nodes(stretch: _Stretches, graph: StreetGraph, metres: float, base: int) -> tuple[NDArray[np.int32], Ints]:
    nodes = np.column_stack([graph.link_from[stretch.link], graph.link_to[stretch.link]]).astype(np.int64)
    count = 2 * len(stretch.link)
    node, person, arm = (np.empty(count, np.int64) for _ in range(3))
    times = np.empty((count, 4))
    size = kernel.at_ends(
        *stretch.moving, stretch.length, nodes, metres, node, times, person, arm, stretch.link.astype(np.int64)
    )
    order = np.argsort(node[:size] << 40 | (times[:size, 0] * kernel.TICKS).astype(np.int64), kind="stable")
    node, times, person, arm = node[order], times[order], person[order], arm[order]
    start = np.searchsorted(node, np.arange(graph.node_count + 1))
    edges = _edges(graph)
    near, far = np.empty(kernel.MOST_NEAR, np.int64), np.empty(kernel.MOST_NEAR)

    def run(who: NDArray[np.int32], spans: Ints) -> int:
        return int(kernel.over_nodes(start, times, person, arm, edges, metres, base, near, far, who, spans))

    return _with_room(int(size), run)


def _edges(graph: StreetGraph) -> tuple[Ints, Ints, NDArray[np.float64]]:
    """The links at each node, whichever way they lead: offsets, other ends and lengths."""
    tail = np.concatenate([graph.link_from, graph.link_to]).astype(np.int64)
    head = np.concatenate([graph.link_to, graph.link_from]).astype(np.int64)
    order = np.argsort(tail, kind="stable")
    metres = np.concatenate([graph.link_length, graph.link_length])[order]
    return np.searchsorted(tail[order], np.arange(graph.node_count + 1)), head[order], metres
