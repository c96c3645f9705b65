"""The command as an analyst meets it: help of each question, near names, layers and modes, quick errors."""

from __future__ import annotations

import json
import subprocess
import sys

import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner

from awl.cli import COMMANDS, main
from awl.cli.question_help import EXAMPLES
from awl.cli.question_names import NAMES
from awl.questions import QUESTIONS, question


def run(*words):
    return CliRunner().invoke(main, [str(word) for word in words])


def test_the_light_list_of_questions_is_the_true_one():
    assert set(NAMES) == set(QUESTIONS) == set(EXAMPLES)


@pytest.mark.parametrize("name", NAMES)
def test_each_question_has_a_help_of_its_own(name):
    text = run("ask", name, "--help").output
    for field, info in question(name).Inputs.model_fields.items():
        assert f"  {info.alias or field}  (" in text
    assert f"awl ask {name} --study" in text and "Results (--part NAME):" in text


def test_help_of_every_command_and_its_example():
    listed = run("--help").output
    for name in COMMANDS:
        assert name in listed
        shown = run(name, "--help")
        assert shown.exit_code == 0 and "Example" in shown.output, name


HEAVY = "numpy,scipy,shapely,numba,pyproj,pydantic,rich"


@pytest.mark.parametrize(
    "words", [["--help"], ["isochron"], ["ask", "isochron", "--study", "x"], ["info", "--study", "no.gpkg"]]
)
def test_help_and_errors_load_nothing_heavy(words, tmp_path):
    code = (
        f"import sys\nfrom awl.cli import main\ntry:\n    main({words!r})\nexcept SystemExit:\n    pass\n"
        f"print('LOADED', [name for name in '{HEAVY}'.split(',') if name in sys.modules])"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=tmp_path, check=True)
    # The progress of long work needs NumPy for its counters; nothing else may come along.
    assert set(json.loads(told.stdout.rsplit("LOADED ", 1)[1].replace("'", '"'))) <= {"numpy"}


NEAR = [
    (["isochron"], "no command 'isochron'"),
    (["laier"], "Is it 'layer'?"),
    (["ask", "isochron"], "Is it 'isochrone'?"),
    (["ask", "isochrone", "--set", "place=cool_rooms"], "'place' is not an input of isochrone. Is it 'places'?"),
    (["ask", "isochrone", "--set", "places=cool_room"], "Is it 'cool_rooms'?"),
    (["ask", "isochrone", "--set", "places=cool_rooms", "--set", "mode=wlak"], "Is it 'walk'?"),
    (["ask", "isochrone", "--set", "places=[5]"], "'places' should be a layer"),
    (
        ["ask", "isochrone", "--set", 'places={"layer": "cool_rooms", "wher": "x"}'],
        "has no member 'wher': a layer set has",
    ),
    (["ask", "isochrone", "--set", "places.layer=[1]"], "should be"),
    (["layer", "set", "zones", "--key", "zon"], "no field 'zon'"),
    (["mode", "set", "walk", "top_speed=fast"], "'top_speed'"),
    (["mode", "show", "fly"], "no mode 'fly'"),
]


@pytest.mark.parametrize(("words", "expected"), NEAR)
def test_a_wrong_name_gets_the_nearest_right_one_in_plain_words(study_file, words, expected):
    study = ["--study", study_file] if words[0] in ("ask", "layer", "mode") else []
    result = run(*words, *study)
    assert result.exit_code == 2 and expected in result.stderr
    assert "LayerSet" not in result.stderr and "instance of" not in result.stderr


