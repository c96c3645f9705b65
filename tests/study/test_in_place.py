"""Studies that others put in place, take away or cannot be written beside."""

from __future__ import annotations

import shutil
import threading

import pytest

from awl.core.errors import AwlError
from awl.io import geopackage
from awl.server.catalogue import Catalogue
from awl.study import arrays, importing
from awl.study.study import Study
from awl.study.study_database import READING_BYTES
from tests.conftest import CUT, EXTRACT


def test_ids_of_new_studies_are_given_once(own_study):
    known = Catalogue(own_study.path.parent)
    given: list[str] = []
    threads = [threading.Thread(target=lambda: given.append(known.reserve("ferrow"))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(given) == [f"ferrow_{number}" for number in range(2, 10)]
    known.release("ferrow_2")
    assert known.reserve("ferrow") == "ferrow_2"


def test_a_study_that_came_first_is_not_overwritten(tmp_path, monkeypatch):
    target, put = tmp_path / "town.gpkg", importing._put_in_place

    def somebody_is_faster(scratch, study):
        study.write_bytes(b"somebody else's")
        put(scratch, study)

    monkeypatch.setattr(importing, "_put_in_place", somebody_is_faster)
    with pytest.raises(AwlError, match="A file of this name exists") as caught:
        importing.build(EXTRACT, target, CUT, "Town")
    assert caught.value.status == 409 and target.read_bytes() == b"somebody else's"
    assert [path.name for path in tmp_path.iterdir()] == ["town.gpkg"], "nothing else is left"


def test_a_study_that_is_replaced_is_opened_anew(own_study, tmp_path):
    known = Catalogue(own_study.path.parent)
    first = known.study("ferrow")
    assert known.study("ferrow") is first
    other = tmp_path / "backup" / "other.gpkg"
    other.parent.mkdir()
    shutil.copy(own_study.path, other)
    changed = Study(other)
    changed.set_layer_title("zones", "From the backup")
    changed.reading.close()
    other.replace(own_study.path)
    again = known.study("ferrow")
    assert again is not first
    assert next(layer["title"] for layer in again.layers() if layer["id"] == "zones") == "From the backup"
    with again.writing() as connection:
        connection.execute("UPDATE awl_layers SET title = 'Written' WHERE id = 'zones'")
    own_study.path.unlink()
    with pytest.raises(AwlError, match="There is no study"):
        known.study("ferrow")


def test_where_nothing_can_be_kept_beside_a_study_it_answers_all_the_same(own_study):
    folder = arrays.folder_of(own_study.path)
    shutil.rmtree(folder, ignore_errors=True)
    folder.write_text("no folder can be made here")
    study = Study(own_study.path)
    assert study.graph.link_count > 1000
    study.wait_until_prepared("walk")
    assert study.router("walk").hierarchy is not None and study.field("walk") is not None
    assert folder.read_text() == "no folder can be made here"


def test_many_threads_that_read_hold_little_of_a_study(own_study):
    study = Study(own_study.path)
    size = "PRAGMA cache_size"
    assert study.reading.execute(size).fetchone()[0] == -(READING_BYTES >> 10)
    with study.writing() as connection:
        assert connection.execute(size).fetchone()[0] == -(geopackage.WRITING_BYTES >> 10)
    with pytest.raises(ZeroDivisionError), study.writing():
        raise ZeroDivisionError
    assert study.reading.execute(size).fetchone()[0] == -(READING_BYTES >> 10)
