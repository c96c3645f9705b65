"""All checks of a street graph in one pass."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.health import connections, geometry, levels, speeds, surroundings
from awl.core.analysis.health.findings import Findings
from awl.core.analysis.health.left_out import left_out
from awl.core.analysis.health.segments import meetings, segments_of
from awl.core.graph.build import BuildReport
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.network import Network
from awl.core.progress import Progress


def check(
    graph: StreetGraph,
    drive: Network | None,
    water: NDArray[np.object_] | None = None,
    places: NDArray[np.float64] | None = None,
    report: BuildReport | None = None,
    progress: Progress | None = None,
) -> Findings:
    """What is wrong with the streets, or may be.

    Parameters:
        graph: the streets.
        drive: the streets as a mode may use them that obeys one-way signs, turn restrictions and posted limits; None where it
            can use none.
        water: polygons in the metric plane of the graph.
        places: of what a study holds (k, 2), metres.
        report: of the build of the streets.
        progress: is told how far the work is, and stops it.

    Returns:
        The findings, kind by kind.
    """
    progress = progress or Progress()
    level = levels.level_of(graph)
    progress.step(0.05, "Looking for crossings")
    segments = segments_of(graph)
    meet = meetings(segments)
    parts = geometry.crossings(graph, segments, meet, level)
    progress.step(0.4, "Looking for gaps")
    touching = parts[1]
    parts.append(geometry.near_misses(graph, shapely.STRtree(graph.lines_xy), touching, level))
    parts.append(geometry.duplicates(graph, segments, meet, level))
    parts += geometry.lengths(graph)
    parts += [] if report is None else left_out(graph, report)
    parts += [levels.odd_levels(graph), levels.unlike_neighbours(graph), levels.joined_levels(graph, level)]
    progress.step(0.6, "Looking for streets that lead nowhere")
    parts.append(connections.isolated(graph))
    if drive is not None:
        parts += connections.one_ways(drive)
        parts.append(connections.shut_by_restrictions(drive))
        parts += speeds.speeds(drive)
    progress.step(0.8, "Looking at water and places")
    if water is not None and len(water):
        parts.append(surroundings.covered_by_water(graph, water))
    if places is not None and len(places):
        parts.append(surroundings.far_places(graph, places))
    return Findings.joined(parts)
