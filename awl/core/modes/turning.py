"""Turns: which ones a mode may not make, how sharp they are."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.arcs import Arcs
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import DELAY, Placed, TurnRestrictions
from awl.core.modes.hours import is_understood, open_at
from awl.core.modes.mode import Mode
from awl.core.modes.turn_kernel import kinds_of_turns

KINDS = ("thru", "left", "right", "uturn")


def binding(mode: Mode, turns: TurnRestrictions, when: datetime | None = None, ever: bool = False) -> NDArray[np.bool_]:
    """Mask of the restrictions that bind a mode; those with hours bind when they hold at a local date and time, else never.

    With `ever`, those with hours bind too. A mode on foot is bound by none; one that spares the mode's vehicle, or is for
    another, does not bind it.

    Parameters:
        mode: the mode.
        turns: the restrictions.
        when: local date and time; None is free flow.
        ever: whether what has hours counts whatever the hour.
    """
    if not mode.turn_keys:
        return np.zeros(len(turns), bool)
    spared = [value for value in turns.exempt.values if set(value.replace(" ", "").split(";")) & set(mode.turn_keys)]
    holding = [] if when is None else [text for text in turns.condition.values if open_at(text, when)]
    return (
        (ever | ~turns.condition.present() | turns.condition.isin(holding))
        & (~turns.applies_to.present() | turns.applies_to.isin(mode.turn_keys))
        & ~turns.exempt.isin(spared)
    )


def unread_restrictions(mode: Mode, graph: StreetGraph, usable: NDArray[np.bool_]) -> NDArray[np.integer]:
    """Rows (k,) of the turn restrictions on usable links that bind a mode in hours which are not read in full.

    Parameters:
        mode: the mode.
        graph: the street graph.
        usable: mask (m,) of the links that carry the mode.
    """
    turns = graph.restrictions
    unread = turns.condition.isin([text for text in turns.condition.values if not is_understood(text)])
    return np.flatnonzero(unread & binding(mode, turns, ever=True) & usable[turns.from_link] & usable[turns.to_link])


def forbidden_sequences(
    mode: Mode, graph: StreetGraph, out: Arcs, when: datetime | None = None, ever: bool = False, timed: bool = False
) -> list[tuple[int, ...]]:
    """Arcs that may not be passed one after the other: by the restrictions that bind the mode on its arcs `out` by node.

    `when` and `ever` choose among restrictions with hours, as in `binding`; those without are left out if `timed`. One that
    demands a turn forbids every other, at each node along its way.

    Parameters:
        mode: the mode.
        graph: the street graph.
        out: arcs by the node they leave.
        when: local date and time; None is free flow.
        ever: whether what has hours counts whatever the hour.
        timed: whether only restrictions with hours count.
    """
    binds = binding(mode, graph.restrictions, when, ever)
    if timed:
        binds &= graph.restrictions.condition.present()
    binds &= ~graph.restrictions.kind.isin((DELAY,))
    sequences: list[tuple[int, ...]] = []
    for p in graph.restrictions.rows(np.flatnonzero(binds).tolist()):
        for way in _ways(p, graph):
            sequences += list(_others(way, graph, out)) if p.kind.startswith("only_") else [way]
    return sequences


def stated_delays(mode: Mode, graph: StreetGraph) -> dict[tuple[int, int], float]:
    """Seconds that turns from arc to arc take where the source of the streets states them, for a mode that they bind.

    Parameters:
        mode: the mode.
        graph: the street graph.
    """
    binds = binding(mode, graph.restrictions) & graph.restrictions.kind.isin((DELAY,))
    return {
        (way[0], way[1]): p.delay_s
        for p in graph.restrictions.rows(np.flatnonzero(binds).tolist())
        for way in _ways(p, graph)
        if p.delay_s is not None and len(way) == 2
    }


def _ways(p: Placed, graph: StreetGraph) -> Iterator[tuple[int, ...]]:
    """The arcs along a restriction, once for each direction in which its first link comes to the via node."""
    for side, ends in ((0, graph.link_to), (1, graph.link_from)):
        if ends[p.from_link] == p.via_node:
            way, node = [2 * p.from_link + side], p.via_node
            for link in (*p.via_links, p.to_link):
                along = graph.link_from[link] == node
                if not along and graph.link_to[link] != node:
                    break  # a barrier stands between
                way.append(2 * link + (not along))
                node = int(graph.link_to[link] if along else graph.link_from[link])
            else:
                yield tuple(way)


def _others(way: tuple[int, ...], graph: StreetGraph, out: Arcs) -> Iterator[tuple[int, ...]]:
    """Every sequence that begins as `way` does and leaves it by another arc."""
    for i in range(1, len(way)):
        node = int(arc_heads(graph, np.array([way[i - 1]]))[0])
        for arc in out.arc[out.start[node] : out.start[node + 1]].tolist():
            if arc != way[i]:
                yield (*way[:i], arc)


def arc_heads(graph: StreetGraph, arc: NDArray[np.integer]) -> NDArray[np.int32]:
    """The node (k,) at which each arc ends.

    Parameters:
        graph: the street graph.
        arc: numbers (k,) of arcs.
    """
    return np.where(arc & 1, graph.link_from[arc >> 1], graph.link_to[arc >> 1])


def turn_kinds(graph: StreetGraph, before: NDArray[np.integer], after: NDArray[np.integer]) -> NDArray[np.int8]:
    """Kind (k,) of the turn from each arc of `before` to that of `after`, by the angle between its last and first segment.

    Parameters:
        graph: the street graph.
        before: the arc (k,) before each turn.
        after: the arc (k,) after it.
    """
    kinds: NDArray[np.int8] = kinds_of_turns(
        np.asarray(before, np.int64), np.asarray(after, np.int64), *graph.shape_xy, graph.shape_start
    )
    return kinds
