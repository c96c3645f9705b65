"""Make Ferrow's timetable, a GTFS feed with faults put into it on purpose.

    python -m demo.transit demo/data

reads the map extract of the folder and writes `transit.zip`, and `transit_faults.json`, the truth about the faults.
"""

from __future__ import annotations

import csv
import io
import json
import sys
import zipfile
from dataclasses import dataclass, field
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.graph.build import build_graph
from awl.io import osm_pbf
from demo.land import PLANE
from demo.transit_lines import FERRY, TRAIN, Course, Line, Stop, Stops, courses

FIRST, LAST = date(2026, 5, 4), date(2026, 12, 12)
HOLIDAYS = (date(2026, 6, 19), date(2026, 8, 24), date(2026, 11, 2))
"""Ferrow Day, Harbour Day, Lantern Day: Sunday service, no school."""
SCHOOL = ((date(2026, 5, 4), date(2026, 7, 10)), (date(2026, 8, 31), date(2026, 12, 11)))
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
SERVICES = {"week": range(5), "sat": (5,), "sun": (6,), "school": range(5), "night": (4, 5)}
"""By id the days of the week on which each runs; nights belong to the day before."""
STEP_FREE, NOT_STEP_FREE = 1, 2

Rows = list[dict[str, Any]]


@dataclass
class Made:
    """The files so far, by name, and the faults put into them."""

    files: dict[str, Rows] = field(default_factory=dict)
    faults: list[dict[str, str]] = field(default_factory=list)

    def add(self, file: str, **row: Any) -> None:
        """One more row of a file."""
        self.files.setdefault(file, []).append(row)

    def fault(self, kind: str, **about: str) -> None:
        """One more fault."""
        self.faults.append({"kind": kind, **about})


def hours(begin: float, end: float, every_min: float) -> list[int]:
    """Departures from one hour to another, in seconds."""
    return [round(s) for s in np.arange(begin * 3600, end * 3600, every_min * 60)]


def departures(line: Line) -> dict[str, list[int]]:
    """When a line leaves, by service."""
    if line.id == "b50":
        return {"school": [int(h * 3600) for h in (7.25, 7.5, 7.75, 13.2, 15.5)]}
    if line.id == "n1":
        return {"night": hours(24.25, 28.3, 30)}
    if line.id == "f1":
        return {"week": hours(6, 22, 20), "sat": hours(7, 22, 30), "sun": hours(8, 21, 30)}
    if line.id == "r1":
        return {"week": hours(5.5, 23, 30), "sat": hours(6.5, 23, 60), "sun": hours(7.5, 22, 60)}
    peak, day, late = {"t1": (6, 8, 15), "t2": (7.5, 10, 15)}.get(line.id, (12, 15, 30))
    week = [
        *hours(5.2, 6.5, late),
        *hours(6.5, 9, peak),
        *hours(9, 15, day),
        *hours(15, 19, peak),
        *hours(19, 24.6, late),
    ]
    return {
        "week": week,
        "sat": [*hours(6, 8, late), *hours(8, 19, day), *hours(19, 25, late)],
        "sun": hours(7, 24, late),
    }


def write_calendar(made: Made) -> None:
    """Weeks, holidays and terms."""
    for service, days in SERVICES.items():
        begin, end = (SCHOOL[0][0], SCHOOL[1][1]) if service == "school" else (FIRST, LAST)
        runs = {day: int(number in days) for number, day in enumerate(WEEKDAYS)}
        made.add("calendar.txt", service_id=service, **runs, start_date=f"{begin:%Y%m%d}", end_date=f"{end:%Y%m%d}")
    for day in HOLIDAYS:
        for service, days in SERVICES.items():
            if service in ("week", "sat", "school") and day.weekday() in days:
                made.add("calendar_dates.txt", service_id=service, date=f"{day:%Y%m%d}", exception_type=2)
        if day.weekday() != 6:
            made.add("calendar_dates.txt", service_id="sun", date=f"{day:%Y%m%d}", exception_type=1)
    day = SCHOOL[0][1] + timedelta(days=1)
    while day < SCHOOL[1][0]:
        if day.weekday() < 5 and day not in HOLIDAYS:
            made.add("calendar_dates.txt", service_id="school", date=f"{day:%Y%m%d}", exception_type=2)
        day += timedelta(days=1)
    made.add(
        "calendar.txt", service_id="trial", **dict.fromkeys(WEEKDAYS, 0), start_date="20260504", end_date="20261212"
    )
    made.fault("never-runs", service="trial")


