"""Faults the build has left out of the graph, by their places: ways of no length, turn restrictions without effect."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from awl.core.analysis.health.findings import Findings
from awl.core.graph.build import BuildReport
from awl.core.graph.street_graph import StreetGraph


def left_out(graph: StreetGraph, report: BuildReport) -> list[Findings]:
    """What the build could not use.

    Parameters:
        graph: the streets.
        report: of their build.
    """
    return [
        _findings("no-length", graph, report.zero_lengths),
        _findings("lost-restriction", graph, report.restrictions_lost),
    ]


def _findings(kind: str, graph: StreetGraph, places: Sequence[Sequence[float]]) -> Findings:
    """Findings at places: id, longitude and latitude of each, and the way that a restriction lacks, 0 for none."""
    rows = np.array([[*place, 0.0][:4] for place in places], float).reshape(-1, 4)
    xy = np.column_stack(graph.plane.xy(rows[:, 1], rows[:, 2]))
    return Findings.of(
        kind,
        xy,
        np.full(len(rows), -1),
        np.where(rows[:, 3] > 0, rows[:, 3], np.nan),
        source=rows[:, 0].astype(np.int64),
    )
