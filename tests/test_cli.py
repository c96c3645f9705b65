"""The command, and every command of the README tour."""

from __future__ import annotations

import csv
import json
import re
import shlex
import shutil
import signal
import subprocess
import sys
import urllib.request
from pathlib import Path

import pyarrow.parquet
import pyogrio
import pytest
from click.testing import CliRunner

from awl.cli import main
from awl.questions.run import ask
from awl.shipped import SOURCE
from awl.study import sheet_records
from tests.conftest import node, osm, way
from tests.sheets.sheets_made import DOCUMENT as BURST
from tests.sheets.sheets_made import WEST

ROOT = Path(__file__).resolve().parents[1]


def run(*words: str):
    return CliRunner().invoke(main, list(words), catch_exceptions=False)


def tour() -> list[str]:
    """Commands of the README's tour, as they stand there."""
    section = (ROOT / "README.md").read_text().split("## Five-minute tour")[1].split("\n## ")[0]
    lines = [line.strip() for block in re.findall(r"```sh\n(.*?)```", section, re.S) for line in block.splitlines()]
    return [line for line in lines if line and not line.startswith("#")]


def test_the_readme_tour(tmp_path, monkeypatch, other_reader):
    (tmp_path / "demo").symlink_to(SOURCE / "demo")
    monkeypatch.chdir(tmp_path)
    commands = tour()
    assert len(commands) >= 7
    for command in commands:
        words = shlex.split(command)
        assert words[0] == "awl", command
        result = run(*words[1:])
        assert result.exit_code == 0, f"{command}\n{result.output}"
    area = other_reader().read_info(tmp_path / "isochrone.geojson")
    assert area["features"] == 3 and "limit" in area["fields"]
    zones = pyogrio.read_info(SOURCE / "demo" / "data" / "layers.gpkg", layer="zones")["features"]
    assert len((tmp_path / "access.csv").read_text().splitlines()) == zones + 1
    assert {path.name for path in (tmp_path / "gmns").iterdir()} == {
        "node.csv",
        "link.csv",
        "movement.csv",
        "restriction.csv",
        "fields.csv",
    }


def test_results_as_json_and_settings(study_file):
    settings = ("from.layer=zones", "to.layer=cool_rooms", "to.where=seats > 50", "limit=9")
    result = run("ask", "matrix", "--study", str(study_file), *[word for pair in settings for word in ("--set", pair)])
    document = json.loads(result.output)
    assert document["summary"]["ends"] < 14 and max(row["duration_s"] for row in document["rows"]) <= 540


def test_inputs_from_a_file_and_set_on_top(study_file, tmp_path):
    inputs = tmp_path / "inputs.json"
    inputs.write_text(json.dumps({"places": {"layer": "cool_rooms"}, "limits": [5]}))
    out = tmp_path / "o.json"
    words = ["ask", "isochrone", "--study", str(study_file), "--inputs", str(inputs), "--set", "limits=2,4"]
    result = run(*words, "--out", str(out))
    assert result.exit_code == 0
    assert json.loads(out.read_text())["summary"]["limits_min"] == [2, 4]


def test_info_and_build_report_for_machines(study_file, tmp_path):
    info = json.loads(run("info", "--study", str(study_file), "--json").output)
    assert {layer["id"] for layer in info["layers"]} >= {"streets", "zones"}
    extract = tmp_path / "m.osm"
    extract.write_text(osm(node(1, 0, 0) + node(2, 0.001, 0) + way(1, [1, 2], highway="path")))
    report = json.loads(run("build", str(extract), "--study", str(tmp_path / "m.gpkg"), "--json").output)
    assert report["links"] == 1
    spoken = run("build", str(extract), "--study", str(tmp_path / "m.gpkg"))
    assert "drive: The mode 'drive' can use no connected street" in spoken.output


