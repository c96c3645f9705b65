"""`awl check`: what is wrong with the streets and the timetables of a study."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from awl.cli.options import PATH, json_option, optional_study_option, progress_bar
from awl.core.errors import AwlError


@click.command()
@optional_study_option
@click.option("--file", "file", type=PATH, help="A study from somebody else, looked at before it is opened.")
@json_option
def command(study_path: Path | None, file: Path | None, as_json: bool) -> None:
    """Look for faults of the streets: gaps, crossings that are not joined, odd speeds, streets that lead nowhere.

    Those of its timetables, found when they were taken in, are told with them, and stops that no street comes near. Ends with
    exit status 1 when one of them is an error. With --json the findings are a GeoJSON FeatureCollection. With --file it is the
    file that is looked at, without opening it as a study: damage, triggers and views, the version that wrote it.

    Example: awl check --study ferrow.gpkg
    """
    if (study_path is None) == (file is None):
        raise AwlError("Either a study or a file is checked", remedy="Give --study or --file")
    has_errors = _check_file(file, as_json) if file is not None else _check_study(study_path, as_json)  # type: ignore[arg-type]
    if has_errors:
        sys.exit(1)


def _check_file(file: Path, as_json: bool) -> bool:
    from awl.study.file_check import check_file

    found = check_file(file)
    if as_json:
        click.echo(json.dumps([vars(finding) for finding in found]))
    else:
        click.echo("\n".join(f"  {finding.grade:<8} {finding.text}" for finding in found) or "No fault found.")
    return any(finding.grade == "error" for finding in found)


def _check_study(study_path: Path, as_json: bool) -> bool:
    from awl.core.analysis.health.findings import KINDS
    from awl.io import geojson
    from awl.io.table import Table
    from awl.study import feeds
    from awl.study.health import findings_of, table_of
    from awl.study.joined_stops import FAR_GRADE, FAR_TITLE, first_joined_stops
    from awl.study.study import Study

    study = Study(study_path)
    with progress_bar() as progress:
        findings = findings_of(study, progress)
    counts, timetables = findings.counts(), feeds.listed(study.reading)
    stops = first_joined_stops(study) if timetables else None
    far = 0 if stops is None else len(stops.too_far)
    if as_json:
        tables = [table_of(study, findings), *(feeds.faults_table(entry) for entry in timetables)]
        click.echo(geojson.encoded(Table.joined(tables + ([] if stops is None else [stops.findings()]))))
    else:
        lines = [_line(number, KINDS[name].grade, KINDS[name].title) for name, number in counts.items()]
        for entry in timetables:
            faults = entry.summary["faults"]
            feed_lines = [_line(fault["count"], fault["grade"], fault["title"]) for fault in faults]
            lines += [f"{entry.title}:", *(feed_lines or ["  No fault found."])]
        lines += [_line(far, FAR_GRADE, f"{FAR_TITLE} of '{stops.mode}'")] if stops is not None and far else []
        click.echo("\n".join(lines) or "No fault found.")
    of_timetables = [fault["grade"] for entry in timetables for fault in entry.summary["faults"]]
    return "error" in of_timetables or any(KINDS[name].grade == "error" for name in counts)


def _line(count: int, grade: str, title: str) -> str:
    return f"  {count:>7,}  {grade:<8} {title}"
