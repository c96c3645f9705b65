"""What the health check has found on the streets an answer rests on, as a doubt."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from awl.core.analysis.health.findings import KINDS, NAMES
from awl.core.analysis.health.sentences import sentences
from awl.questions.context import Context
from awl.questions.results import Doubt, counted
from awl.questions.spots import MOST_SPOTS, Spot
from awl.study.health import known_findings

GRADES = ("error", "warning")
"""What may spoil an answer; notes do not."""


def findings_on(context: Context, links: Iterable[int]) -> list[Doubt]:
    """A doubt about findings that touch links of an answer; none where the streets were not checked yet.

    Parameters:
        context: the run of the question.
        links: rows of the links the answer rests on.
    """
    findings = known_findings(context.study)
    if findings is None:
        return []
    graph = context.study.graph
    touched = np.isin(findings.links, np.unique(np.fromiter(links, np.int64))).any(axis=1)
    touched &= np.array([KINDS[name].grade in GRADES for name in NAMES])[findings.kind]
    on_way = findings.take(touched)
    if len(on_way) == 0:
        return []
    kinds = ", ".join(f"{count} of '{KINDS[name].title.lower()}'" for name, count in on_way.counts().items())
    lies = "lies" if len(on_way) == 1 else "lie"
    text = (
        f"{counted(len(on_way), 'finding')} of the health check {lies} on this way: {kinds}. Stage Streets mends them."
    )
    lon, lat = graph.plane.lonlat(on_way.x, on_way.y)
    spots = zip(on_way.kind.tolist(), sentences(graph, on_way), lon.tolist(), lat.tolist(), strict=True)
    where = tuple(Spot(KINDS[NAMES[code]].title, sentence, x, y) for code, sentence, x, y in spots)[:MOST_SPOTS]
    return [Doubt("findings-on-the-way", "note", len(on_way), text, where)]
