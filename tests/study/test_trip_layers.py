"""Tables of trips as layers of lines: in every format the same, with ids joined and what cannot be placed said."""

from __future__ import annotations

import json

import h5py
import numpy as np
import openpyxl
import pyarrow as pa
import pytest
import shapely
from click.testing import CliRunner
from pyarrow import parquet

from awl.cli import main
from awl.core.errors import AwlError
from awl.io import omx
from awl.io.table import Column, Table
from awl.questions.run import ask
from awl.study.trip_layers import TripEnds, add_trips

ENDS = TripEnds("zones", "cool_rooms")


@pytest.fixture
def rows(own_study):
    """Trips between three zones and two rooms, with a mode and a start."""
    zones, rooms = own_study.read_layer("zones").ids, own_study.read_layer("cool_rooms").ids
    return {
        "origin": [zones[0], zones[1], zones[2]], "destination": [rooms[0], rooms[1], rooms[0]], "trips": [3, 1, 2],
        "mode": ["walk", "cycle", "walk"], "start": ["08:00", "08:10", "08:20"],
    }  # fmt: skip


def written(folder, rows, ending):
    path = folder / f"journeys.{ending}"
    if ending == "csv":
        lines = [",".join(rows), *(",".join(map(str, row)) for row in zip(*rows.values(), strict=True))]
        path.write_text("\n".join(lines))
    elif ending == "xlsx":
        book = openpyxl.Workbook()
        for row in [list(rows), *map(list, zip(*rows.values(), strict=True))]:
            book.active.append(row)
        book.save(path)
    elif ending == "parquet":
        parquet.write_table(pa.table(rows), path)
    else:
        table = {"origin_id": Column.of(rows["origin"]), "destination_id": Column.of(rows["destination"])}
        path.write_bytes(omx.of_table(Table(None, {**table, "trips": Column.of([float(n) for n in rows["trips"]])})))
    return path


@pytest.mark.parametrize("ending", ["csv", "xlsx", "parquet", "omx"])
def test_every_format_gives_the_same_lines(own_study, rows, tmp_path, ending):
    ident = add_trips(written(tmp_path, rows, ending), own_study, ENDS)
    layer = own_study.read_layer(ident)
    order = np.argsort([str(one) for one in layer.columns["origin_id"].tolist()], kind="stable")
    wanted = np.argsort([str(one) for one in rows["origin"]], kind="stable")
    assert [layer.columns["count"].tolist()[i] for i in order] == [rows["trips"][i] for i in wanted]
    zones, rooms = own_study.read_layer("zones"), own_study.read_layer("cool_rooms")
    for line, row in zip(layer.geometry[order], wanted.tolist(), strict=True):
        begin, end = (shapely.Point(at) for at in line.coords)
        assert zones.geometry[zones.ids.index(rows["origin"][row])].contains(begin)
        assert rooms.geometry[rooms.ids.index(rows["destination"][row])].distance(end) < 1e-7
    if ending != "omx":
        assert sorted(layer.columns["mode"].tolist()) == sorted(rows["mode"])
        answer = ask(
            own_study, "simulate", {"demand": "table", "trips": ident, "start": "start", "within": 300, "snap": 2000}
        )
        assert answer.summary["people"] == 6


def test_rows_that_cannot_be_placed_are_left_out_and_named(own_study, rows, tmp_path):
    rows["origin"][0], rows["trips"][1] = "nowhere", 0
    ident = add_trips(written(tmp_path, rows, "csv"), own_study, ENDS)
    entry = next(layer for layer in own_study.layers() if layer["id"] == ident)
    assert entry["count"] == 1 and entry["notes"]["left_out"] == 2
    named = " ".join(entry["notes"]["left_out_named"])
    assert "row 2: no feature has the id 'nowhere' of 'origin'" in named and "row 3: nobody makes it" in named


