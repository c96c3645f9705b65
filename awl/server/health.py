"""The health check of a study's streets."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from awl.core.analysis.health.findings import KINDS
from awl.core.progress import Progress
from awl.io import geojson
from awl.server.web import done, started_build, study_of
from awl.server.workroom import Workroom, task
from awl.study.health import findings_of, table_of
from awl.study.mending import fixes_of
from awl.study.study import Study

api = Blueprint("health", __name__)
PROCESS = {
    "id": "check",
    "title": "Check the streets",
    "description": "Looks for faults of the streets: gaps, crossings that are not joined, odd speeds, streets that lead nowhere.",
    "version": "1.0.0",
    "jobControlOptions": ["sync-execute", "async-execute", "dismiss"],
    "outputTransmission": ["value"],
}
"""The check as a process: it asks for nothing but the study."""
OUTPUTS = {
    "kinds": ("The kinds of faults found, with their grade and how many there are", "array"),
    "findings": ("Each fault with its place, grade and sentence, a GeoJSON FeatureCollection", "object"),
}


def described() -> dict[str, Any]:
    """The process with its outputs."""
    outputs = {
        name: {"title": name, "description": text, "schema": {"type": kind}} for name, (text, kind) in OUTPUTS.items()
    }
    return {**PROCESS, "inputs": {}, "outputs": outputs}


@api.post("/studies/<study_id>/check")
def check(study_id: str) -> Response:
    """Look for faults of the streets; answers with a job."""
    study_of(study_id)
    return started_build(study_id, task(counted, study_id=study_id))


def counted(room: Workroom, progress: Progress, study_id: str) -> dict[str, Any]:
    """How many faults there are of each kind: the work of a job."""
    return {"study": study_id, "counts": findings_of(room.studies.study(study_id), progress).counts()}


@api.get("/studies/<study_id>/check")
def findings(study_id: str) -> Response:
    """The faults of the streets by kind, and each with its place and sentence, as a FeatureCollection."""
    study_of(study_id)
    return done("check", study_id, task(checked, study_id=study_id, wanted=None))


def checked(room: Workroom, progress: Progress, study_id: str, wanted: set[str] | None) -> dict[str, Any]:
    """What the check of a study found, or the parts of it that are wanted: the work of a request or job."""
    result = document(room.studies.study(study_id), progress)
    return {part: value for part, value in result.items() if wanted is None or part in wanted}


def document(study: Study, progress: Progress) -> dict[str, Any]:
    """What the check of a study found, as JSON."""
    every = findings_of(study, progress)
    table = table_of(study, every)
    fixes = [[fix.label for fix in ways] for ways in fixes_of(study)]
    features = [
        {**feature, "properties": {**feature["properties"], "number": number, "fixes": labels}}
        for number, (feature, labels) in enumerate(zip(geojson.collection(table)["features"], fixes, strict=True))
    ]
    kinds = [
        {"kind": name, "grade": KINDS[name].grade, "title": KINDS[name].title, "why": KINDS[name].why, "count": count}
        for name, count in every.counts().items()
    ]
    return {"kinds": kinds, "findings": {"type": "FeatureCollection", "features": features}}
