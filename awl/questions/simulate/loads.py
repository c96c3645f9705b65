"""How many are on which street when."""

from __future__ import annotations

import re
from collections.abc import Sequence
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


def loads_of(passages: Sequence[Passages], links: int) -> Loads:
    """The loads of several runs. A person who stands on a street has entered it before."""
    first = min((int(one.enters_ms.min()) for one in passages if len(one)), default=0) // (SPAN_MIN * MINUTE_MS)
    last = max((int(one.leaves_ms.max()) for one in passages if len(one)), default=0) // (SPAN_MIN * MINUTE_MS)
    spans = SPAN_MIN * np.arange(first, min(last, first + MOST_SPANS - 1) + 1)
    edges = np.append(spans, spans[-1] + SPAN_MIN) * MINUTE_MS
    by_time, on_it = np.zeros((links, len(spans))), np.zeros((links, len(spans)))
    totals = np.zeros((len(passages), links))
    for nth, one in enumerate(passages):
        moving = (one.link < links) & (one.begin != one.end)
        own = one if moving.all() else one.take(moving)
        entries, there = load_by_time(own.link.astype(np.int64), own.enters_ms, own.leaves_ms, links, edges)
        by_time += entries / len(passages)
        on_it += there / len(passages)
        totals[nth] = np.bincount(own.link, minlength=links)
    used = np.flatnonzero(totals.any(axis=0))
    used = used[np.argsort(-totals[:, used].sum(axis=0), kind="stable")]
    return Loads(spans, used, over_runs(totals[:, used]), by_time[used], on_it[used])


def widths_of(graph: StreetGraph, links: Ints) -> Floats:
    """Width in metres of streets (l,), as their tag `width` says; nan where it does not."""
    texts = graph.tag("width").take(links).decode()
    found = [METRES.match(text or "") for text in texts]
    return np.array([float(one.group(1).replace(",", ".")) if one else np.nan for one in found])


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