@pytest.mark.parametrize(
    ("change", "ends", "words"),
    [
        ({}, TripEnds("zones", "cool_rooms", "begin"), "no column 'begin'"),
        ({}, TripEnds("zones", "nowhere"), "no layer 'nowhere'"),
        ({"origin": ["x", "y", "z"]}, ENDS, "No trip can be placed"),
        ({"trips": [-1, -1, -1]}, ENDS, "no number of zero or more"),
    ],
)
def test_tables_that_cannot_be_are_refused(own_study, rows, tmp_path, change, ends, words):
    before = [layer["id"] for layer in own_study.layers()]
    with pytest.raises(AwlError, match=words):
        add_trips(written(tmp_path, {**rows, **change}, "csv"), own_study, ends)
    assert [layer["id"] for layer in own_study.layers()] == before


def test_matrices_that_lead_to_other_files_are_refused(own_study, tmp_path):
    """HDF5 can name any file of the machine as the place of its numbers."""
    secret = tmp_path / "secret.h5"
    with h5py.File(secret, "w") as file:
        file["data/x"] = np.eye(3)
    for make in (
        lambda file: file.__setitem__("data", h5py.ExternalLink(str(secret), "/data")),
        lambda file: file.create_group("data").__setitem__("x", h5py.ExternalLink(str(secret), "/data/x")),
        lambda file: file.create_group("data").__setitem__("x", h5py.SoftLink("/elsewhere")),
        lambda file: file.create_group("data").create_dataset("x", (3, 3), "f8", external=[(str(secret), 0, 72)]),
        lambda file: file.create_group("data").create_virtual_dataset("x", _virtual(secret)),
    ):
        path = tmp_path / "evil.omx"
        path.unlink(missing_ok=True)
        with h5py.File(path, "w") as file:
            make(file)
        with pytest.raises(AwlError, match=r"another file|no group|can be read"):
            add_trips(path, own_study, ENDS)
    huge = tmp_path / "huge.omx"
    with h5py.File(huge, "w") as file:
        file.create_group("data").create_dataset("x", (100_000, 100_000), "f8", chunks=(100, 100))
    with pytest.raises(AwlError, match="more cells than Awl takes in"):
        add_trips(huge, own_study, ENDS)


def _virtual(path):
    layout = h5py.VirtualLayout((3, 3), "f8")
    layout[:] = h5py.VirtualSource(str(path), "data/x", (3, 3))
    return layout


@pytest.mark.parametrize("ending", ["parquet", "omx"])
def test_files_that_are_none_are_refused(own_study, tmp_path, ending):
    path = tmp_path / f"x.{ending}"
    path.write_bytes(b"nothing of the kind")
    with pytest.raises(AwlError, match="can be read"):
        add_trips(path, own_study, ENDS)


def test_by_command_and_over_http(own_study, rows, tmp_path):
    from awl.server.app import create_app

    path = written(tmp_path, rows, "csv")
    told = CliRunner().invoke(
        main,
        ["add", str(path), "--study", str(own_study.path), "--from", "zones", "--to", "cool_rooms", "--as", "tours"],
    )
    assert "tours: 3 lines" in told.output, told.output
    alone = CliRunner().invoke(main, ["add", str(path), "--study", str(own_study.path), "--from", "zones"])
    assert alone.exit_code != 0 and "both ends" in alone.output
    client = create_app(own_study.path.parent).test_client()
    data = written(tmp_path, rows, "parquet").read_bytes()
    sent = client.post(
        "/uploads?name=journeys.parquet&study=ferrow", data=data, headers={"Content-Type": "application/octet-stream"}
    )
    upload = sent.get_json()
    (waiting,) = upload["layers"]
    assert waiting["only_trips"] and waiting["columns"][:2] == ["origin", "destination"]
    wanted = {"study": "ferrow", "origins": "zones", "destinations": "cool_rooms", "origin": "origin"}
    job = client.post(f"/uploads/{upload['token']}/trips", json=wanted).get_json()["jobID"]
    while (status := client.get(f"/jobs/{job}").get_json())["status"] in ("accepted", "running"):
        pass
    assert status["status"] == "successful", json.dumps(status)
    assert status["result"]["layers"] == ["journeys"]
