"""Feeds as they come: complete, sparse, faulty and hostile."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections import Counter
from itertools import zip_longest
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.core.transit.joined import joined
from awl.io import gtfs
from awl.io.gtfs import source, specification
from awl.io.gtfs.clock import MALFORMED, NONE, seconds_of
from awl.shipped import SOURCE
from tests.examples import examples
from tests.io.gtfs_files import FILES, feed_zip

DEMO = SOURCE / "demo" / "data"
OFFICIAL = {
    "agency.txt": "agency_id agency_name agency_url agency_timezone agency_lang agency_phone agency_fare_url agency_email",
    "stops.txt": "stop_id stop_code stop_name tts_stop_name stop_desc stop_lat stop_lon zone_id stop_url location_type"
    " parent_station stop_timezone wheelchair_boarding level_id platform_code stop_access",
    "routes.txt": "route_id agency_id route_short_name route_long_name route_desc route_type route_url route_color"
    " route_text_color route_sort_order continuous_pickup continuous_drop_off network_id cemv_support",
    "trips.txt": "route_id service_id trip_id trip_headsign trip_short_name direction_id block_id shape_id wheelchair_accessible"
    " bikes_allowed cars_allowed",
    "stop_times.txt": "trip_id arrival_time departure_time stop_id location_group_id location_id stop_sequence stop_headsign"
    " start_pickup_drop_off_window end_pickup_drop_off_window pickup_type drop_off_type continuous_pickup continuous_drop_off"
    " shape_dist_traveled timepoint pickup_booking_rule_id drop_off_booking_rule_id",
    "calendar.txt": "service_id monday tuesday wednesday thursday friday saturday sunday start_date end_date",
    "calendar_dates.txt": "service_id date exception_type",
    "frequencies.txt": "trip_id start_time end_time headway_secs exact_times",
    "transfers.txt": "from_stop_id to_stop_id from_route_id to_route_id from_trip_id to_trip_id transfer_type min_transfer_time",
    "pathways.txt": "pathway_id from_stop_id to_stop_id pathway_mode is_bidirectional length traversal_time stair_count max_slope"
    " min_width signposted_as reversed_signposted_as",
    "levels.txt": "level_id level_index level_name",
    "shapes.txt": "shape_id shape_pt_lat shape_pt_lon shape_pt_sequence shape_dist_traveled",
    "feed_info.txt": "feed_publisher_name feed_publisher_url feed_lang default_lang feed_start_date feed_end_date feed_version"
    " feed_contact_email feed_contact_url",
}  # fmt: skip
"""The field tables of the specification, typed off it."""


def test_a_feed_is_read_as_it_is_written(tmp_path: Path) -> None:
    feed = gtfs.read(feed_zip(tmp_path / "feed.zip")).feed
    assert feed.stops.id.tolist() == ["p1", "p2", "p3", "st"] and feed.stops.kind.tolist() == [0, 0, 0, 1]
    assert feed.stops.parent.tolist() == [3, -1, -1, -1] and feed.stops.wheelchair.tolist() == [1, 2, 1, 1]
    assert (
        feed.routes.name.tolist() == ["1"]
        and feed.routes.kind.tolist() == [0]
        and feed.routes.color.tolist() == ["AA3344"]
    )
    assert feed.trips.bikes.tolist() == [2, 1] and len(set(feed.trips.block.tolist())) == 1
    assert feed.trip_start.tolist() == [0, 3, 5]
    # The time between the two stated lies between them by distance: these three are as far from each other.
    assert feed.stop_times.arrival.tolist() == [28_800, 29_100, 29_400, 90_000, 90_630]
    assert feed.stop_times.pickup.tolist() == [0, 0, 1, 0, 0] and feed.stop_times.drop_off.tolist() == [1, 0, 0, 0, 0]
    running = dict(zip(feed.days.astype(str), feed.active[0].tolist(), strict=True))
    assert not running["2026-06-03"] and running["2026-06-06"] and running["2026-06-05"] and not running["2026-06-07"]
    assert feed.trips_by_day().sum() == 2 * sum(running.values())


def test_a_folder_and_an_archive_with_a_folder_in_it_are_read_alike(tmp_path: Path) -> None:
    folder = tmp_path / "feed"
    folder.mkdir()
    for name, text in FILES.items():
        (folder / name).write_text(text)
    packed = feed_zip(tmp_path / "nested.zip", "orrow/")
    for path in (folder, packed):
        assert gtfs.is_feed(path) and len(gtfs.read(path).feed.stop_times) == 5
    assert not gtfs.is_feed(tmp_path) and not gtfs.is_feed(tmp_path / "none.zip")


@settings(max_examples=examples(300))
@given(st.lists(st.tuples(st.integers(0, 99), st.integers(0, 59), st.integers(0, 59), st.booleans()), max_size=30))
def test_times_are_read_as_they_are_written(times: list[tuple[int, int, int, bool]]) -> None:
    texts = [f" {h:02}:{m:02}:{s:02} " if wide else f"{h}:{m:02}:{s:02}" for h, m, s, wide in times]
    column = pa.array([None, *texts], pa.string())
    assert seconds_of(column).tolist() == [NONE, *(h * 3600 + m * 60 + s for h, m, s, _ in times)]
    assert seconds_of(column.slice(1)).tolist() == seconds_of(column).tolist()[1:]


@pytest.mark.parametrize(
    "text", ["8:00", "8:0:0", "8:61:00", "08:00:00:00", "eight", "8:00:99", "-1:00:00", "9999:00:00", "::"]
)
def test_what_is_no_time_is_none(text: str) -> None:
    assert seconds_of(pa.array([text])).tolist() == [MALFORMED]


TIMES, TRIPS, STOPS, WEEKS, DATES = (
    FILES[f"{name}.txt"] for name in ("stop_times", "trips", "stops", "calendar", "calendar_dates")
)
OFTEN = "trip_id,start_time,end_time,headway_secs\n"
WAYS = "pathway_id,from_stop_id,to_stop_id,pathway_mode,is_bidirectional\n"


def levelled(*levels: str) -> str:
    """The stops, each on a level, as far as there are levels."""
    head, *rows = FILES["stops.txt"].splitlines()
    return (
        "\n".join([f"{head},level_id", *(f"{row},{level}" for row, level in zip_longest(rows, levels, fillvalue=""))])
        + "\n"
    )


@pytest.mark.parametrize(
    ("changed", "code", "said"),
    [
        ({"stop_times": TIMES + "t9,9:00:00,9:00:00,p1,1,,\n"}, "unknown-reference", "'t9' is not in trips.txt"),
        ({"stop_times": TIMES + "t1,9:00:00,9:00:00,px,12,,\n"}, "unknown-reference", "'px' is not in stops.txt"),
        ({"stop_times": TIMES + "t1,nine,9:00:00,p1,12,,\n"}, "row-left-out", "not written as 8:05:00"),
        ({"stop_times": TIMES.replace("08:10:00", "07:10:00")}, "backwards", "Trip t1"),
        ({"stop_times": TIMES.replace("25:10:30,25:10:30", ",")}, "row-left-out", "no time at its first or last"),
        ({"trips": TRIPS + "r1,week,t3,Hill,0,,,\n"}, "one-call", "Trip t3 calls at no stop"),
        ({"trips": TRIPS + "rx,week,t3,Hill,0,,,\n"}, "unknown-reference", "route_id 'rx'"),
        ({"trips": TRIPS + "r1,week,t1,Hill,0,,,\n"}, "row-left-out", "'t1' is there a second time"),
        ({"stops": STOPS + "p9,Void,,,0,,\n"}, "no-place", "Void has no place"),
        ({"stops": STOPS + "c1,C,41.29,-36.2,0,c2,\nc2,C,41.29,-36.2,0,c1,\n"}, "station-in-circle", "c1 belongs to itself"),
        ({"calendar": WEEKS + "never,0,0,0,0,0,0,0,20260601,20260602\n"}, "never-runs", "Service never runs on no day"),
        ({"calendar_dates": DATES + "week,tomorrow,1\n"}, "row-left-out", "It holds no date"),
        ({"stop_times": TIMES.replace("25:10:30", "25:00:00").replace("p3,2", "p3,2")}, None, ""),
        ({"frequencies": OFTEN + "t1,7:00:00,6:00:00,600\n"}, "row-left-out", "times and headway"),
        ({"frequencies": OFTEN + "t1,7:00:00,9:00:00,600\n"}, "repeats-inexactly", "Route 1 says how often"),
        ({"transfers": "from_stop_id,to_stop_id,transfer_type\np1,zz,2\n"}, "unknown-reference", "names a stop"),
        ({"pathways": WAYS + "w,p1,zz,1,1\n"}, "unknown-reference", "joins a stop"),
        ({"stops": levelled("roof")}, "unknown-reference", "level_id 'roof'"),
    ],
)  # fmt: skip
def test_faults_are_told_and_the_rest_is_used(
    tmp_path: Path, changed: dict[str, str], code: str | None, said: str
) -> None:
    clean = gtfs.read(feed_zip(tmp_path / "clean.zip")).faults.counts
    reading = gtfs.read(feed_zip(tmp_path / "feed.zip", **changed))
    more = Counter(reading.faults.counts) - Counter(clean)
    if code is None:
        assert set(more) <= {"absurd-speed"}
        return
    assert more[code] >= 1
    assert any(said in fault.text for fault in reading.faults.listed if fault.code == code)
    assert all(fault.line > 1 for fault in reading.faults.listed if fault.code in ("unknown-reference", "row-left-out"))


@pytest.mark.parametrize(
    ("way", "levels", "seconds"),
    [
        ("w,p1,p2,2,1,,,38", ("deep", "street"), 19),
        ("w,p1,p2,2,1,,,", ("deep", "street"), 2 * 24 / 2),
        ("w,p1,p2,2,1,,,", ("deep", ""), 30),
        ("w,p1,p2,4,1,,,", ("street", "deep"), 2 * 20),
        ("w,p1,p2,5,1,,,", ("street", "deep"), 60 + 5),
        ("w,p1,p2,5,1,,44,", ("street", "deep"), 44),
        ("w,p1,p2,1,1,60,,", ("street", "street"), 50),
        ("w,p1,p2,4,1,,,", ("street", "street"), 30),
    ],
)
def test_a_way_inside_a_station_takes_what_is_stated_or_follows_from_steps_and_levels(
    tmp_path: Path, way: str, levels: tuple[str, str], seconds: int
) -> None:
    ways = WAYS.replace("\n", ",length,traversal_time,stair_count\n") + way + "\n"
    known = "level_id,level_index,level_name\nstreet,0,Street\ndeep,-2,Tracks\n"
    reading = gtfs.read(feed_zip(tmp_path / "feed.zip", stops=levelled(*levels), pathways=ways, levels=known))
    assert reading.feed.pathways.seconds.tolist() == [seconds]


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"stops": None}, "has no stops.txt"),
        ({"calendar": None, "calendar_dates": None}, "neither calendar.txt nor calendar_dates.txt"),
        ({"calendar": FILES["calendar.txt"].splitlines()[0], "calendar_dates": None}, "has no day"),
        ({"stops": ""}, "'stop_id' is missing"),
        ({"trips": "route_id,trip_id\nr1,t1\n"}, "'service_id' is missing"),
        ({"stop_times": "trip_id,stop_id\nt1,p1\n"}, "'stop_sequence' is missing"),
        ({"stop_times": FILES["stop_times.txt"] + "t1,9:00:00\n"}, "another number of cells"),
        ({"agency": FILES["agency.txt"].replace("Etc/GMT+2", "Ferrow/Quay")}, "'Ferrow/Quay' is no time zone"),
        ({"agency": FILES["agency.txt"] + "b,Boats,https://b.example,UTC\n"}, "2 time zones"),
        ({"stop_times": FILES["stop_times.txt"].splitlines()[0] + "\n"}, "No trip of the feed can be used"),
    ],
)
def test_a_feed_that_cannot_be_used_says_why(tmp_path: Path, changed: dict[str, str | None], said: str) -> None:
    with pytest.raises(AwlError, match=said) as refused:
        gtfs.read(feed_zip(tmp_path / "feed.zip", **changed))
    assert "feed.zip" in refused.value.detail or "agency.txt" in refused.value.detail


def test_wrong_encoding_is_said_with_the_file(tmp_path: Path) -> None:
    path = feed_zip(tmp_path / "feed.zip", routes=None)
    with zipfile.ZipFile(path, "a") as archive:
        archive.writestr("routes.txt", FILES["routes.txt"].replace("Quay", "Qu\u00e9y").encode("latin-1"))
    with pytest.raises(AwlError, match=r"routes\.txt: The file is not text in UTF-8"):
        gtfs.read(path)


def test_a_truncated_or_lying_archive_is_refused(tmp_path: Path) -> None:
    whole = feed_zip(tmp_path / "feed.zip").read_bytes()
    for cut in (10, len(whole) // 2, len(whole) - 30):
        path = tmp_path / f"cut{cut}.zip"
        path.write_bytes(whole[:cut])
        with pytest.raises(AwlError):
            gtfs.read(path)
    damaged = bytearray(whole)
    damaged[len(whole) // 3] ^= 0xFF
    (tmp_path / "flipped.zip").write_bytes(damaged)
    with pytest.raises(AwlError, match=r"damaged|UTF-8|missing|no readable CSV|cannot be read|no zip"):
        gtfs.read(tmp_path / "flipped.zip")


def test_a_bomb_is_refused_before_it_is_unpacked(tmp_path: Path) -> None:
    path = tmp_path / "bomb.zip"
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive,
        archive.open("stops.txt", "w", force_zip64=True) as out,
    ):
        for _ in range(80):
            out.write(b"0" * (1 << 20))
    with pytest.raises(AwlError, match="unpacks to more than Awl takes in"):
        gtfs.read(path)


def test_too_many_rows_are_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    few = specification.FileFields(("stop_id",), specification.FILES["stops.txt"].optional, most_rows=3)
    monkeypatch.setitem(source.FILES, "stops.txt", few)
    with pytest.raises(AwlError, match=r"stops\.txt: It has more than 3 rows"):
        gtfs.read(feed_zip(tmp_path / "feed.zip"))


def test_two_feeds_keep_equal_ids_apart(tmp_path: Path) -> None:
    one = gtfs.read(feed_zip(tmp_path / "one.zip")).feed
    later = FILES["calendar.txt"].replace("20260601,20260614", "20260608,20260621")
    rules = "from_stop_id,to_stop_id,transfer_type,min_transfer_time\np1,p3,2,120\n"
    two = gtfs.read(feed_zip(tmp_path / "two.zip", calendar=later, calendar_dates=None, transfers=rules)).feed
    both = joined([one, two], ["one", "two"])
    assert both.stops.id.tolist()[:5] == ["one:p1", "one:p2", "one:p3", "one:st", "two:p1"]
    assert both.stops.parent.tolist() == [3, -1, -1, -1, 7, -1, -1, -1]
    assert both.transfers.from_stop.tolist() == [4] and both.trips.route.tolist() == [0, 0, 1, 1]
    assert np.array_equal(both.stop_times.stop[5:], two.stop_times.stop + 4) and both.trip_start.tolist() == [
        0,
        3,
        5,
        8,
        10,
    ]
    for feed, row in ((one, 0), (two, 1)):
        for day in both.days:
            assert both.runs_on(day)[row] == feed.runs_on(day)[0]
    with pytest.raises(AwlError, match="different time zones"):
        elsewhere = FILES["agency.txt"].replace("Etc/GMT+2", "UTC")
        joined([one, gtfs.read(feed_zip(tmp_path / "three.zip", agency=elsewhere)).feed], ["one", "three"])


def test_fields_are_named_as_the_specification_names_them() -> None:
    with zipfile.ZipFile(DEMO / "transit.zip") as archive:
        assert sum(item.compress_size for item in archive.infolist()) < 1 << 20
        headers = {name: next(csv.reader(io.StringIO(archive.read(name).decode()))) for name in archive.namelist()}
    assert set(headers) == set(OFFICIAL) == set(specification.FILES)
    for name, fields in headers.items():
        official = OFFICIAL[name].split()
        assert set(fields) <= set(official), name
        assert set(specification.FILES[name].all) <= set(official), name
        assert set(specification.FILES[name].required) <= set(fields), name


def test_every_fault_of_ferrow_s_timetable_is_found_and_no_other() -> None:
    truth = Counter(fault["kind"] for fault in json.loads((DEMO / "transit_faults.json").read_text()))
    reading = gtfs.read(DEMO / "transit.zip")
    told = Counter(reading.faults.counts)
    assert told.pop("repeats-inexactly") == 1  # the harbour shuttle runs by frequency, which is no fault
    assert told == truth
    for fault in json.loads((DEMO / "transit_faults.json").read_text()):
        thing = fault.get("trip") or fault.get("service") or fault["stop"]
        row = reading.feed.stops.id.tolist().index(thing) if "stop" in fault else None
        name = thing if row is None else str(reading.feed.stops.name[row])
        assert any(name in item.text for item in reading.faults.listed if item.code == fault["kind"]), fault
