"""The health check by the web API and by the command: the same findings, each with its place, grade and sentence."""

from __future__ import annotations

import json

import shapely
from click.testing import CliRunner

from awl.cli.check import command
from awl.core.analysis.health.findings import KINDS
from awl.study.health import findings_of
from awl.study.importing import build
from awl.study.study import Study
from tests.conftest import node, osm, way
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


def test_the_command_counts_them_and_ends_with_1_where_one_is_an_error(tmp_path):
    body = (
        node(1, 0, 0)
        + node(2, 0.01, 0)
        + node(3, 0.005, 0.005)
        + node(4, 0.005, -0.005)
        + node(5, 0.02, 0)
        + node(6, -0.01, 0)
    )
    streets = (
        way(1, [1, 2], highway="footway") + way(2, [3, 4], highway="footway") + way(3, [4, 1, 6], highway="footway")
    )
    (tmp_path / "town.osm").write_text(osm(body + streets + way(4, [2, 5], highway="footway", maxspeed="fast")))
    study = tmp_path / "town.gpkg"
    build(tmp_path / "town.osm", study)
    found = findings_of(Study(study))  # nobody may drive here: limits are not looked at, all else is
    assert found.counts() == {"unjoined-crossing": 1}
    run = CliRunner().invoke(command, ["--study", str(study)])
    assert run.exit_code == 1
    for name, count in found.counts().items():
        assert KINDS[name].title in run.output and f"{count:,}" in run.output
    document = json.loads(CliRunner().invoke(command, ["--study", str(study), "--json"]).output)
    assert document["type"] == "FeatureCollection" and len(document["features"]) == len(found)


def test_the_command_ends_with_0_where_nothing_is_an_error(study_file):
    assert CliRunner().invoke(command, ["--study", str(study_file)]).exit_code == 0
