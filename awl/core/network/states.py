"""The states a search runs over: a node and, where it matters, the arc by which it was reached.

Most nodes are one state. A node gets further states only for what it must tell apart: the arc by which one came, where a turn
restriction begins or turns cost time; the links passed on the way to a restriction over several links; and whether a street
that is open at the ends of trips alone (a private or destination-only street) was used at the start or will be the end.

Forbidden turns are sequences of arcs. Together they make an automaton that knows the longest beginning of any of them that the
traveller has just passed: A. V. Aho, M. J. Corasick, *Efficient string matching*, Comm. ACM 18 (1975). Turns as states of arcs:
S. Winter, *Modeling costs of turns in route planning*, GeoInformatica 6 (2002).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.arcs import Arcs, csr

Ints = NDArray[np.int32]


@dataclass(frozen=True)
class Steps:
    """Steps (r,) between states: from state `tail`, by way of `arc`, to state `head`; `after` is the arc before, or -1.

    `timed_rule` is a row of the states' `timed_rules`: the turn restrictions and gates that bar the step in some hours; -1 for
    none.
    """

    tail: Ints
    head: Ints
    arc: Ints
    after: Ints
    timed_rule: Ints

    def __len__(self) -> int:
        return len(self.tail)

    @staticmethod
    def joined(parts: Iterable[Steps]) -> Steps:
        """Several lists of steps as one.

        Parameters:
            parts: the lists.
        """
        parts = list(parts)
        return Steps(
            *(
                np.concatenate([getattr(p, name) for p in parts]).astype(np.int32)
                for name in ("tail", "head", "arc", "after", "timed_rule")
            )
        )


@dataclass(frozen=True)
class States:
    """States (s,) and the steps between them.

    State i < n is node i, come to in a way that does not matter; `node` is where each stands. `free` (n,) is the state of a trip
    that begins at a node, `begun` (2m,) the state at the end of an arc for a trip that begins on it, -1 where it is barred.
    `timed_rules`: sequences of arcs that are forbidden in some hours, those together that bar the same steps.
    """

    node: Ints
    free: Ints
    begun: Ints
    steps: Steps
    timed_rules: list[frozenset[tuple[int, ...]]]

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.node)

    @cached_property
    def by_arc(self) -> tuple[NDArray[np.int64], Ints]:
        """Steps in the order of their arcs: those of arc a are `rows[start[a]:start[a + 1]]`."""
        start, _, rows = csr(len(self.begun), self.steps.arc, self.steps.head)
        return start, rows

    @cached_property
    def by_node(self) -> tuple[NDArray[np.int64], Ints]:
        """States in the order of their nodes, likewise."""
        start, _, rows = csr(len(self.free), self.node, self.node)
        return start, rows


def build_states(
    out: Arcs,
    arc_head: Ints,
    forbidden: Iterable[tuple[int, ...]],
    every_arc: bool,
    at_ends: NDArray[np.bool_],
    sometimes: Iterable[tuple[int, ...]] = (),
    told_apart: NDArray[np.integer] | None = None,
) -> States:
    """States of a network with the arcs `out` by node; `arc_head` (2m,) is the node at the end of each arc, -1 where barred.

    `forbidden`: sequences of two and more arcs that may not be passed one after the other; `sometimes`: in some hours, so that
    states are the same at every hour. `every_arc`: tell apart every arc by
    which one comes to a node with a choice, because turns cost time; `told_apart`: these alone. `at_ends` (m,): links open at the
    ends of trips alone.

    Parameters:
        out: arcs by the node they leave.
        arc_head: the node (2m,) at the end of each arc, -1 where barred.
        forbidden: sequences of arcs that may not be passed one after the other.
        every_arc: whether every arc of arrival is told apart.
        at_ends: mask (m,) of the links that serve only the ends of trips.
        sometimes: sequences that are forbidden in some hours.
        told_apart: the arcs of arrival that are told apart beside; None for none.
    """
    n = len(out.start) - 1
    arrived = arc_head.copy()
    known = dict.fromkeys(forbidden, True) | dict.fromkeys(sometimes, False)
    sequences = {s: always for s, always in known.items() if all(arc_head[a] >= 0 for a in s)}
    prefixes = {s[:i] for s in sequences for i in range(1, len(s))}
    own = np.zeros(len(arc_head), bool)
    if every_arc:
        choice = np.diff(out.start) >= 2
        own = (arc_head >= 0) & choice[np.maximum(arc_head, 0)]
    if told_apart is not None:
        own[told_apart] = arc_head[told_apart] >= 0
    own[[p[0] for p in prefixes if len(p) == 1]] = True
    lone = np.flatnonzero(own)
    arrived[lone] = n + np.arange(len(lone))
    trie: dict[tuple[int, ...], int] = {p: int(arrived[p[0]]) for p in prefixes if len(p) == 1}
    deep = sorted((p for p in prefixes if len(p) > 1), key=lambda p: (len(p), p))
    trie |= {p: n + len(lone) + i for i, p in enumerate(deep)}
    node = np.concatenate([np.arange(n), arc_head[lone], [arc_head[p[-1]] for p in deep]]).astype(np.int32)
    begin = np.repeat(np.arange(n, dtype=np.int32), np.diff(out.start))
    nothing = np.full(len(begin), -1, np.int32)
    free = Steps(begin, arrived[out.arc], out.arc, nothing, nothing)
    own[[p[0] for p in trie]] = False
    plain = np.flatnonzero(own)
    turns = _turns(out, plain, arc_head, arrived)
    duplicated, timed_rules = _told(out, trie, sequences, arc_head, arrived)
    states = States(node, np.arange(n, dtype=np.int32), arrived, Steps.joined([free, turns, duplicated]), timed_rules)
    return _with_ends(states, at_ends) if at_ends.any() else states


def _turns(out: Arcs, into: NDArray[np.int64], arc_head: Ints, arrived: Ints) -> Steps:
    """All steps from the states of the arcs `into` to every arc that leaves the node they lead to."""
    at = arc_head[into]
    counts = np.diff(out.start)[at]
    rows = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts - out.start[at], counts)
    arc = out.arc[rows]
    before = np.repeat(into, counts)
    return Steps(arrived[before], arrived[arc], arc, before.astype(np.int32), np.full(len(arc), -1, np.int32))


def _told(
    out: Arcs, trie: dict[tuple[int, ...], int], sequences: dict[tuple[int, ...], bool], arc_head: Ints, arrived: Ints
) -> tuple[Steps, list[frozenset[tuple[int, ...]]]]:
    """Steps from the states that know a beginning of a forbidden sequence; those forbidden always (True) are left out.

    Those forbidden in some hours stay; by what they are forbidden comes second.
    """
    rows = []
    timed_rules: dict[frozenset[tuple[int, ...]], int] = {}
    for prefix, state in trie.items():
        node = arc_head[prefix[-1]]
        for arc in out.arc[out.start[node] : out.start[node + 1]].tolist():
            tails = [(*prefix[i:], arc) for i in range(len(prefix))]
            completed = [tail for tail in tails if tail in sequences]
            if any(sequences[tail] for tail in completed):
                continue
            timed_rule = timed_rules.setdefault(frozenset(completed), len(timed_rules)) if completed else -1
            head = next((trie[tail] for tail in tails if tail in trie), int(arrived[arc]))
            rows.append((state, head, arc, prefix[-1], timed_rule))
    table = np.array(rows, np.int32).reshape(-1, 5)
    return Steps(*(table[:, i] for i in range(5))), list(timed_rules)


def _with_ends(states: States, at_ends: NDArray[np.bool_]) -> States:
    """Tell apart trips that have not yet left the streets open at ends alone (`young`) and those that came back (`old`).

    A trip leaves them once at most and comes back to them once at most, so nobody passes through.
    """
    steps = states.steps
    ends = at_ends[steps.arc >> 1]
    touched = np.zeros(len(states.free), bool)
    touched[states.node[steps.tail[ends]]] = True
    touched[states.node[steps.head[ends]]] = True
    copied = np.flatnonzero(touched[states.node])
    young, old = np.full(states.count, -1, np.int32), np.full(states.count, -1, np.int32)
    young[copied] = states.count + np.arange(len(copied))
    old[copied] = states.count + len(copied) + np.arange(len(copied))
    leaves = ~ends & (young[steps.tail] >= 0)

    def some(mask: NDArray[np.bool_], tail: Ints, head: Ints) -> Steps:
        return Steps(
            tail[steps.tail[mask]], head[steps.head[mask]], steps.arc[mask], steps.after[mask], steps.timed_rule[mask]
        )

    same = np.arange(states.count, dtype=np.int32)
    columns = [
        some(~ends, same, same),
        some(leaves, young, same),
        some(ends, same, old),
        some(ends, young, young),
        some(ends, old, old),
    ]
    node = np.concatenate([states.node, states.node[copied], states.node[copied]])
    free = np.where(young[states.free] >= 0, young[states.free], states.free)
    at_begin = np.flatnonzero(states.begun >= 0)
    at_begin = at_begin[at_ends[at_begin >> 1]]
    begun = states.begun.copy()
    begun[at_begin] = young[begun[at_begin]]
    return States(node, free, begun, Steps.joined(columns), states.timed_rules)
