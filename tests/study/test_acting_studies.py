"""Studies that came from somebody else: what would run by itself does not, and what takes forever ends."""

from __future__ import annotations

import sqlite3
import time

import pytest

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.study import records
from awl.study.query_time import limit_queries
from awl.study.storage_faults import storage_fault
from awl.study.study import Study

ENDLESS = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n)"
ACTING = {
    "a trigger that empties a layer": "CREATE TRIGGER t AFTER INSERT ON awl_sheets BEGIN DELETE FROM zones; END",
    "a trigger under the name of an index": """CREATE TRIGGER "rtree_zones_geom_insert2" AFTER INSERT ON "zones"
        BEGIN DELETE FROM cool_rooms; END""",
    "an endless view": f"CREATE VIEW looked_at AS {ENDLESS} SELECT x AS fid, NULL AS geom FROM n",
    "a view in place of a table": "CREATE VIEW more AS SELECT * FROM awl_facts",
    "a virtual table": "CREATE VIRTUAL TABLE texts USING fts5(a)",
}


def with_more(study, sql):
    """The study with something added by another program."""
    connection = sqlite3.connect(study.path)
    connection.execute(sql)
    connection.commit()
    connection.close()
    return study.path


@pytest.mark.parametrize("what", ACTING)
def test_a_study_that_acts_by_itself_is_not_opened(own_study, what):
    path = with_more(own_study, ACTING[what])
    with pytest.raises(AwlError, match="would run by itself") as caught:
        Study(path)
    assert caught.value.status == 422 and "awl check --file" in caught.value.remedy


def test_a_trigger_that_comes_while_a_study_is_open_never_runs(own_study):
    before = own_study.feature_count("zones")
    with_more(own_study, ACTING["a trigger that empties a layer"])
    with pytest.raises(AwlError, match="would run by itself"), own_study.writing() as connection:
        connection.execute("INSERT INTO awl_sheets VALUES ('x', '{}', '')")
    assert own_study.feature_count("zones") == before > 0
    assert own_study.reading.execute("SELECT count(*) FROM awl_sheets WHERE id = 'x'").fetchone() == (0,)


def test_schemas_are_trusted_while_something_is_written_alone(own_study):
    def trusted():
        return own_study.reading.execute("PRAGMA trusted_schema").fetchone()[0]

    assert trusted() == 0
    with own_study.writing():
        assert trusted() == 1
    assert trusted() == 0
    with pytest.raises(ZeroDivisionError), own_study.writing():
        raise ZeroDivisionError
    assert trusted() == 0


def test_the_index_follows_what_is_written(own_study):
    fid = own_study.reading.execute("SELECT min(fid) FROM zones").fetchone()[0]
    with own_study.writing() as connection:
        connection.execute("DELETE FROM zones WHERE fid = ?", (fid,))
    assert own_study.reading.execute('SELECT count(*) FROM "rtree_zones_geom" WHERE id = ?', (fid,)).fetchone() == (0,)


def test_a_query_ends_with_the_time_of_its_request(own_study):
    limit_queries(0.05)
    try:
        with pytest.raises(sqlite3.OperationalError, match="interrupted") as caught:
            own_study.reading.execute(f"{ENDLESS} SELECT count(*) FROM n").fetchone()
    finally:
        limit_queries(None)
    assert storage_fault(caught.value).kind == "too-long"
    assert own_study.feature_count("zones"), "the next is answered"


def test_a_query_ends_when_its_work_is_stopped(own_study):
    progress = Progress()
    progress.stop()
    with progress.running(), pytest.raises(sqlite3.OperationalError, match="interrupted"):
        own_study.reading.execute(f"{ENDLESS} SELECT count(*) FROM n").fetchone()


def test_a_full_disk_is_told_as_such_and_what_was_there_stays(own_study):
    pages = own_study.reading.execute("PRAGMA page_count").fetchone()[0]
    own_study.reading.execute(f"PRAGMA max_page_count = {pages + 2}")
    facts = own_study.reading.execute("SELECT count(*) FROM awl_facts").fetchone()
    with pytest.raises(sqlite3.OperationalError) as caught, own_study.writing() as connection:
        for number in range(200):
            records.set_fact(connection, f"many {number}", "x" * 10_000)
    assert storage_fault(caught.value).kind == "disk-full"
    own_study.reading.execute("PRAGMA max_page_count = 1000000")
    assert own_study.reading.execute("SELECT count(*) FROM awl_facts").fetchone() == facts
    with own_study.writing() as connection:
        records.set_fact(connection, "after", 1)
    assert own_study.fact("after") == 1


def test_faults_of_storage_have_names():
    def told(error):
        fault = storage_fault(error)
        return None if fault is None else fault.kind

    assert told(PermissionError(13, "denied")) == told(OSError(30, "read-only")) == "read-only"
    assert told(OSError(28, "full")) == "disk-full" and told(OSError(5, "io")) is None and told(ValueError()) is None
    began = time.monotonic()
    connection = sqlite3.connect(":memory:")
    connection.execute("PRAGMA query_only = ON")
    with pytest.raises(sqlite3.OperationalError) as caught:
        connection.execute("CREATE TABLE t (a)")
    assert told(caught.value) == "read-only" and time.monotonic() > began
