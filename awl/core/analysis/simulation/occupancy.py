"""How full places are: the most inside, since when one is full and for how long, and how many are turned away when."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import NEVER, Filled

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Occupation:
    """Of each place (k,).

    Attributes:
        came_in: how many came in.
        most_inside: the most who were inside at once.
        first_full_ms: when it was full first, -1 for never.
        full_ms: for how long it was full in all.
    """

    came_in: Ints
    most_inside: Ints
    first_full_ms: Ints
    full_ms: Ints


def occupation(filled: Filled, capacity: Ints) -> Occupation:
    """How full each place was. Who leaves at a moment makes room for who comes at that moment.

    Parameters:
        filled: what became of everybody.
        capacity: how many each place holds (k,).
    """
    places = len(capacity)
    most, first, full = np.zeros(places, np.int64), np.full(places, NEVER, np.int64), np.zeros(places, np.int64)
    came = np.bincount(filled.place[filled.served], minlength=places) if places else np.zeros(0, np.int64)
    for place in np.flatnonzero(came).tolist():
        own = filled.served & (filled.place == place)
        when = np.concatenate([filled.ends_ms[own], filled.enters_ms[own]])
        change = np.repeat([-1, 1], int(came[place]))
        order = np.lexsort((change, when))
        # Who stays no time at all has left before entering, by the order of a moment.
        inside = np.cumsum(change[order])
        when = when[order]
        most[place] = inside.max()
        taken = inside >= capacity[place]
        lasts = np.diff(when, append=when[-1])
        full[place] = int(lasts[taken].sum())
        # A seat that is left and taken at one moment does not make a place full anew.
        begun = np.flatnonzero(taken & (lasts > 0))
        if len(begun):
            first[place] = when[begun[0]]
    return Occupation(came.astype(np.int64), most, first, full)


def turned_away_by_time(filled: Filled, places: int, edges_ms: Ints) -> Ints:
    """How often each place was found full in each span of time (k, t).

    Parameters:
        filled: what became of everybody.
        places: how many places there are.
        edges_ms: ends of the spans (t + 1,), ascending.
    """
    spans = len(edges_ms) - 1
    place, when = filled.full.ravel(), filled.full_ms.ravel()
    span = np.searchsorted(edges_ms, when, side="right") - 1
    known = (place != NEVER) & (span >= 0) & (span < spans)
    return np.bincount(place[known] * spans + span[known], minlength=places * spans).reshape(places, spans)
