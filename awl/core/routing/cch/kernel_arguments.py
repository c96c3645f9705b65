"""What kernels of the hierarchy are given together: graphs, where searches begin and end, bounds and scratch memory."""

from __future__ import annotations

from typing import Any, NamedTuple


class Edges(NamedTuple):
    """Edges in one direction: those of rank i are `start[i]` to `start[i + 1]`, each with the higher rank and its cost.

    `cost` is (e,) for one metric and (e, LANES) for several.
    """

    start: Any
    head: Any
    cost: Any


class CarryingEdges(NamedTuple):
    """`Edges` with their accumulated costs `far` (e,)."""

    start: Any
    head: Any
    cost: Any
    far: Any


class Tree(NamedTuple):
    """The elimination tree (c,) and all its edges.

    Attributes:
        parent: the next higher rank of each, -1 at a root.
        lowest: the lowest rank below each.
        start, head: offsets (c + 1,) and higher ranks (e,) of all edges.
        state: the state at each rank.
    """

    parent: Any
    lowest: Any
    start: Any
    head: Any
    state: Any


class SweepGraph(NamedTuple):
    """What a sweep in lanes goes over.

    Attributes:
        parent: the next higher rank (c,) of each, -1 at a root.
        up: edges upwards, by ranks.
        local: rows (c,) of the ranks that are swept, -1 for others.
        down: edges downwards, by these rows.
    """

    parent: Any
    up: Any
    local: Any
    down: Any


class SourceRanks(NamedTuple):
    """Ranks (q,) at which one search begins, with a cost or a label each."""

    rank: Any
    cost: Any


class LaneSources(NamedTuple):
    """Ranks (q,) at which searches begin, the lane of each, and its cost."""

    rank: Any
    lane: Any
    cost: Any


class CarryingLaneSources(NamedTuple):
    """`LaneSources` with their accumulated costs."""

    rank: Any
    lane: Any
    cost: Any
    far: Any


class Sources(NamedTuple):
    """Ranks at which searches begin, those of source s being `start[s]` to `start[s + 1]`, with their cost."""

    start: Any
    rank: Any
    cost: Any


class CarryingSources(NamedTuple):
    """`Sources` with their accumulated costs."""

    start: Any
    rank: Any
    cost: Any
    far: Any


class Goals(NamedTuple):
    """Rows of labels from which targets are reached, with the cost of the rest of the way."""

    row: Any
    target: Any
    cost: Any


class CarryingGoals(NamedTuple):
    """`Goals` with the accumulated cost of the rest of the way."""

    row: Any
    target: Any
    cost: Any
    far: Any


class Bounds(NamedTuple):
    """The highest cost that counts, what every trip costs at its ends, and the same in the accumulated cost."""

    most: Any
    terminal_time: Any
    far_terminal_time: Any


class SweepScratch(NamedTuple):
    """Memory of one thread for one search.

    Attributes:
        place: (c,) -1 throughout, and left so.
        reached: (c,) whatever it holds.
        of_rank: (c,) `NOT_YET` throughout, and left so.
    """

    place: Any
    reached: Any
    of_rank: Any


class LaneScratch(NamedTuple):
    """Memory of one thread for searches in lanes.

    Attributes:
        place: (c,) -1 throughout, and left so.
        label: costs (d, LANES) of the swept ranks.
        far: their accumulated costs (d, LANES); empty where none are wanted.
    """

    place: Any
    label: Any
    far: Any