WRONG = [
    (["build", "none.osm", "--study", "s.gpkg"], "no such file"),
    (["build", "empty.osm", "--study", "s.gpkg"], "is empty"),
    (["build", "bad.osm", "--study", "s.gpkg"], "not well-formed"),
    (["build", "bad.osm", "--study", "s.txt"], "ending .gpkg"),
    (["build", "bad.osc", "--study", "s.gpkg"], "awl edit FILE --study STUDY"),
    (["add", "bad.osc", "--study", "ferrow.gpkg"], "awl edit FILE --study STUDY"),
    (["build", "bad.dwg", "--study", "s.gpkg"], "not a kind of file Awl builds streets from"),
    (["build", "bad.osm", "bad.geojson", "--study", "s.gpkg"], "Only map extracts are read several at once"),
    (["build", "bad.osm", "--study", "s.gpkg", "--bbox", "3,2,1,0"], "empty or off the Earth"),
    (["build", "bad.osm", "--study", "s.gpkg", "--bbox", "here"], "is no box"),
    (["add", "bad.geojson", "--study", "ferrow.gpkg"], "not valid JSON"),
    (["add", "bad.osm", "--study", "none.gpkg"], "no such study"),
    (["ask", "fly", "--study", "ferrow.gpkg"], "no question 'fly'"),
    (["ask", "isochrone", "--study", "ferrow.gpkg"], "'places' is required"),
    (["ask", "isochrone", "--study", "ferrow.gpkg", "--set", "places"], "is no setting"),
    (["ask", "isochrone", "--study", "ferrow.gpkg", "--set", "places.layer=cool_rooms", "--set", "limits=-5"], "limit"),
    (
        ["ask", "isochrone", "--study", "ferrow.gpkg", "--set", "places.layer=cool_rooms", "--out", "x.pdf"],
        "does not write",
    ),
    (
        ["ask", "isochrone", "--study", "ferrow.gpkg", "--set", "places.layer=cool_rooms", "--out", "no/x.csv"],
        "cannot be written",
    ),
    (["ask", "isochrone", "--study", "ferrow.gpkg", "--inputs", "bad.geojson"], "cannot be read"),
    (["export", "nothing", "--study", "ferrow.gpkg", "--out", "x.csv"], "no layer 'nothing'"),
    (["export", "streets", "--study", "ferrow.gpkg", "--out", "g", "--mode", "fly"], "no mode 'fly'"),
    (["serve", "nowhere"], "no such folder"),
]


@pytest.mark.parametrize(("words", "expected"), WRONG)
def test_errors_are_one_line_and_exit_status_2(study_file, tmp_path, monkeypatch, words, expected):
    monkeypatch.chdir(tmp_path)
    shutil.copy(study_file, "ferrow.gpkg")
    Path("empty.osm").write_text("")
    for name in ("bad.osm", "bad.geojson", "bad.dwg", "bad.osc"):
        Path(name).write_text("{")
    before = {path.name for path in tmp_path.iterdir()}
    revision = Path("ferrow.gpkg").read_bytes()
    result = run(*words)
    assert result.exit_code == 2
    assert expected in result.stderr and len(result.stderr.strip().splitlines()) == 1
    after = {path.name for path in tmp_path.iterdir() if not path.name.endswith(".awl")}
    assert after == before and Path("ferrow.gpkg").read_bytes() == revision, "nothing half-written"


def test_a_saved_sheet_is_run_whole_or_not_at_all(own_study, tmp_path):
    blocks = [
        {"id": "p", "kind": "prose", "text": "Words."},
        {
            "id": "a",
            "kind": "question",
            "process": "isochrone",
            "inputs": {"places": {"layer": "cool_rooms"}, "limits": [3]},
        },
        {
            "id": "b",
            "kind": "question",
            "process": "matrix",
            "inputs": {"from": {"layer": "cool_rooms"}, "to": {"layer": "zones"}},
        },
    ]
    with own_study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "t", "blocks": blocks})
    result = run("run", "main", "--study", str(own_study.path), "--out", str(tmp_path / "answers"))
    assert result.exit_code == 0
    assert sorted(path.name for path in (tmp_path / "answers").iterdir()) == ["1-isochrone.json", "2-matrix.json"]
    blocks[2]["inputs"]["mode"] = "fly"
    with own_study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "t", "blocks": blocks})
    result = run("run", "main", "--study", str(own_study.path), "--out", str(tmp_path / "none"))
    assert result.exit_code == 2 and not (tmp_path / "none").exists()
    assert (
        "no sheet 'other'" in run("run", "other", "--study", str(own_study.path), "--out", str(tmp_path / "x")).stderr
    )


