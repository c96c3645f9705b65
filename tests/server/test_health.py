"""The health check by the web API and by the command: the same findings, each with its place, grade and sentence."""

from __future__ import annotations

import json

import shapely
from click.testing import CliRunner

from awl.cli.check import command
from awl.core.analysis.health.findings import KINDS
from awl.study.health import findings_of
from awl.study.study import Study
from tests.server.test_api import BASE, ended, get


def test_faults_come_by_kind_and_one_by_one(client, folder):
    job = ended(client, client.post(f"{BASE}/check").headers["Location"])
    counts = findings_of(Study(folder / "ferrow.gpkg")).counts()
    assert job["status"] == "successful" and job["result"]["counts"] == counts
    told = get(client, f"{BASE}/check")
    assert {kind["kind"]: kind["count"] for kind in told["kinds"]} == counts
    assert all(kind["title"] == KINDS[kind["kind"]].title and kind["why"] for kind in told["kinds"])
    features = told["findings"]["features"]
    assert len(features) == sum(counts.values())
    for feature in features:
        properties = feature["properties"]
        assert properties["grade"] == KINDS[properties["kind"]].grade and properties["text"].endswith(".")
        assert shapely.from_geojson(json.dumps(feature["geometry"])).geom_type in ("Point", "LineString")


def test_the_command_counts_them_and_ends_with_1_where_one_is_an_error(study_file):
    found = findings_of(Study(study_file))
    run = CliRunner().invoke(command, ["--study", str(study_file)])
    assert run.exit_code == 1
    for name, count in found.counts().items():
        assert KINDS[name].title in run.output and f"{count:,}" in run.output
    document = json.loads(CliRunner().invoke(command, ["--study", str(study_file), "--json"]).output)
    assert document["type"] == "FeatureCollection" and len(document["features"]) == len(found)
