"""Awl as a library: the page of the docs runs, answers are those of questions, and wrong words are said."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
import shapely

import awl
from awl.questions.run import ask
from tests.conftest import CUT, EXTRACT

DOCS = Path(__file__).resolve().parents[1] / "docs"
ROOMS = np.array([[-36.2040, 41.2905], [-36.1960, 41.2925]])


@pytest.fixture(scope="module")
def streets():
    return awl.read_streets(EXTRACT, CUT)


def test_the_page_of_the_docs_runs(study_file, tmp_path, monkeypatch, capsys):
    shutil.copy(EXTRACT, tmp_path / "ferrow.osm.pbf")
    shutil.copy(study_file, tmp_path / "ferrow.gpkg")
    monkeypatch.chdir(tmp_path)
    names: dict = {}
    blocks = re.findall(r"```python\n(.*?)```", (DOCS / "python.md").read_text(), re.DOTALL)
    for block in blocks:
        exec(compile(block, "docs/python.md", "exec"), names)
    said = capsys.readouterr().out
    assert "There is no mode 'bike'" in said and "Streets(" in said
    assert len(blocks) >= 5 and (tmp_path / "areas.gpkg").stat().st_size > 1000
    assert names["matrix"].minutes.shape == (2, 3) and names["matrix"].minutes[0, 0] > 0
    assert (
        len(names["at_ten_past"]) == names["ten"].summary["arrived"] > 5
        and (tmp_path / "ten.gpx").stat().st_size > 1000
    )
    assert "seats more:" in said
    assert 0 < names["access"].summary["share_within_10_min_percent"] <= 100


def test_the_notebook_runs_and_holds_no_outputs():
    notebook = json.loads((DOCS / "example.ipynb").read_text())
    cells = [cell for cell in notebook["cells"] if cell["cell_type"] == "code"]
    assert all(cell["outputs"] == [] and cell["execution_count"] is None for cell in cells)
    names: dict = {}
    for number, cell in enumerate(cells):
        exec(compile("".join(cell["source"]), f"cell {number}", "exec"), names)
    assert names["areas"].crs.to_epsg() == 4326 and list(names["areas"]["limit"]) == [5, 10]
    assert names["minutes"][1] > names["minutes"][0] > 0


def test_answers_are_compared_in_a_program(streets):
    walk, cycle = (streets.network(mode).isochrone(ROOMS, minutes=[4, 8]) for mode in ("walk", "cycle"))
    apart = walk.compared_with(cycle)
    assert "cyclist for walker" in apart.method[0] and "only in 'cyclist'" in repr(apart)
    areas = apart.to_geopandas("areas")
    both = areas[areas.ground != "second"].groupby("value").area_km2.sum()
    assert both[8] == pytest.approx(walk.summary["area_km2"][1], rel=1e-3)
    with pytest.raises(awl.AwlError, match="answers to one question"):
        walk.compared_with(streets.network("walk").route(ROOMS))


def test_parts_become_frames_with_their_columns(streets):
    reach = streets.network("walk").isochrone(ROOMS, minutes=[4, 8])
    frame, table = reach.to_geopandas("streets"), reach.table("streets")
    assert len(frame) == table.num_rows and set(table.column_names) <= set(frame.columns)
    assert frame.geometry.geom_type.eq("LineString").all()
    about = json.loads(table.schema.field("arrival_end_s").metadata[b"about"])
    assert about["unit"] == "s" and about["quantity"] == "arrival"


def test_answers_are_those_of_questions(streets, study):
    ours = streets.network("walk").isochrone(ROOMS, minutes=[4, 8])
    plain = ask(study, "isochrone", {"places": ROOMS.tolist(), "limits": [4, 8]})
    assert ours.summary == plain.summary and ours.parts == list(plain.parts)
    assert isinstance(ours.table(), pa.Table) and ours.table().column_names[0] == "limit"
    assert ours["areas"] == ours.geojson("areas") and ours["areas"]["type"] == "FeatureCollection"
    assert ours.title in repr(ours) and "<table>" in ours._repr_html_()
    metres = streets.network("walk").isochrone(ROOMS, metres=[300])
    assert metres.summary["limits_m"] == [300]


def test_places_may_be_given_in_every_way(streets):
    walk = streets.network("walk")
    points = [shapely.Point(*spot) for spot in ROOMS]

    class Frame:
        @property
        def __geo_interface__(self):
            features = [
                {"type": "Feature", "properties": {"name": "r"}, "geometry": shapely.geometry.mapping(p)}
                for p in points
            ]
            return {"type": "FeatureCollection", "features": features}

    minutes = [walk.matrix(places).minutes for places in (ROOMS, ROOMS.tolist(), points, np.array(points), Frame())]
    assert all(np.array_equal(minutes[0], other) for other in minutes) and minutes[0][0, 1] > 0
    assert walk.matrix(ROOMS).metres[0, 1] > 700
    assert walk.isochrone(points[0], minutes=[5]).summary["places"] == 1


def test_files_are_written_by_their_ending(streets, tmp_path):
    matrix = streets.network("walk").matrix(ROOMS)
    for ending in ("csv", "parquet", "omx", "json"):
        matrix.save(tmp_path / f"m.{ending}")
        assert (tmp_path / f"m.{ending}").stat().st_size > 100
    with pytest.raises(awl.AwlError, match="does not write answers in"):
        matrix.save(tmp_path / "m.docx")


WRONG = [
    (lambda streets: streets.network("bike"), "no mode 'bike'"),
    (lambda streets: streets.network("walk").isochrone(ROOMS), "in minutes or in metres"),
    (lambda streets: streets.network("walk").isochrone(ROOMS, minutes=[5], merged=True), "merged"),
    (lambda streets: streets.network("walk").isochrone("zones", minutes=[5]), "no layer 'zones'"),
    (lambda streets: streets.network("walk").isochrone(ROOMS, minutes=[5]).geojson("area"), "no part 'area'"),
    (lambda streets: streets.ask("isochron"), "Is it 'isochrone'"),
    (lambda streets: awl.read_streets("nowhere.osm.pbf"), "no such file"),
    (lambda streets: awl.open_study("nowhere.gpkg"), "no such study"),
]


@pytest.mark.parametrize(("do", "said"), WRONG)
def test_wrong_words_are_said(streets, do, said):
    with pytest.raises(awl.AwlError, match=said):
        do(streets)


def test_the_package_is_light_until_it_is_used():
    code = "import sys, awl; assert 'numpy' not in sys.modules; print(dir(awl)); awl.read_streets; assert 'numpy' in sys.modules"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "open_study" in done.stdout
    with pytest.raises(AttributeError, match="it has AwlError"):
        _ = awl.isochrone


def test_streets_of_their_own_leave_nothing_behind():
    import gc

    streets = awl.read_streets(EXTRACT)
    folder = streets._study.path.parent
    assert folder.is_dir()
    del streets
    gc.collect()
    assert not folder.exists()
