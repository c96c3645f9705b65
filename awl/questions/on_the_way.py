"""What the health check has found on the streets an answer rests on, as a doubt."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.health.findings import KINDS, NAMES
from awl.core.analysis.health.sentences import sentences
from awl.questions.results import Doubt, counted
from awl.questions.spots import MOST_SPOTS, Spot
from awl.study.health import known_findings
from awl.study.study import Study

GRADES = ("error", "warning")
"""What may spoil an answer; notes do not."""
KINDS_NAMED = 3


def is_checked(study: Study) -> bool:
    """Whether the streets of a study were checked since they last changed.

    Parameters:
        study: the study as the question is asked of it.
    """
    return known_findings(study) is not None


def findings_on(study: Study, links: Iterable[int] | NDArray[np.integer], where: str) -> list[Doubt]:
    """A doubt about findings that touch links of an answer; none where the streets were not checked yet.

    Parameters:
        study: the study as the question is asked of it.
        links: rows of the links the answer rests on.
        where: what these are to the answer: "on this way".
    """
    findings = known_findings(study)
    if findings is None:
        return []
    graph = study.graph
    rows = links if isinstance(links, np.ndarray) else np.fromiter(links, np.int64)
    touched = np.isin(findings.links, np.unique(rows)).any(axis=1)
    touched &= np.array([KINDS[name].grade in GRADES for name in NAMES])[findings.kind]
    on_way = findings.take(touched)
    if len(on_way) == 0:
        return []
    counts = sorted(on_way.counts().items(), key=lambda item: -item[1])
    named = [f"{count} of '{KINDS[name].title.lower()}'" for name, count in counts[:KINDS_NAMED]]
    others = sum(count for _, count in counts[KINDS_NAMED:])
    kinds = ", ".join([*named, *([f"{others} others"] if others else [])])
    lies = "lies" if len(on_way) == 1 else "lie"
    text = f"{counted(len(on_way), 'finding')} of the health check {lies} {where}: {kinds}. Stage Streets mends them."
    listed = on_way.take(np.arange(len(on_way)) < MOST_SPOTS)
    lon, lat = graph.plane.lonlat(listed.x, listed.y)
    spots = zip(listed.kind.tolist(), sentences(graph, listed), lon.tolist(), lat.tolist(), strict=True)
    places = tuple(Spot(KINDS[NAMES[code]].title, sentence, x, y) for code, sentence, x, y in spots)
    return [Doubt("findings-on-the-way", "note", len(on_way), text, places)]