def test_every_verb_has_an_example():
    for name in main.commands:
        assert "Example: awl" in run(name, "--help").output


def test_serving_on_loopback_until_interrupted(study_file):
    command = [sys.executable, "-m", "awl.cli", "serve", str(study_file), "--port", "0"]
    process = subprocess.Popen(
        command,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        # Tests run in the background may have been told to ignore interrupts; the server must not inherit that.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    try:
        line = process.stdout.readline()
        address = line.rsplit(" ", 1)[1].strip()
        assert address.startswith("http://127.0.0.1:")
        with urllib.request.urlopen(f"{address}/studies") as response:
            assert json.load(response)["studies"][0]["id"] == study_file.stem
        taken = run("serve", str(study_file), "--port", address.rsplit(":", 1)[1])
        assert taken.exit_code == 2 and "cannot be used" in taken.stderr
    finally:
        process.send_signal(signal.SIGINT)
        assert process.wait(20) == 0


def test_an_answer_goes_into_a_folder_of_blocks_where_its_name_has_no_ending(study_file, tmp_path):
    words = ("ask", "matrix", "--study", str(study_file), "--set", "from.layer=zones", "--set", "to.layer=cool_rooms")
    result = run(*words, "--out", str(tmp_path / "blocks"))
    assert result.exit_code == 0 and result.output.strip().endswith("rows in 1 Parquet files")
    assert [file.name for file in (tmp_path / "blocks").iterdir()] == ["part-00000.parquet"]
    again = run(*words, "--out", str(tmp_path / "blocks"))
    assert again.exit_code != 0 and "The folder is there already" in again.stderr
    route = ("ask", "route", "--study", str(study_file), "--set", "waypoints=[[-36.2,41.29],[-36.2,41.295]]")
    assert "has no ending" in run(*route, "--out", str(tmp_path / "way")).stderr


def test_a_matrix_in_blocks_by_workers_of_this_machine(study_file, tmp_path):
    words = ["ask", "matrix", "--study", str(study_file), "--set", "from.layer=zones", "--set", "to.layer=cool_rooms"]
    result = run(*words, "--workers", "local:1", "--out", str(tmp_path / "blocks"))
    assert result.exit_code == 0, result.output
    table = tmp_path / "whole.parquet"
    assert run(*words, "--out", str(table)).exit_code == 0
    whole, blocks = (pyarrow.parquet.read_table(path).num_rows for path in (table, tmp_path / "blocks"))
    assert whole == blocks > 0 and f"{whole:,} rows" in result.output
    assert "Name a new one with --out" in run(*words, "--workers", "local:1").stderr


def test_answers_are_kept_and_compared(own_study, tmp_path):
    file = str(own_study.path)
    rooms = ("--set", "places=cool_rooms", "--set", "limits=4,8")
    assert "Kept as 'on-foot'" in run("ask", "isochrone", "--study", file, *rooms, "--keep", "on-foot").output
    run(
        "ask",
        "isochrone",
        "--study",
        file,
        *rooms,
        "--set",
        "mode=cycle",
        "--keep",
        "by-cycle",
        "--out",
        str(tmp_path / "x.csv"),
    )
    document = json.loads(run("compare", "--study", file, "on-foot", "by-cycle").output)
    asked = json.loads(run("ask", "compare", "--study", file, "--set", "answers=on-foot,by-cycle").output)
    assert asked["summary"] == document["summary"]
    assert document["summary"]["answers"] == ["walker", "cyclist"]
    out = tmp_path / "areas.gpkg"
    said = run("compare", "--study", file, "on-foot", "by-cycle", "--out", str(out), "--part", "areas").output
    assert "cyclist for walker" in said and "km²" in said and out.stat().st_size > 1000
    other = tmp_path / "other.gpkg"
    shutil.copy(own_study.path, other)
    between = json.loads(run("compare", "--study", file, "on-foot", f"{other}:on-foot").output)
    assert between["summary"]["answers"] == ["ferrow", "other"]
    for words, told in (
        (("on-foot", "nowhere"), "'nowhere' has no answer"),
        (("on-foot", "3"), "no question 3"),
        (("on-foot", "gone.gpkg:on-foot"), "no such study"),
        (("on-foot",), "at least 2"),
    ):
        result = run("compare", "--study", file, *words)
        assert result.exit_code == 2 and told in result.output, result.output
    kept = run("ask", "isochrone", "--study", file, *rooms, "--keep", "a/b")
    assert kept.exit_code == 2 and "cannot be kept" in kept.output


def test_a_map_sheet_is_written_by_question_and_by_answer(own_study, tmp_path):
    file, rooms = str(own_study.path), ("--set", "places=cool_rooms", "--set", "limits=4,8")
    asked, kept = tmp_path / "reach.pdf", tmp_path / "kept.svg"
    said = run(
        "ask",
        "isochrone",
        "--study",
        file,
        *rooms,
        "--map",
        str(asked),
        "--paper",
        "A5",
        "--portrait",
        "--keep",
        "reach",
    )
    assert said.exit_code == 0 and "reach.pdf" in said.output and asked.read_bytes().startswith(b"%PDF")
    said = run(
        "export", "reach", "--study", file, "--out", str(kept), "--grey", "--scale", "20000", "--title", "On foot"
    )
    assert said.exit_code == 0, said.output
    svg = kept.read_text()
    assert "On foot" in svg and "1:20,000" in svg
    for words, told in (
        (("export", "nothing", "--study", file, "--out", str(tmp_path / "x.png")), "no answer"),
        (("export", "reach", "--study", file, "--out", str(tmp_path / "x.png"), "--scale", "3"), "--scale"),
        (
            ("export", "reach", "--study", file, "--out", str(tmp_path / "x.png"), "--paper", "A2", "--dpi", "600"),
            "pixels",
        ),
        (
            ("ask", "isochrone", "--study", file, *rooms, "--map", str(tmp_path / "x.gif")),
            "x.gif: A map sheet is not",
        ),
    ):
        result = run(*words)
        assert result.exit_code == 2 and told in result.output, result.output
    assert {path.name for path in tmp_path.glob("x.*")} == set(), "nothing is half written"


def test_a_report_is_written_and_set_against_an_earlier_one(own_study, tmp_path):
    file, first, second = str(own_study.path), tmp_path / "first.html", tmp_path / "second.html"
    block = {
        "id": "q1",
        "kind": "question",
        "process": "isochrone",
        "inputs": {"places": {"layer": "cool_rooms"}, "limits": [4]},
    }
    with own_study.writing() as connection:
        sheet_records.save(connection, "main", {"title": "Reach", "blocks": [block]})
    assert run("report", "main", "--study", file, "--out", str(first)).exit_code == 0
    with own_study.writing() as connection:
        inputs = {**block["inputs"], "mode": "cycle"}
        sheet_records.save(connection, "main", {"title": "Reach", "blocks": [{**block, "inputs": inputs}]})
    assert run("report", "--study", file, "--out", str(second), "--since", str(first)).exit_code == 0
    assert "Question 1 was asked otherwise then." in second.read_text()
    for words, told in (
        (("--out", str(tmp_path / "x.pdf")), "A report is a page"),
        (("--out", str(tmp_path / "x.html"), "--since", file), "cannot be read"),
        (("--out", str(tmp_path / "x.html"), "--without", "q7"), "no block 'q7'"),
    ):
        result = run("report", "--study", file, *words)
        assert result.exit_code == 2 and told in result.output, result.output
    assert not list(tmp_path.glob("x.*"))


def test_a_sheet_is_run_with_blanks_filled_in_once_and_for_each_row(own_study, tmp_path):
    """Figures of each run are those of the question asked with the value of its row."""
    sheet = tmp_path / "burst.json"
    sheet.write_text(json.dumps({"awl_sheet": 1, **BURST}))
    file = str(own_study.path)
    made = run("sheet", "import", str(sheet), "--study", file)
    assert (made.exit_code, made.stdout.strip(), made.stderr) == (0, "a_burst_main", "")
    where = f"where={WEST[0]},{WEST[1]}"
    out = tmp_path / "once"
    once = run("run", "a_burst_main", "--study", file, "--set", where, "--set", "reach=200", "--out", str(out))
    assert once.exit_code == 0, once.stderr
    assert sorted(path.name for path in out.iterdir()) == ["1-alongside.json", "2-neighbours.json"]
    refused = run(
        "run", "a_burst_main", "--study", file, "--set", where, "--set", "reach=9000", "--out", str(tmp_path / "no")
    )
    assert refused.exit_code == 2 and "9000 is more than 400" in refused.stderr and not (tmp_path / "no").exists()
    values = tmp_path / "values.csv"
    values.write_text(f'reach,where\n120,"{WEST[0]},{WEST[1]}"\n,"{WEST[0]},{WEST[1]}"\n')
    many = tmp_path / "many"
    each = run("run", "a_burst_main", "--study", file, "--values", str(values), "--out", str(many))
    assert each.exit_code == 0, each.stderr
    with (many / "runs.csv").open() as table:
        rows = list(csv.DictReader(table))
    for row, distance in zip(rows, (120, 150), strict=True):
        direct = ask(own_study, "alongside", {**BURST["blocks"][1]["inputs"], "distance": distance})
        assert int(row["1: zones"]) == direct.view.figures[0].value
        written = json.loads((many / row["run"] / "1-alongside.json").read_text())
        assert written["summary"] == json.loads(json.dumps(direct.summary))
    values.write_text("reach,where\n120,Nowhere Lane\n5,Nowhere Lane\n")
    faulty = run("run", "a_burst_main", "--study", file, "--values", str(values), "--out", str(tmp_path / "none"))
    assert faulty.exit_code == 2 and "values.csv, line 3" in faulty.stderr and not (tmp_path / "none").exists()


def test_sheets_by_command(own_study, tmp_path):
    file = str(own_study.path)
    sheet = tmp_path / "burst.json"
    sheet.write_text(json.dumps({"awl_sheet": 1, **BURST}))
    run("sheet", "import", str(sheet), "--study", file)
    assert run("sheet", "copy", "a_burst_main", "Again", "--study", file).stdout.strip() == "again"
    listed = json.loads(run("sheet", "list", "--study", file, "--json").stdout)
    assert [(one["id"], len(one["forms"])) for one in listed] == [("main", 0), ("a_burst_main", 1), ("again", 1)]
    assert "forms: burst" in run("sheet", "list", "--study", file).stdout
    out = tmp_path / "out.json"
    assert run("sheet", "export", "again", "--study", file, "--out", str(out)).exit_code == 0
    document = json.loads(out.read_text())
    assert (document["awl_sheet"], document["title"], document["study"]) == (1, "Again", "Ferrow, a cut")
    assert run("sheet", "check", "again", "--study", file).stdout == "All of it fits.\n"
    document["blocks"][1]["inputs"]["layers"] = [{"layer": "parcels"}]
    out.write_text(json.dumps(document))
    taken = run("sheet", "import", str(out), "--study", file)
    assert taken.exit_code == 0 and "Question 1: The study has no layer 'parcels'" in taken.stderr
    checked = run("sheet", "check", taken.stdout.strip(), "--study", file, "--json")
    assert checked.exit_code == 1 and json.loads(checked.stdout)[0]["question"] == 1
    assert run("sheet", "drop", "again", "--study", file).exit_code == 0
    assert "no sheet 'again'" in run("sheet", "drop", "again", "--study", file).stderr
    for text, words in (("{", "no JSON"), ("[" * 100_000, "no JSON"), ("{}", "'awl_sheet' is missing")):
        out.write_text(text)
        refused = run("sheet", "import", str(out), "--study", file)
        assert refused.exit_code == 2 and words in refused.stderr, text[:5]
