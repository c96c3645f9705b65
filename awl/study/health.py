"""The health of a study's streets: what all checks find, as a table of places."""

from __future__ import annotations

import contextlib
from dataclasses import fields
from pathlib import Path

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.health.check import check
from awl.core.analysis.health.findings import KINDS, NAMES, Findings
from awl.core.analysis.health.sentences import sentences
from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io.table import Column, Table
from awl.study import kept, records
from awl.study.study import Study

MODE = "drive"
"""The mode that one-way signs, turn restrictions and posted limits bind."""
PLACES = ("places", "zones")
LAYOUT = 1
NAMES_KEPT = tuple(item.name for item in fields(Findings))


def findings_of(study: Study, progress: Progress | None = None) -> Findings:
    """What is wrong with the streets of a study, kept beside it for as long as they, the mode and its places are the same.

    Parameters:
        study: the study.
        progress: is told how far the work is, and stops it.
    """
    folder = _folder(study)

    def make() -> Findings:
        kept_findings = known_findings(study)
        if kept_findings is not None:
            return kept_findings
        graph = study.graph
        water = study.water.parts
        places = [
            np.column_stack(
                graph.plane.xy(*shapely.get_coordinates(shapely.centroid(study.read_layer(layer["id"]).geometry)).T)
            )
            for layer in study.layers()
            if layer["role"] in PLACES
        ]
        xy = np.concatenate(places) if places else np.zeros((0, 2))
        try:
            drive = study.network(MODE)
        except AwlError as error:
            if error.kind != "no-usable-street":
                raise
            drive = None
        findings = check(graph, drive, None if graph.drawn else water, xy, study.build_report, progress)
        with contextlib.suppress(OSError):
            kept.save(folder, {name: getattr(findings, name) for name in NAMES_KEPT})
        return findings

    return study.cached(("health", folder.name), make)


def key_of(study: Study) -> str:
    """Tells findings of one state of a study from those of another.

    Parameters:
        study: the study.
    """
    return _folder(study).name


def known_findings(study: Study) -> Findings | None:
    """What was found when the streets as they are were checked; None where they were not checked yet.

    Parameters:
        study: the study.
    """
    arrays = kept.loaded(_folder(study), NAMES_KEPT)
    return None if arrays is None else Findings(**arrays)


def _folder(study: Study) -> Path:
    """Where findings are kept: by the streets, the mode and the places they rest on."""
    layers = [(layer["id"], layer["added"]) for layer in records.layers(study.reading) if layer["role"] in PLACES]
    rests_on = repr((study.revision, layers, study.modes()[MODE][1])).encode()
    return kept.place_of(study.path, "health", (np.frombuffer(rests_on, np.uint8),), LAYOUT)


def table_of(study: Study, findings: Findings) -> Table:
    """Findings as points, and gaps as lines across them, with kind, grade, sentence and the numbers of the links.

    Parameters:
        study: the study.
        findings: what was found in it.
    """
    graph = study.graph
    names = [NAMES[code] for code in findings.kind.tolist()]
    places: NDArray[np.object_] = np.array(shapely.points(*graph.plane.lonlat(findings.x, findings.y)), object)
    gap = np.flatnonzero(
        np.isfinite(findings.to_x) & (np.hypot(findings.to_x - findings.x, findings.to_y - findings.y) > 0)
    )
    lon, lat = graph.plane.lonlat(
        np.column_stack([findings.x, findings.to_x])[gap].ravel(),
        np.column_stack([findings.y, findings.to_y])[gap].ravel(),
    )
    places[gap] = shapely.linestrings(np.column_stack([lon, lat]).reshape(-1, 2, 2))
    links = np.where(findings.links >= 0, graph.link_id[findings.links], 0)
    return Table(
        places,
        {
            "kind": Column.of(Categorical.of(names)),
            "grade": Column.of(Categorical.of([KINDS[name].grade for name in names])),
            "text": Column.of(sentences(graph, findings)),
            "link_id": Column.of(np.ma.masked_equal(links[:, 0], 0)),
            "other_link_id": Column.of(np.ma.masked_equal(links[:, 1], 0)),
        },
    )