def write_stop(made: Made, ident: str, name: str, x: float, y: float, **more: Any) -> None:
    """One stop."""
    lon, lat = PLANE.lonlat(np.array([x]), np.array([y]))
    row = {
        "location_type": 0,
        "parent_station": "",
        "wheelchair_boarding": STEP_FREE,
        "platform_code": "",
        "level_id": "",
    }
    made.add(
        "stops.txt",
        stop_id=ident,
        stop_name=name,
        stop_lat=f"{lat[0]:.6f}",
        stop_lon=f"{lon[0]:.6f}",
        **{**row, **more},
    )


def clock(seconds: float) -> str:
    """A time as the specification writes it."""
    whole = round(seconds)
    return f"{whole // 3600:02}:{whole // 60 % 60:02}:{whole % 60:02}"


def write_course(made: Made, course: Course, number: dict[str, int]) -> None:
    """The trips and the shape of a line in one direction."""
    line, shape = course.line, f"{course.line.id}-{course.direction}"
    lon, lat = PLANE.lonlat(*np.asarray(course.shape.coords).T)
    steps = np.hypot(*np.diff(np.asarray(course.shape.coords), axis=0).T)
    for nth, (x, y, metres) in enumerate(zip(lon, lat, np.concatenate([[0], np.cumsum(steps)]), strict=True)):
        made.add(
            "shapes.txt", shape_id=shape, shape_pt_lat=f"{y:.6f}", shape_pt_lon=f"{x:.6f}", shape_pt_sequence=nth + 1,
            shape_dist_traveled=f"{metres:.1f}",
        )  # fmt: skip
    ride = np.diff(course.along) / (line.kmh / 3.6)
    for service, times in departures(line).items():
        for begin in times if line.id != "b60" else times[:1]:
            number[line.id] = number.get(line.id, 0) + 1
            trip = f"{line.id}-{number[line.id]:03}"
            made.add(
                "trips.txt", route_id=line.id, service_id=service, trip_id=trip, trip_headsign=course.headsign,
                direction_id=course.direction, block_id="", shape_id=shape,
                wheelchair_accessible=NOT_STEP_FREE if line.id in ("b40", "n1") else STEP_FREE, bikes_allowed=1 if line.kind in (2, 4) else 2,
            )  # fmt: skip
            if line.id == "b60":
                end = {"week": "20:00:00", "sat": "18:00:00", "sun": "17:00:00"}[service]
                made.add(
                    "frequencies.txt",
                    trip_id=trip,
                    start_time="07:00:00",
                    end_time=end,
                    headway_secs=720,
                    exact_times=0,
                )
            slower = (
                1.18 if line.kind == 3 and (7 <= begin / 3600 % 24 < 9 or 15.5 <= begin / 3600 % 24 < 18.5) else 1.0
            )
            at = float(begin)
            for nth, stop in enumerate(course.stops):
                arrival = at
                at += line.dwell_s if 0 < nth < len(course.stops) - 1 else 0
                # Along quieter lines only every third time is stated; those between follow from the distance.
                timed = line.kind != 3 or nth % 3 == 0 or nth == len(course.stops) - 1
                made.add(
                    "stop_times.txt", trip_id=trip, arrival_time=clock(arrival) if timed else "",
                    departure_time=clock(at) if timed else "", stop_id=stop.id, stop_sequence=nth + 1,
                    pickup_type=int(nth == len(course.stops) - 1), drop_off_type=int(nth == 0),
                    shape_dist_traveled=f"{course.along[nth]:.1f}",
                )  # fmt: skip
                at += ride[nth] * slower if nth < len(ride) else 0


