"""How many are on which street when."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.moving import Passages
from awl.core.analysis.simulation.over_runs import OverRuns, over_runs
from awl.core.analysis.simulation.tracks import load_by_time
from awl.core.graph.shapes import cut_lines
from awl.core.graph.street_graph import StreetGraph
from awl.io.table import Column, Meaning, Table
from awl.questions.simulate.outcome import clock_word
from awl.questions.simulate.runs import MINUTE_MS

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
SPAN_MIN = 15
MOST_SPANS = 120
METRES = re.compile(r"^\s*(\d+(?:[.,]\d+)?)\s*(?:m)?\s*$")


@dataclass(frozen=True)
class Loads:
    """People on streets.

    Attributes:
        spans: where each quarter of an hour begins, minutes since midnight (t,).
        links: rows of the streets that anybody is on (l,), the fullest first.
        people: who enters each street (l,), over the runs.
        by_time: who enters each in each span, on the mean (l, t).
        on_it: who is on it at a time, on the mean (l, t).
    """

    spans: Ints
    links: Ints
    people: OverRuns
    by_time: Floats
    on_it: Floats


class LoadSum:
    """The loads of several runs, added one after another. A person who stands on a street has entered it before.

    Parameters:
        links: how many streets there are.
        runs: how many runs there are.
        begin_ms, end_ms: when the first sets out and the last arrives.
    """

    def __init__(self, links: int, runs: int, begin_ms: int, end_ms: int) -> None:
        first, last = (moment // (SPAN_MIN * MINUTE_MS) for moment in (begin_ms, end_ms))
        self._spans = SPAN_MIN * np.arange(first, min(last, first + MOST_SPANS - 1) + 1)
        self._links = links
        self._totals = np.zeros((runs, links), np.int32)
        self._added = 0
        self._by_time, self._on_it = (np.zeros((links, len(self._spans))) for _ in range(2))

    def add(self, passages: Passages) -> None:
        """Those of one more run."""
        moving = (passages.link < self._links) & (passages.begin != passages.end)
        own = passages if moving.all() else passages.take(moving)
        edges = np.append(self._spans, self._spans[-1] + SPAN_MIN) * MINUTE_MS
        entries, there = load_by_time(own.link.astype(np.int64), own.enters_ms, own.leaves_ms, self._links, edges)
        self._by_time += entries
        self._on_it += there
        self._totals[self._added] = np.bincount(own.link, minlength=self._links)
        self._added += 1

    def loads(self) -> Loads:
        """What has been added."""
        totals, runs = self._totals, max(self._added, 1)
        used = np.flatnonzero(totals.any(axis=0))
        used = used[np.argsort(-totals[:, used].sum(axis=0), kind="stable")]
        people = over_runs(totals[:, used].astype(np.float64))
        return Loads(self._spans, used, people, self._by_time[used] / runs, self._on_it[used] / runs)


def widths_of(graph: StreetGraph, links: Ints) -> Floats:
    """Width in metres of streets (l,), as their tag `width` says; nan where it does not."""
    texts = graph.tag("width").take(links).decode()
    matches = [METRES.match(text or "") for text in texts]
    return np.array([float(one.group(1).replace(",", ".")) if one else np.nan for one in matches])


def street_table(graph: StreetGraph, loads: Loads) -> Table:
    """Streets with who is on them: in all, and in the busiest quarter of an hour."""
    links, peak = loads.links, loads.by_time.argmax(axis=1) if len(loads.links) else np.zeros(0, np.int64)
    most = loads.by_time[np.arange(len(links)), peak]
    width = widths_of(graph, links)
    per_min = most / SPAN_MIN
    return Table(
        cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links))),
        {
            "link_id": graph.link_id[links],
            "name": graph.tag("name").take(links),
            "people": Column.of(loads.people.mean, "", 1, Meaning("people")),
            "people_median": Column.of(loads.people.median, "", 1),
            "people_low": Column.of(loads.people.low, "", 1),
            "people_high": Column.of(loads.people.high, "", 1),
            "busiest_from": [clock_word(minute) for minute in loads.spans[peak].tolist()],
            "busiest_people": Column.of(most, "", 1),
            "per_min": Column.of(per_min, "1/min", 2),
            "width_m": Column.of(width, "m", 2),
            "per_min_m": Column.of(np.divide(per_min, width, out=np.full(len(links), np.nan), where=width > 0), "1/min/m", 2),
            "most_on_it": Column.of(loads.on_it.max(axis=1, initial=0.0), "", 2),
            "length_m": Column.of(graph.link_length[links], "m", 1),
        },
    )  # fmt: skip


def by_time_table(graph: StreetGraph, loads: Loads) -> Table:
    """Who enters each street in each quarter of an hour: a column for each, named by where it begins."""
    columns = {
        f"from_{clock_word(minute).replace(':', '')}": Column.of(
            loads.by_time[:, nth], "", 2, Meaning("people", limit=float(minute))
        )
        for nth, minute in enumerate(loads.spans.tolist())
    }
    return Table(None, {"link_id": graph.link_id[loads.links], **columns})
