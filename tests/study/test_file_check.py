"""A study file from somebody else is looked at before it is opened."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import pytest
from click.testing import CliRunner

from awl.cli import main
from awl.io import geopackage
from awl.study import records
from awl.study.file_check import check_file
from awl.study.study import Study


@pytest.fixture
def file(study_file: Path, tmp_path: Path) -> Path:
    return Path(shutil.copy(study_file, tmp_path / "received.gpkg"))


def changed(file: Path, *statements: str) -> None:
    connection = geopackage.connect(file)
    connection.execute("PRAGMA trusted_schema = ON")
    for statement in statements:
        connection.execute(statement)
    connection.close()


def test_a_study_of_ones_own_has_no_fault_and_is_not_written_to(file: Path) -> None:
    before = file.read_bytes()
    assert check_file(file) == []
    assert file.read_bytes() == before and [path.name for path in file.parent.iterdir()] == [file.name]
    done = CliRunner().invoke(main, ["check", "--file", str(file)])
    assert (done.exit_code, done.output) == (0, "No fault found.\n")


@pytest.mark.parametrize(
    ("statement", "words"),
    [
        ("CREATE VIEW peek AS SELECT * FROM awl_facts", "View 'peek'"),
        ("CREATE TRIGGER t AFTER INSERT ON awl_facts BEGIN DELETE FROM streets; END", "Trigger 't' on 'awl_facts'"),
        ("CREATE VIRTUAL TABLE words USING fts5(body)", "Table 'words'"),
        ("DROP TABLE awl_layers", "no table 'awl_layers'"),
        ("UPDATE awl_facts SET value = '99' WHERE key = 'version'", "newer Awl"),
        ("INSERT INTO gpkg_contents (table_name, data_type) VALUES ('gone', 'features')", "'gone' is listed"),
    ],
)
def test_what_acts_by_itself_or_is_missing_is_an_error(file: Path, statement: str, words: str) -> None:
    changed(file, statement)
    found = check_file(file)
    assert [finding.grade for finding in found][:1] == ["error"] and words in found[0].text
    assert CliRunner().invoke(main, ["check", "--file", str(file)]).exit_code == 1


def test_a_trigger_under_the_name_of_an_index_is_seen(file: Path) -> None:
    with sqlite3.connect(file) as connection:
        connection.execute('DROP TRIGGER "rtree_zones_geom_delete"')
        connection.execute(
            'CREATE TRIGGER "rtree_zones_geom_delete" AFTER DELETE ON zones BEGIN DELETE FROM streets; END'
        )
    assert [finding.text.split("'")[1] for finding in check_file(file)] == ["rtree_zones_geom_delete"]


def test_streets_that_lead_nowhere_cannot_be_read(file: Path) -> None:
    changed(file, "UPDATE streets SET to_node_id = 99999999 WHERE fid = (SELECT min(fid) FROM streets)")
    (finding,) = check_file(file)
    assert finding.grade == "error" and "streets cannot be read" in finding.text


def test_damage_and_other_files_are_told(file: Path, tmp_path: Path) -> None:
    data = bytearray(file.read_bytes())
    middle = len(data) // 2
    data[middle : middle + 40_000] = b"\xff" * 40_000
    file.write_bytes(data)
    assert any(finding.grade == "error" for finding in check_file(file))
    other = tmp_path / "letter.txt"
    other.write_text("Dear council, " * 100)
    assert "no study" in check_file(other)[0].text


def test_an_older_study_is_told_of(tmp_path: Path, study_file: Path) -> None:
    study = Study(Path(shutil.copy(study_file, tmp_path / "old.gpkg")))
    with study.writing() as connection:
        records.set_fact(connection, "version", 0)
    assert [finding.grade for finding in check_file(study.path)] == ["note"]


def test_either_a_study_or_a_file(file: Path) -> None:
    done = CliRunner().invoke(main, ["check"])
    assert done.exit_code == 2 and "--study or --file" in done.output
    assert CliRunner().invoke(main, ["check", "--study", str(file), "--file", str(file)]).exit_code == 2