def harbour_station(made: Made) -> tuple[Stop, Stop]:
    """A station with two platforms, an entrance by a lift and one by steps; returns the platforms."""
    write_stop(made, "harbour", "Harbour Station", 560, -1965, location_type=1)
    platforms = Stop("harbour-1", "Harbour Station", 545, -1975), Stop("harbour-2", "Harbour Station", 552, -1985)
    for number, platform in enumerate(platforms, 1):
        write_stop(
            made, platform.id, platform.name, platform.x, platform.y, parent_station="harbour",
            platform_code=str(number), level_id="tracks",
        )  # fmt: skip
    write_stop(
        made,
        "harbour-north",
        "Harbour Station, north entrance",
        575,
        -1900,
        location_type=2,
        parent_station="harbour",
        level_id="street",
    )
    write_stop(
        made,
        "harbour-quay",
        "Harbour Station, quay steps",
        620,
        -1960,
        location_type=2,
        parent_station="harbour",
        level_id="street",
    )
    write_stop(
        made,
        "harbour-hall",
        "Harbour Station, hall",
        565,
        -1950,
        location_type=3,
        parent_station="harbour",
        level_id="street",
    )
    for ident, index in (("street", 0), ("tracks", -1)):
        made.add("levels.txt", level_id=ident, level_index=index, level_name=ident.title())
    ways = [
        ("harbour-north", "harbour-hall", 1, 60, "", ""),
        ("harbour-hall", "harbour-1", 5, 20, 55, ""),
        ("harbour-hall", "harbour-2", 5, 20, 70, ""),
        ("harbour-quay", "harbour-1", 2, 25, "", 38),
        ("harbour-1", "harbour-2", 1, 18, "", ""),
    ]
    for nth, (first, last, kind, length, seconds, steps) in enumerate(ways, 1):
        made.add(
            "pathways.txt", pathway_id=f"p{nth}", from_stop_id=first, to_stop_id=last, pathway_mode=kind,
            is_bidirectional=1, length=length, traversal_time=seconds, stair_count=steps,
        )  # fmt: skip
    return platforms


def off_street(line: Line, stops: tuple[Stop, Stop], direction: int) -> Course:
    """The ferry or the train, straight from end to end."""
    xy = np.array(line.through, float)
    shape = shapely.LineString(xy if direction == 0 else xy[::-1])
    ends = list(stops if direction == 0 else stops[::-1])
    return Course(line, direction, shape, ends, [0.0, shape.length])


def add_faults(made: Made, stops: Stops) -> None:
    """Spoil some rows."""
    times, trips = made.files["stop_times.txt"], made.files["trips.txt"]

    def calls(trip: str) -> Rows:
        return [row for row in times if row["trip_id"] == trip]

    turned = calls("t2-020")
    turned[4]["arrival_time"], turned[4]["departure_time"] = clock(3600 * 5), clock(3600 * 5)
    made.fault("backwards", trip="t2-020")
    quick = calls("t1-030")
    for row in quick[-2:]:
        row["arrival_time"] = row["departure_time"] = quick[3]["departure_time"]
    for row in quick[4:-2]:
        row["arrival_time"] = row["departure_time"] = ""
    made.fault("absurd-speed", trip="t1-030")
    twin = next(row for row in trips if row["trip_id"] == "b20-025")
    made.files["trips.txt"].append({**twin, "trip_id": "b20-025b"})
    times += [{**row, "trip_id": "b20-025b"} for row in calls("b20-025")]
    made.fault("duplicate-trip", trip="b20-025b")
    for number, (x, y) in enumerate(((-700, 900), (2050, 2500)), 1):
        write_stop(made, f"old{number}", f"Former terminus {number}", x, y)
        made.fault("unused-stop", stop=f"old{number}")
    moved = next(row for row in made.files["stops.txt"] if row["stop_id"] == calls("b30-010")[6]["stop_id"])
    moved["stop_lat"] = f"{float(moved['stop_lat']) + 0.0042:.6f}"
    made.fault("far-from-shape", stop=moved["stop_id"])
    lonely = {**trips[0], "trip_id": "b10-x", "route_id": "b10", "shape_id": "", "service_id": "trial"}
    made.files["trips.txt"].append(lonely)
    made.fault("one-call", trip="b10-x")


