"""A small feed as files that tests may spoil."""

from __future__ import annotations

import zipfile
from pathlib import Path

FILES = {
    "agency.txt": "agency_id,agency_name,agency_url,agency_timezone\na,Orrow Lines,https://orrow.example,Etc/GMT+2\n",
    "stops.txt": (
        "stop_id,stop_name,stop_lat,stop_lon,location_type,parent_station,wheelchair_boarding\n"
        "p1,Quay,41.2900,-36.2000,0,st,\n"
        "p2,Mill,41.2940,-36.1960,0,,2\n"
        "p3,Hill,41.2980,-36.1920,0,,1\n"
        "st,Quay Station,41.2901,-36.2001,1,,1\n"
    ),
    "routes.txt": "route_id,agency_id,route_short_name,route_long_name,route_type,route_color\nr1,a,1,Quay - Hill,0,AA3344\n",
    "trips.txt": (
        "route_id,service_id,trip_id,trip_headsign,direction_id,block_id,wheelchair_accessible,bikes_allowed\n"
        "r1,week,t1,Hill,0,b,1,2\n"
        "r1,week,t2,Hill,0,b,1,1\n"
    ),
    "stop_times.txt": (
        "trip_id,arrival_time,departure_time,stop_id,stop_sequence,pickup_type,drop_off_type\n"
        "t1,8:00:00,8:00:00,p1,1,0,1\n"
        "t1,,,p2,5,0,0\n"
        "t1,08:10:00,08:10:00,p3,9,1,0\n"
        "t2,25:00:00,25:00:00,p1,1,,\n"
        "t2,25:10:30,25:10:30,p3,2,,\n"
    ),
    "calendar.txt": (
        "service_id,monday,tuesday,wednesday,thursday,friday,saturday,sunday,start_date,end_date\n"
        "week,1,1,1,1,1,0,0,20260601,20260614\n"
    ),
    "calendar_dates.txt": "service_id,date,exception_type\nweek,20260603,2\nweek,20260606,1\n",
}


def feed_zip(path: Path, folder: str = "", **changed: str | None) -> Path:
    """The feed as an archive; files are changed by their name without ending, None leaves one out."""
    files = {**FILES, **{f"{name}.txt": text for name, text in changed.items()}}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            if text is not None:
                archive.writestr(folder + name, text.encode("utf-8-sig") if name == "stops.txt" else text)
    return path
