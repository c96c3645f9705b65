"""Edits, what-ifs and mending by the web API and by the commands."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from flask.testing import FlaskClient

from awl.cli import main
from awl.core.analysis.health.findings import KINDS
from awl.core.analysis.health.fixes import FIXES
from awl.core.graph.edits.edit import Edit
from awl.questions.run import ask
from awl.server.app import create_app
from awl.study import what_ifs
from awl.study.health import findings_of
from awl.study.importing import build
from awl.study.street_edits import edit_streets
from awl.study.study import Study
from tests.conftest import node, osm, way
from tests.server.test_api import get

BASE = "/studies/town"


def town() -> str:
    """A square with a diagonal that crosses another, an end that just misses it, a trap, and a bit far off."""
    square = [(0, 0), (0.004, 0), (0.004, 0.004), (0, 0.004)]
    more = [
        (0.002, 0.00001),
        (0.002, 0.002),
        (0.006, 0.004),
        (0.02, 0.02),
        (0.021, 0.02),
        (0.002, -0.002),
        (0.0021, 0.001),
        (0.007, 0.0035),
        (0.007, 0.0045),
    ]
    places = [*square, *more]
    body = "".join(node(i, *place) for i, place in enumerate(places, 1))
    home = {"highway": "residential"}
    return osm(
        body
        + way(1, [1, 2, 3, 4, 1], **home, name="Square")
        + way(2, [6, 5], **home, name="Short Lane")
        + way(3, [3, 7], **home, name="Trap Lane", oneway="yes")
        + way(4, [8, 9], **home, name="Far Lane")
        + way(5, [4, 6, 3], **home, name="Upper Lane")
        + way(6, [10, 11], **home, name="Cross Lane", maxspeed="fast")
        + way(7, [2, 12, 13], **home, name="Ring Lane")
    )


@pytest.fixture
def place(tmp_path: Path) -> Path:
    (tmp_path / "town.osm").write_text(town())
    build(tmp_path / "town.osm", tmp_path / "town.gpkg")
    return tmp_path / "town.gpkg"


@pytest.fixture
def api(place: Path) -> FlaskClient:
    return create_app(place.parent).test_client()


def new_street(*points: list[float], **tags: str) -> dict:
    line = {"type": "LineString", "coordinates": list(points)}
    return {"type": "Feature", "geometry": line, "properties": {"edit": "add", "tags": tags}}


def test_all_of_a_kind_are_seen_before_they_are_mended_and_taken_back(api: FlaskClient, place: Path):
    api.post(f"{BASE}/check")
    told = get(api, f"{BASE}/check")
    counts = {kind["kind"]: kind["count"] for kind in told["kinds"]}
    assert counts == {"near-miss": 1, "unjoined-crossing": 1, "isolated": 2, "no-way-out": 1, "absurd-speed": 1}
    for feature in told["findings"]["features"]:
        assert feature["properties"]["fixes"], feature["properties"]["kind"]
    before = Study(place).graph
    plan = api.post(f"{BASE}/check/mend", json={"kind": "near-miss", "preview": True}).json
    assert plan["findings"] == 1 and plan["unmended"] == 0 and plan["lines"]["features"]
    assert Study(place).graph.link_count == before.link_count
    for kind in counts:
        done = api.post(
            f"{BASE}/check/mend", json={"kind": kind, "fix": "Take the part out" if kind == "isolated" else None}
        )
        assert done.status_code == 200 and done.json["links"], (kind, done.json)
    assert get(api, f"{BASE}/check")["kinds"] == []
    assert api.post(f"{BASE}/check/mend", json={"kind": "near-miss"}).status_code == 409
    for _ in counts:
        assert api.post(f"{BASE}/edits/undo", json={}).status_code == 200
    assert {kind["kind"]: kind["count"] for kind in get(api, f"{BASE}/check")["kinds"]} == counts
    assert Study(place).graph.link_count == before.link_count


def test_an_answer_says_which_findings_lie_on_its_way_once_they_are_known(api: FlaskClient):
    inputs = {"inputs": {"waypoints": [[0.0005, 0.004], [0.0035, 0.004]], "measure": "distance"}}

    def doubts() -> list[dict]:
        told = api.post(f"{BASE}/processes/route/execution", json=inputs).json["doubts"]
        return [doubt for doubt in told if doubt["code"] == "findings-on-the-way"]

    assert doubts() == []
    api.get(f"{BASE}/check")
    # The north of the square meets nothing; Cross Lane crosses its south without a node.
    assert doubts() == []
    inputs["inputs"]["waypoints"] = [[0.001, 0], [0.003, 0]]
    (doubt,) = doubts()
    # The lane that stops short of it, the crossing, and the lane that joins nothing and lies nearest to it.
    assert doubt["count"] == 3 and "1 of 'crossings that are not joined'" in doubt["text"]
    assert any(spot["note"].endswith("cross without a node.") for spot in doubt["where"])
    api.post(f"{BASE}/check/mend", json={"kind": "unjoined-crossing"})
    assert doubts() == []  # other streets, not checked yet
    api.get(f"{BASE}/check")
    assert [doubt["count"] for doubt in doubts()] == [1]


def test_the_ledger_tells_every_step_and_refuses_who_has_seen_another(api: FlaskClient):
    first = api.get(f"{BASE}/edits")
    edits = [new_street([0, 0], [-0.001, 0.001], highway="footway", name="New Cut")]
    done = api.post(f"{BASE}/edits", json={"edits": edits}, headers={"If-Match": first.headers["ETag"]})
    assert done.status_code == 200 and len(done.json["links"]) == 3
    late = api.post(f"{BASE}/edits", json={"edits": edits}, headers={"If-Match": first.headers["ETag"]})
    assert late.status_code == 412 and "elsewhere" in late.json["title"]
    told = get(api, f"{BASE}/edits")
    assert told["undo"] == 1 and told["redo"] == 0
    assert told["steps"][0]["edits"]["features"][0]["properties"]["tags"]["name"] == "New Cut"
    undone = api.post(f"{BASE}/edits/undo", json={}, headers={"If-Match": done.headers["ETag"]})
    assert undone.status_code == 200 and get(api, f"{BASE}/edits")["redo"] == 1
    assert api.post(f"{BASE}/edits/redo", json={}).status_code == 200
    exported = api.get(f"{BASE}/edits.geojson")
    assert "town.edits.geojson" in exported.headers["Content-Disposition"]
    api.post(f"{BASE}/edits/undo", json={})
    again = api.post(f"{BASE}/edits", json={"edits": json.loads(exported.data)})
    assert again.status_code == 200 and len(again.json["links"]) == 3


def test_streets_are_changed_by_a_condition(api: FlaskClient, place: Path):
    edit = {"type": "Feature", "geometry": None, "properties": {"edit": "change", "tags": {"maxspeed": "20"}}}
    done = api.post(f"{BASE}/edits", json={"edits": edit, "where": "name = 'Square'"})
    graph = Study(place).graph
    assert set(graph.link_id[graph.tag("name").equals("Square")].tolist()) == set(done.json["links"])
    assert api.post(f"{BASE}/edits", json={"edits": edit, "where": "name = 'Nowhere'"}).status_code == 400


@pytest.mark.parametrize(
    ("edits", "said"),
    [
        ([], "no edit"), ({"type": "Feature", "geometry": None, "properties": {"edit": "melt"}}, "no kind of edit"),
        ({"type": "Feature", "geometry": None, "properties": {"edit": "delete", "links": [999]}}, "no link 999"),
        ({"type": "Feature", "geometry": {"type": "Point", "coordinates": [0]}, "properties": {"edit": "add"}}, "edit 1"),
        ([{"type": "Feature"}], "edit 1"), ("streets", "no edit"), ([{"properties": {"edit": "add", "evil": 1}}], "edit 1"),
    ],
)  # fmt: skip
def test_bad_edits_are_refused_and_change_nothing(api: FlaskClient, place: Path, edits, said):
    answer = api.post(f"{BASE}/edits", json={"edits": edits})
    assert 400 <= answer.status_code < 500 and said in answer.json["detail"]
    assert get(api, f"{BASE}/edits")["steps"] == []


def test_what_ifs_are_made_asked_copied_merged_and_dropped(api: FlaskClient):
    made = api.post(f"{BASE}/what-ifs", json={"title": "New Cut", "description": "A path over the square"})
    assert made.status_code == 201 and made.json["id"] == "new_cut" and made.json["edits"] == 0
    edits = [new_street([0, 0], [0.004, 0.004], highway="footway", name="New Cut")]
    api.post(f"{BASE}/edits", json={"edits": edits, "what_if": "new_cut"})
    stale = api.put(f"{BASE}/what-ifs/new_cut", json={"title": "Other"}, headers={"If-Match": made.headers["ETag"]})
    assert stale.status_code == 412
    seen = api.get(f"{BASE}/what-ifs/new_cut")
    renamed = api.put(f"{BASE}/what-ifs/new_cut", json={"title": "Other"}, headers={"If-Match": seen.headers["ETag"]})
    assert renamed.json["title"] == "Other" and renamed.json["edits"] == 1
    ways = [[0.0, 0.0], [0.004, 0.004]]

    def metres(**more) -> float:
        answer = api.post(f"{BASE}/processes/route/execution", json={"inputs": {"waypoints": ways, **more}})
        return answer.json["routes"]["features"][0]["properties"]["distance_m"]

    assert metres(what_if="new_cut") < 0.8 * metres()
    kept = {"inputs": {"waypoints": ways, "what_if": ["new_cut"]}, "question": "q1"}
    api.post(f"{BASE}/processes/route/execution", json=kept)
    assert get(api, f"{BASE}/answers/q1")["fresh"]
    api.post(
        f"{BASE}/edits", json={"edits": [new_street([0, 0], [-0.001, 0], highway="footway")], "what_if": "new_cut"}
    )
    assert not get(api, f"{BASE}/answers/q1")["fresh"]
    assert api.post(f"{BASE}/what-ifs/new_cut/copy", json={"title": "Copy"}).json["edits"] == 2
    assert api.post(f"{BASE}/what-ifs/copy/merge", json={}).status_code == 200
    assert api.delete(f"{BASE}/what-ifs/new_cut").status_code == 200
    assert get(api, f"{BASE}/what-ifs")["what_ifs"] == []
    assert metres() == pytest.approx(metres(), abs=0) and api.get(f"{BASE}/what-ifs/copy").status_code == 404
    unknown = api.post(f"{BASE}/processes/route/execution", json={"inputs": {"waypoints": ways, "what_if": "new_cut"}})
    assert unknown.status_code == 404 and unknown.json["inputs"] == ["what_if"]


def test_the_commands_do_the_same(place: Path, tmp_path: Path):
    def awl(*words: str, code: int = 0) -> str:
        run = CliRunner().invoke(main, [*words, "--study", str(place)])
        assert run.exit_code == code, run.output
        return run.output

    file = tmp_path / "cut.geojson"
    file.write_text(json.dumps(new_street([0, 0], [0.004, 0.004], highway="footway", name="New Cut")))
    assert awl("what-if", "new", "New Cut").strip() == "new_cut"
    assert "1 edits" in awl("edit", str(file), "--what-if", "new_cut")
    assert "New Cut: 1 edits" in awl("what-if", "list")
    route = ["ask", "route", "--set", "waypoints=[[0,0],[0.004,0.004]]"]

    def metres(*more: str) -> float:
        return json.loads(awl(*route, *more))["routes"]["features"][0]["properties"]["distance_m"]

    with_it, without = metres("--what-if", "new_cut"), metres()
    assert with_it < 0.8 * without
    assert awl("what-if", "copy", "new_cut", "Again").strip() == "again"
    awl("what-if", "drop", "again")
    assert "Step" in awl("what-if", "merge", "new_cut")
    assert metres() == with_it
    saved = tmp_path / "edits.geojson"
    awl("edit", "--save", str(saved))
    assert json.loads(saved.read_text())["features"][0]["properties"]["edit"] == "add"
    assert "taken back" in awl("edit", "--undo")
    assert metres() == without
    assert "done again" in awl("edit", "--redo")
    assert "There is no such file" in awl("edit", str(tmp_path / "none.geojson"), code=2)
    assert "no what-if 'nowhere'" in awl("edit", str(file), "--what-if", "nowhere", code=2)


def test_every_fix_is_for_a_kind_that_is_found(place: Path):
    assert set(FIXES) <= set(KINDS) and len(findings_of(Study(place))) == 6


def test_edits_leave_and_enter_as_an_osm_change_file(api: FlaskClient, place: Path) -> None:
    edits = [
        {"type": "Feature", "geometry": None, "properties": {"edit": "change", "links": [1], "tags": {"maxspeed": "9"}}}
    ]
    assert api.post(f"{BASE}/edits", json={"edits": edits}).status_code == 200
    refused = api.get(f"{BASE}/edits.osc")
    assert refused.status_code == 400 and "extract" in refused.get_json()["detail"]
    extract = (place.parent / "town.osm").read_bytes()
    octets = {"content_type": "application/octet-stream"}
    token = api.post("/uploads?name=town.osm", data=extract, **octets).get_json()["token"]
    told = api.get(f"{BASE}/edits.osc?extract={token}")
    assert told.status_code == 200 and b'<tag k="maxspeed" v="9"/>' in told.data
    assert api.post(f"{BASE}/edits/undo", json={}).status_code == 200
    taken = api.post(f"{BASE}/edits/osm-change?name=town.osc&extract={token}", data=told.data, **octets)
    assert taken.status_code == 200 and taken.get_json()["misfits"] == []
    study = Study(place)
    assert study.graph.tag("maxspeed").equals("9").sum() == 1
    gone = b'<osmChange><delete><way id="99"/></delete><modify><node id="98" lon="0" lat="0"/></modify></osmChange>'
    nothing = api.post(f"{BASE}/edits/osm-change?name=town.osc", data=gone, **octets).get_json()
    assert nothing["step"] is None and nothing["passed_over"] == 1 and "Node 98" in nothing["misfits"][0]


def test_change_files_by_command(place: Path, tmp_path: Path) -> None:
    study, osc = ["--study", str(place)], tmp_path / "town.osc.gz"
    osc.write_bytes(b"<osmChange><delete><way id='4'/><way id='4'/></delete></osmChange>")
    plain = osc.rename(tmp_path / "plain.osc")
    done = CliRunner().invoke(main, ["edit", *study, str(plain)])
    assert done.exit_code == 0 and "1 edits, 1 links changed" in done.output, done.output
    words = ["edit", *study, "--save", str(osc), "--extract", str(place.parent / "town.osm")]
    done = CliRunner().invoke(main, words)
    assert done.exit_code == 0 and "3 elements" in done.output, done.output  # the way, and two nodes nothing else uses
    assert CliRunner().invoke(main, ["edit", *study, "--undo"]).exit_code == 0
    done = CliRunner().invoke(main, ["edit", *study, str(osc)])
    assert done.exit_code == 0 and "1 links changed" in done.output


def test_the_check_is_a_process(api: FlaskClient) -> None:
    listed = api.get(f"{BASE}/processes").get_json()["processes"]
    assert "check" in {process["id"] for process in listed}
    described = api.get(f"{BASE}/processes/check").get_json()
    assert described["inputs"] == {} and set(described["outputs"]) == {"kinds", "findings"}
    answer = api.post(f"{BASE}/processes/check/execution", json={"outputs": {"kinds": {}}}).get_json()
    assert set(answer) == {"kinds"} and sum(kind["count"] for kind in answer["kinds"]) > 0
    refused = api.post(f"{BASE}/processes/check/execution", json={"inputs": {"mode": "walk"}})
    assert refused.status_code == 400 and refused.get_json()["inputs"] == ["mode"]
    job = api.post(f"{BASE}/processes/check/execution", json={}, headers={"Prefer": "respond-async"})
    assert job.status_code == 201


def test_a_question_over_what_ifs_is_a_table_with_a_column_for_each(place: Path, tmp_path: Path) -> None:
    study = Study(place)
    for title in ("Shut", "Open"):
        what_ifs.save(study, {"title": title})
    graph = study.graph
    beyond = graph.tag("name").equals("Short Lane") | (graph.node_lat[graph.link_to] > 0.001)
    edit_streets(study, [Edit("delete", links=tuple(graph.link_id[beyond].tolist()))], "shut")
    words = ["ask", "isochrone", "--study", str(place), "--set", "places=[[0.002, 0.0]]", "--set", "limits=5", "--over"]
    done = CliRunner().invoke(main, words)
    assert done.exit_code == 0, done.output
    header, *rows = list(csv.reader(done.output.splitlines()))
    assert header == ["figure", "unit", "As it is", "Shut", "Open"]
    streets = next(row for row in rows if row[1] == "km")
    assert float(streets[3]) < float(streets[2]) == float(streets[4])
    file = tmp_path / "over.csv"
    done = CliRunner().invoke(main, [*words, "--what-if", "Open", "--out", str(file)])
    assert done.exit_code == 0 and file.read_text().splitlines()[0] == "figure,unit,As it is,Open"
    assert CliRunner().invoke(main, [*words, "--out", str(tmp_path / "over.gpkg")]).exit_code == 2


def test_answers_tell_of_findings_within_their_reach(place: Path) -> None:
    study = Study(place)
    asked = {"places": [[0.002, 0.0]], "limits": [10], "snap": 200}
    assert not [d for d in ask(study, "isochrone", asked).doubts if d.code == "findings-on-the-way"]
    findings_of(study)
    (doubt,) = [d for d in ask(study, "isochrone", asked).doubts if d.code == "findings-on-the-way"]
    assert "within or at the edge of this reach" in doubt.text and len(doubt.where) == min(doubt.count, 100)


@pytest.mark.parametrize(
    ("question", "inputs"),
    [
        ("neighbours", {"places": [[0.002, 0.0]], "others": [[0.004, 0.0]], "limits": [10]}),
        ("centrality", {"places": [[0.002, 0.0], [0.004, 0.0]], "radius": 10}),
        ("matrix", {"from": [[0.002, 0.0]], "to": [[0.004, 0.0]], "limit": 10}),
    ],
)
def test_questions_of_many_ways_tell_of_findings_where_they_searched(
    place: Path, question: str, inputs: dict[str, Any]
) -> None:
    study = Study(place)
    asked = {**inputs, "snap": 200, "measure": "time"}
    assert not [d for d in ask(study, question, asked).doubts if d.code == "findings-on-the-way"]
    findings = findings_of(study)
    (doubt,) = [d for d in ask(study, question, asked).doubts if d.code == "findings-on-the-way"]
    assert "of what was searched" in doubt.text and 0 < doubt.count <= len(findings)


def test_a_matrix_without_limit_tells_of_findings_where_its_trips_begin_or_end(place: Path) -> None:
    study = Study(place)
    findings_of(study)
    asked = {"from": [[0.002, 0.001]], "to": [[0.004, 0.001]], "snap": 200}
    (doubt,) = [d for d in ask(study, "matrix", asked).doubts if d.code == "findings-on-the-way"]
    assert "where these trips begin or end" in doubt.text


def test_a_what_if_with_an_impossible_hour_is_refused(api: FlaskClient) -> None:
    refused = api.post(f"{BASE}/what-ifs", json={"title": "Late", "at": "tomorrow"})
    assert refused.status_code == 400 and refused.get_json()["inputs"] == ["at"]


def test_what_a_what_if_changes_is_told_as_lines(api: FlaskClient, place: Path) -> None:
    ident = api.post(f"{BASE}/what-ifs", json={"title": "Cut"}).get_json()["id"]
    edit_streets(Study(place), [Edit("delete", links=(1,)), Edit("change", links=(2,), tags={"maxspeed": "5"})], ident)
    edit_streets(Study(place), [Edit("add", points=((0.03, 0.03), (0.031, 0.03)))], ident)
    features = api.get(f"{BASE}/what-ifs/{ident}/changes").get_json()["features"]
    assert sorted(feature["properties"]["change"] for feature in features) == ["changed", "gone", "new"]
    near = api.get(f"{BASE}/near?lon=0.001&lat=0").get_json()
    assert [set(end) for end in near["ends"]] == [{"node_id", "lon", "lat", "tags"}] * 2 and near["turns"] == []