def write(folder: Path, made: Made) -> None:
    """The archive and the truth file; the same rows give the same bytes."""
    with zipfile.ZipFile(folder / "transit.zip", "w") as archive:
        for name in sorted(made.files):
            text = io.StringIO()
            writer = csv.DictWriter(text, list(made.files[name][0]), lineterminator="\n")
            writer.writeheader()
            writer.writerows(made.files[name])
            info = zipfile.ZipInfo(name, (2026, 5, 1, 0, 0, 0))
            info.compress_type, info.external_attr = zipfile.ZIP_DEFLATED, 0o644 << 16
            archive.writestr(info, text.getvalue(), compresslevel=9)
    (folder / "transit_faults.json").write_text(json.dumps(made.faults, indent=1) + "\n")


def main(folder: Path) -> None:
    """Write the feed beside the extract it is made from."""
    made, (drawn, stops) = Made(), courses(build_graph(osm_pbf.read(folder / "ferrow.osm.pbf"))[0])
    for ident, name in (("city", "Ferrow City Transport"), ("boats", "Orrow Boats"), ("rail", "Ferrow Harbour Line")):
        made.add(
            "agency.txt", agency_id=ident, agency_name=name, agency_url=f"https://{ident}.ferrow.example",
            agency_timezone="Etc/GMT+2", agency_lang="en",
        )  # fmt: skip
    made.add(
        "feed_info.txt", feed_publisher_name="City of Ferrow", feed_publisher_url="https://ferrow.example", feed_lang="en",
        feed_start_date=f"{FIRST:%Y%m%d}", feed_end_date=f"{LAST:%Y%m%d}", feed_version="2026-2",
    )  # fmt: skip
    write_calendar(made)
    platforms = harbour_station(made)
    quays = Stop("quay-w", "Saltern Quay", -420, -2545), Stop("quay-e", "Netherquay", 480, -2625)
    sorrel = Stop("sorrel", "Sorrel Road", 5850, 330)
    for stop in (*stops.stops, *quays, sorrel):
        write_stop(
            made, stop.id, stop.name, stop.x, stop.y, wheelchair_boarding=0 if stop.id.endswith("7") else STEP_FREE
        )
    for course in (*drawn, *(off_street(FERRY, quays, way) for way in (0, 1))):
        write_course(made, course, NUMBERS)
    for way in (0, 1):
        write_course(made, off_street(TRAIN, (platforms[way], sorrel), way), NUMBERS)
    for line in (*dict.fromkeys(course.line.id for course in drawn), "f1", "r1"):
        about = next(each for each in (*(course.line for course in drawn), FERRY, TRAIN) if each.id == line)
        made.add(
            "routes.txt", route_id=about.id, agency_id=about.agency, route_short_name=about.name,
            route_long_name=about.title, route_type=about.kind, route_color=about.color, route_text_color="FFFFFF",
        )  # fmt: skip
    made.add("transfers.txt", from_stop_id="harbour-1", to_stop_id="harbour-2", transfer_type=2, min_transfer_time=120)
    add_faults(made, stops)
    write(folder, made)


NUMBERS: dict[str, int] = {}
"""How many trips each line has so far."""

if __name__ == "__main__":
    main(Path(sys.argv[1]))