SHORT = [
    (["isochrone", "places=cool_rooms", "limits=3"], "isochrone", {"places": {"layer": "cool_rooms"}, "limits": [3]}),
    (
        ["isochrone", "places=[[-36.2, 41.29]]", "limits=3"],
        "isochrone",
        {"places": {"type": "Point", "coordinates": [-36.2, 41.29]}, "limits": [3]},
    ),
    (
        ["access", "places=cool_rooms", "zones=zones", "fields=age_65_plus", "limits=5"],
        "access",
        {"places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "fields": ["age_65_plus"], "limits": [5]},
    ),
    (
        ["route", "waypoints=[[-36.2, 41.29], [-36.195, 41.292]]", "measure=time,distance"],
        "route",
        {"waypoints": [[-36.2, 41.29], [-36.195, 41.292]], "measure": ["time", "distance"]},
    ),
]


@pytest.mark.parametrize(("words", "name", "inputs"), SHORT)
def test_short_forms_ask_the_same(study_file, tmp_path, words, name, inputs):
    (tmp_path / "inputs.json").write_text(json.dumps(inputs))
    pairs = [word for pair in words[1:] for word in ("--set", pair)]
    short = json.loads(run("ask", words[0], "--study", study_file, *pairs).output)
    full = json.loads(run("ask", name, "--study", study_file, "--inputs", tmp_path / "inputs.json").output)
    assert short["summary"] == full["summary"]


def test_layers_are_listed_renamed_and_removed(own_study):
    path = own_study.path
    assert "zones" in run("layer", "list", "--study", path).output
    run("layer", "set", "zones", "--study", path, "--title", "Wards", "--key", "name")
    listed = json.loads(run("layer", "list", "--study", path, "--json").output)["layers"]
    zones = next(layer for layer in listed if layer["id"] == "zones")
    assert (zones["title"], zones["key"]) == ("Wards", "name")
    assert run("layer", "remove", "zones", "--study", path).exit_code == 0
    assert "zones" not in [
        layer["id"] for layer in json.loads(run("layer", "list", "--study", path, "--json").output)["layers"]
    ]


def test_modes_are_changed_shown_and_imported(own_study, tmp_path):
    path = own_study.path
    assert "walker" in run("mode", "list", "--study", path).output
    run("mode", "set", "walk", "top_speed=3.5", "speeds.steps=1.5", "--study", path)
    document = json.loads(run("mode", "show", "walk", "--study", path).output)
    assert document["top_speed"] == 3.5 and document["speeds"]["steps"] == 1.5 and document["speeds"]["path"] > 2
    (tmp_path / "slow.json").write_text(json.dumps({**document, "id": "stroll", "title": "Stroll"}))
    assert run("mode", "import", tmp_path / "slow.json", "--study", path).exit_code == 0
    assert "stroll" in run("mode", "list", "--study", path).output
    run("mode", "remove", "walk", "--study", path)
    assert json.loads(run("mode", "show", "walk", "--study", path).output)["top_speed"] != 3.5
    assert run("mode", "set", "walk", "id=run", "--study", path).exit_code == 2


@pytest.mark.parametrize("ending", ["geojson", "csv", "xlsx", "parquet", "gpkg"])
def test_layers_are_exported_in_every_format(study_file, tmp_path, ending):
    out = tmp_path / f"rooms.{ending}"
    assert run("export", "cool_rooms", "--study", study_file, "--out", out).exit_code == 0
    assert out.stat().st_size > 100
    if ending == "parquet":
        assert "geometry" in pq.read_schema(out).names


def test_a_matrix_is_the_same_in_every_format(study_file, tmp_path):
    words = ["ask", "matrix", "--study", study_file, "--set", "from=zones", "--set", "to=cool_rooms"]
    rows = json.loads(run(*words).output)["rows"]
    for ending in ("parquet", "csv", "omx", "xlsx"):
        assert run(*words, "--out", tmp_path / f"m.{ending}").exit_code == 0, ending
    table = pq.read_table(tmp_path / "m.parquet").to_pylist()
    assert table == rows
    lines = (tmp_path / "m.csv").read_text().splitlines()
    assert len(lines) == len(rows) + 1
    import h5py
    import numpy as np

    with h5py.File(tmp_path / "m.omx") as file:
        seconds, origin, destination = (
            np.array(file[name]) for name in ("data/duration_s", "lookup/origin", "lookup/destination")
        )
    number = {str(v.decode() if isinstance(v, bytes) else v): i for i, v in enumerate(origin.tolist())}
    column = {str(v.decode() if isinstance(v, bytes) else v): i for i, v in enumerate(destination.tolist())}
    for row in rows:
        assert seconds[number[str(row["origin_id"])], column[str(row["destination_id"])]] == row["duration_s"]


def test_completion_is_a_script_for_the_shell():
    for shell in ("bash", "zsh", "fish"):
        assert "_AWL_COMPLETE" in run("completion", shell).output
