"""Studies of earlier versions open and answer as they did.

`tests/data/study_0.gpkg.gz` was written before the file had a version: a few blocks of Ferrow with zones, places, connectors
(three of whose centroids share a number with a node), a mode of one's own, a sheet with a former state, and an answer.
`study_0.json` is what it answered then.
"""

from __future__ import annotations

import gzip
import json
import sqlite3
import threading

import pytest

from awl.core.errors import AwlError
from awl.io import geopackage
from awl.questions.run import ask
from awl.study import importing, migrations, records, sheet_records
from awl.study.study import Study
from tests.conftest import DATA, EXTRACT

FORMER = json.loads((DATA / "study_0.json").read_text())


@pytest.fixture
def old(tmp_path):
    path = tmp_path / "old.gpkg"
    path.write_bytes(gzip.decompress((DATA / "study_0.gpkg.gz").read_bytes()))
    return path


@pytest.mark.parametrize("process", list(FORMER))
def test_a_study_without_a_version_answers_as_it_did(old, process):
    answer = ask(Study(old), process, FORMER[process]["inputs"]).document()
    # Where areas end off the street rests on a lattice of points that lies elsewhere since.
    area = FORMER[process]["summary"].get("area_km2", [])
    assert answer["summary"].get("area_km2", []) == pytest.approx(area, rel=0.02)
    assert {**answer["summary"], "area_km2": area} == {**FORMER[process]["summary"], "area_km2": area}
    for row, former in zip(answer.get("rows", []), FORMER[process].get("rows", []), strict=True):
        assert row == former
    for route, former in zip(
        answer.get("routes", {}).get("features", []), FORMER[process].get("routes", []), strict=True
    ):
        assert {key: route["properties"][key] for key in former} == former


def test_it_keeps_all_it_held_and_has_a_version_now(old):
    study = Study(old)
    assert study.fact("version") == migrations.VERSION == 1
    assert {entry["id"] for entry in study.layers()} >= {"streets", "nodes", "restrictions", "zones", "cool_rooms"}
    sheet = sheet_records.read(study.reading, "main")
    assert sheet["title"] == "Kept" and sheet["undo"] == 1
    assert records.answer(study.reading, "q1")["result"]["summary"] == FORMER["route"]["summary"]
    assert "stroll" in study.modes()
    # Nodes and links are found by their ids, also where these are not their rows.
    node = int(study.graph.node_id[-1])
    assert study.read_layer("nodes", f"fid = {node}").columns["node_id"] == [node]
    assert node != study.graph.node_count
    assert study.read_layer("streets").columns["link_id"] == study.read_layer("streets").columns["fid"]


def test_several_may_open_it_at_once(old):
    studies: list[Study] = []
    threads = [threading.Thread(target=lambda: studies.append(Study(old))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [study.graph.link_count for study in studies] == [257] * 4


def test_a_migration_that_fails_leaves_the_file_as_it_was(old, monkeypatch):
    before = old.read_bytes()

    def failing(connection: sqlite3.Connection) -> None:
        geopackage.drop_table(connection, "streets")
        raise ValueError("halfway")

    monkeypatch.setattr(migrations, "MIGRATIONS", (failing,))
    with pytest.raises(ValueError, match="halfway"):
        Study(old)
    monkeypatch.undo()
    assert old.read_bytes() == before
    assert Study(old).graph.link_count == 257


def test_a_study_of_a_newer_version_is_refused(old):
    study = Study(old)
    with study.writing() as connection:
        records.set_fact(connection, "version", 99)
    study.reading.close()
    with pytest.raises(AwlError, match=r"newer Awl \(its version is 99, this one reads up to 1\)"):
        Study(old)


def test_a_study_that_cannot_be_changed_says_so(old):
    holder = sqlite3.connect(f"file:{old}?mode=ro&immutable=1", uri=True, isolation_level=None)
    with pytest.raises(AwlError, match="cannot be brought up to date") as refused:
        migrations.bring_up_to_date(holder, old)
    assert "writable" in refused.value.remedy


def test_streets_built_again_keep_the_ids_of_their_links(tmp_path):
    path = tmp_path / "again.gpkg"
    importing.build(EXTRACT, path)
    first = Study(path).graph
    report = importing.build(EXTRACT, path)
    again = Study(path).graph
    assert report.links_known == first.link_count
    assert again.link_id.tolist() == first.link_id.tolist() and again.node_id.tolist() == first.node_id.tolist()
    # Without footways the other streets are what they were; what they become when joined anew is new.
    report = importing.build(EXTRACT, path, options=importing.BuildOptions(without=("footway",)))
    fewer = Study(path).graph
    by_id = dict(zip(first.link_id.tolist(), first.link_way.tolist(), strict=True))
    known = [(i, way) for i, way in zip(fewer.link_id.tolist(), fewer.link_way.tolist(), strict=True) if i in by_id]
    assert len(known) == report.links_known and all(by_id[i] == way for i, way in known)
    assert 0 < fewer.link_count - report.links_known < fewer.link_count / 3
    # An id is not given twice, also when its link is gone for a while.
    importing.build(EXTRACT, path)
    whole = Study(path).graph
    gone = set(first.link_id.tolist()) - set(fewer.link_id.tolist())
    assert not gone & set(whole.link_id.tolist())
