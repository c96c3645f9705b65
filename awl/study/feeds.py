"""Timetables of a study: the feed itself is kept in the study file, its arrays beside it, its stops and routes as layers."""

from __future__ import annotations

import hashlib
import io
import json
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, fields, is_dataclass
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.transit import feed as core
from awl.core.transit.feed import KIND_NAMES, PLATFORM, STATION, Feed
from awl.core.transit.feed_faults import KINDS
from awl.core.transit.frequency import departures_by_hour
from awl.core.transit.joined import joined
from awl.io import geopackage, gtfs
from awl.io.gtfs.specification import FILES
from awl.io.table import Column, Table
from awl.study import drawn_lines, kept, records
from awl.study.records import now
from awl.study.study_file import StudyFile, slug

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_feeds (id TEXT PRIMARY KEY, title TEXT NOT NULL, source TEXT NOT NULL, added TEXT NOT NULL,
  digest TEXT NOT NULL, summary TEXT NOT NULL, file BLOB NOT NULL) STRICT
"""
LAYOUT = 1
"""Counts the ways in which arrays of a feed are written."""
MOST_BYTES = 900 << 20
"""A feed is one value of a table; SQLite holds none above a gigabyte."""
ROLE = "transit"


@dataclass(frozen=True)
class Entry:
    """A feed of a study as it is listed.

    Attributes:
        id, title, source, added, digest: how it is known, and the hash of its content.
        summary: what came in, with its faults: see `summary_of`.
    """

    id: str
    title: str
    source: str
    added: str
    digest: str
    summary: dict[str, Any]


def listed(connection: sqlite3.Connection) -> list[Entry]:
    """The feeds of a study, without their content.

    Parameters:
        connection: an open study.
    """
    if not _there(connection):
        return []
    names = ("id", "title", "source", "added", "digest", "summary")
    rows = connection.execute(f"SELECT {', '.join(names)} FROM awl_feeds ORDER BY rowid").fetchall()
    return [Entry(**dict(zip(names, row, strict=True)) | {"summary": json.loads(row[5])}) for row in rows]


def add_file(
    path: Path, study: StudyFile, ident: str | None, title: str | None, source: str, progress: Progress | None = None
) -> str:
    """Add a timetable under an id and title that follow from the name of its file unless they are given; returns the id.

    Parameters:
        path: a zip archive, or a folder.
        study: the study.
        ident: id of the feed.
        title: what it is called.
        source: the name of the file.
        progress: is told how far the work is, and stops it.
    """
    stem = Path(source).stem
    ident = ident or slug(stem)
    if any(entry["id"] == ident for entry in study.layers()):
        raise AwlError(f"A layer has the id '{ident}'", remedy="Choose another with --as", inputs=("id",))
    add(study, path, ident, title or stem.replace("_", " ").capitalize(), source, progress)
    return ident


def add(
    study: StudyFile, path: Path, ident: str, title: str, source: str, progress: Progress | None = None
) -> gtfs.Reading:
    """Read a feed and keep it, all or nothing; one of the same id is replaced.

    Parameters:
        study: the study.
        path: a zip archive, or a folder, which is packed.
        ident: id of the feed.
        title: what it is called.
        source: the name of the file, for messages.
        progress: is told how far the work is, and stops it.
    """
    reading = gtfs.read(path, progress)
    check_near(study, reading.feed, source)
    content = path.read_bytes() if path.is_file() else packed(path)
    if len(content) > MOST_BYTES:
        raise AwlError("The feed is larger than a study can hold", where=source, remedy="Cut it to the study area")
    digest = hashlib.sha256(content).hexdigest()
    summary = summary_of(reading)
    with study.changing() as connection:
        connection.execute(SCHEMA)
        connection.execute(
            "INSERT OR REPLACE INTO awl_feeds VALUES (?, ?, ?, ?, ?, ?, ?)",
            (ident, title, source, now(), digest, json.dumps(summary), content),
        )
        for part, table in (("stops", stops_table(reading.feed)), ("routes", routes_table(reading.feed))):
            name = f"{ident}_{part}"
            geopackage.write_table(connection, name, table, f"{title}: {part}", source)
            records.set_layer(connection, name, f"{title}: {part}", ROLE, source)
            details = {"key": f"{part[:-1]}_id", "notes": vars(table.notes)}
            records.set_fact(connection, f"layer:{name}", details)
        study.answers_are_stale(connection)
    kept.save(_folder(study, digest), _flat(reading.feed))
    return reading


def drop(study: StudyFile, ident: str) -> None:
    """Remove a feed and its layers.

    Parameters:
        study: the study.
        ident: id of the feed.
    """
    with study.changing() as connection:
        connection.execute("DELETE FROM awl_feeds WHERE id = ?", (ident,))
        for part in ("stops", "routes"):
            geopackage.drop_table(connection, f"{ident}_{part}")
            connection.execute("DELETE FROM awl_layers WHERE id = ?", (f"{ident}_{part}",))
            connection.execute("DELETE FROM awl_facts WHERE key = ?", (f"layer:{ident}_{part}",))
        study.answers_are_stale(connection)


def check_near(study: StudyFile, feed: Feed, source: str) -> None:
    """Refuse a feed none of whose stops lies near the streets of a study.

    Parameters:
        study: the study.
        feed: the feed.
        source: the name of the file, for messages.
    """
    if not study.revision:
        return
    graph, stops = study.graph, feed.stops
    room = 0.05
    near = (stops.lon > graph.node_lon.min() - room) & (stops.lon < graph.node_lon.max() + room)
    near &= (stops.lat > graph.node_lat.min() - room) & (stops.lat < graph.node_lat.max() + room)
    if not near.any():
        raise AwlError(
            "None of its stops lies near the streets of the study", where=source, remedy="Choose the feed of this area",
            kind="far-away",
        )  # fmt: skip


def feed_of(study: StudyFile) -> Feed | None:
    """All feeds of a study as one, with the lines that its what-ifs add; None where it has neither.

    Parameters:
        study: the study.
    """

    def make() -> Feed | None:
        entries, lines = listed(study.reading), drawn_lines.listed(study.reading)
        feed = None
        if entries:
            feed = joined([_read(study, entry) for entry in entries], [entry.id for entry in entries])
        if not lines:
            return feed
        drawn = drawn_lines.feed_with(lines, feed)
        # What the study has keeps its ids, for conditions name them.
        return joined([drawn] if feed is None else [feed, drawn], [""] * (feed is not None) + ["drawn"])

    return study.cached("feed", make)


def _read(study: StudyFile, entry: Entry) -> Feed:
    """A feed from its arrays, or from its content where they are missing or damaged."""
    folder = _folder(study, entry.digest)
    flat = kept.loaded(folder, _names())
    if flat is not None:
        return _unflat(flat)
    with _unpacked(study, entry.id) as path:
        feed = gtfs.read(path).feed
    kept.save(folder, _flat(feed))
    return feed


@contextmanager
def _unpacked(study: StudyFile, ident: str) -> Iterator[Path]:
    row = study.reading.execute("SELECT file FROM awl_feeds WHERE id = ?", (ident,)).fetchone()
    with tempfile.TemporaryDirectory(prefix="awl-feed-") as folder:
        path = Path(folder) / f"{ident}.zip"
        path.write_bytes(row[0])
        yield path


def packed(folder: Path) -> bytes:
    """The files of a feed in a folder as a zip archive; other files are left out.

    Parameters:
        folder: the folder.
    """
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in sorted(FILES):
            if (folder / name).is_file():
                archive.write(folder / name, name)
    return stream.getvalue()


def _folder(study: StudyFile, digest: str) -> Path:
    return kept.place_of(study.path, "feed", [np.frombuffer(digest.encode(), np.uint8)], LAYOUT)


def _flat(feed: Feed) -> dict[str, NDArray[Any]]:
    """The arrays of a feed by name; texts as text of fixed width."""
    arrays: dict[str, NDArray[Any]] = {}
    for item in fields(feed):
        value = getattr(feed, item.name)
        if is_dataclass(value):
            for part in fields(value):
                arrays[f"{item.name}.{part.name}"] = _plain(getattr(value, part.name))
        elif item.name == "info":
            arrays[item.name] = np.array([json.dumps(value)])
        else:
            arrays[item.name] = _plain(np.asarray(value))
    return arrays


def _plain(array: NDArray[Any]) -> NDArray[Any]:
    return array.astype(str) if array.dtype == object else array


def _parts() -> dict[str, Any]:
    """Fields of a feed that are tables, with their type."""
    kinds = {item.name: getattr(core, str(item.type), None) for item in fields(Feed)}
    return {name: kind for name, kind in kinds.items() if is_dataclass(kind)}


def _names() -> list[str]:
    parts = _parts()
    return [
        name
        for item in fields(Feed)
        for name in (
            [f"{item.name}.{part.name}" for part in fields(parts[item.name])] if item.name in parts else [item.name]
        )
    ]


def _unflat(arrays: dict[str, NDArray[Any]]) -> Feed:
    def one(name: str) -> NDArray[Any]:
        array = arrays[name]
        return array.astype(object) if array.dtype.kind == "U" else array

    values: dict[str, Any] = {}
    parts = _parts()
    for item in fields(Feed):
        if item.name in parts:
            kind = parts[item.name]
            values[item.name] = kind(*(one(f"{item.name}.{part.name}") for part in fields(kind)))
        else:
            values[item.name] = one(item.name)
    values["first_day"] = np.datetime64(values["first_day"][()], "D")
    values["timezone"], values["info"] = str(values["timezone"][()]), json.loads(str(values["info"][0]))
    return Feed(**values)


def summary_of(reading: gtfs.Reading) -> dict[str, Any]:
    """What came in: counts, kinds of route, trips by day, the span of the calendar, and faults by kind.

    Parameters:
        reading: the feed as it was read.
    """
    feed, faults = reading.feed, reading.faults
    kinds = feed.routes.kind[feed.trips.route]
    by_kind = [
        {
            "kind": KIND_NAMES.get(int(kind), f"kind {kind}"),
            "routes": int((feed.routes.kind == kind).sum()),
            "trips": int((kinds == kind).sum()),
        }
        for kind in np.unique(feed.routes.kind).tolist()
    ]
    times = feed.stop_times
    return {
        "rows": reading.rows,
        "unread_files": list(reading.others),
        "stops": int((feed.stops.kind == PLATFORM).sum()),
        "stations": int((feed.stops.kind == STATION).sum()),
        "routes": len(feed.routes),
        "trips": len(feed.trips),
        "calls": len(times),
        "kinds": by_kind,
        **_by_hour(feed),
        "first_day": str(feed.days[0]),
        "last_day": str(feed.days[-1]),
        "trips_by_day": feed.trips_by_day().tolist(),
        "first_departure_s": int(times.departure.min()) if len(times) else None,
        "last_arrival_s": int(times.arrival.max()) if len(times) else None,
        "timezone": feed.timezone,
        "faults": [
            {
                "code": code,
                "title": KINDS[code].title,
                "grade": KINDS[code].grade,
                "effect": KINDS[code].effect,
                "count": count,
            }
            for code, count in sorted(
                faults.counts.items(), key=lambda item: (GRADES.index(KINDS[item[0]].grade), item[0])
            )
        ],
        "listed": [
            {key: None if value != value else value for key, value in asdict(fault).items()} for fault in faults.listed
        ],
    }


GRADES = ("error", "warning", "note")
MOST_LINES = 400
"""Of so many routes it is said how often they run."""


def _by_hour(feed: Feed) -> dict[str, Any]:
    """The busiest routes, and the departures of each by hour on a usual day of each kind, in the busier direction."""
    days = typical_days(feed.trips_by_day().tolist(), str(feed.days[0]))
    counts = {kind: departures_by_hour(feed, np.datetime64(day)) for kind, day in days.items()}
    total = sum((table.sum(axis=1) for table in counts.values()), np.zeros(len(feed.routes), np.int64))
    busiest = np.sort(np.argsort(-total, kind="stable")[:MOST_LINES])
    rows = busiest[total[busiest] > 0]
    lines = [
        {"route_id": str(feed.routes.id[row]), "name": str(feed.routes.name[row]), "kind": _kind(feed, row)}
        for row in rows.tolist()
    ]
    return {"lines": lines, "departures": {kind: table[rows].tolist() for kind, table in counts.items()}}


def _kind(feed: Feed, route: int) -> str:
    kind = int(feed.routes.kind[route])
    return KIND_NAMES.get(kind, f"kind {kind}")


def faults_table(entry: Entry) -> Table:
    """The listed faults of a feed as the findings of streets are told: kind, grade, sentence; points where they have a place.

    Parameters:
        entry: a feed as it is listed.
    """
    listed_faults = entry.summary["listed"]
    grades = {fault["code"]: fault["grade"] for fault in entry.summary["faults"]}
    places = [None if fault["lon"] is None else shapely.Point(fault["lon"], fault["lat"]) for fault in listed_faults]
    where = [f"{fault['file']}, line {fault['line']}" if fault["line"] else fault["file"] for fault in listed_faults]
    return Table(
        np.array(places, dtype=object),
        {
            "kind": [fault["code"] for fault in listed_faults],
            "grade": [grades[fault["code"]] for fault in listed_faults],
            "text": [
                f"{at}: {fault['text']}" if at else fault["text"]
                for at, fault in zip(where, listed_faults, strict=True)
            ],
        },
    )


def typical_days(trips_by_day: list[int], first_day: str) -> dict[str, str]:
    """The day of each kind (weekday, Saturday, Sunday) whose number of trips is the most common among its like.

    Parameters:
        trips_by_day: trips on each day of the calendar.
        first_day: the first of them.
    """
    days = np.datetime64(first_day) + np.arange(len(trips_by_day))
    weekday = (days.astype(int) + 3) % 7
    trips, typical = np.array(trips_by_day), {}
    for name, chosen in (("weekday", weekday < 5), ("saturday", weekday == 5), ("sunday", weekday == 6)):
        running = np.flatnonzero(chosen & (trips > 0))
        if len(running):
            values, counts = np.unique(trips[running], return_counts=True)
            typical[name] = str(days[running[trips[running] == values[np.argmax(counts)]][0]])
    return typical


def stops_table(feed: Feed) -> Table:
    """The stops with a place as points, with how many calls they have on their busiest day.

    Parameters:
        feed: the feed.
    """
    rows = np.flatnonzero(np.isfinite(feed.stops.lon))
    days = feed.active[feed.trips.service].sum(axis=1)
    weight = days[feed.trip_of_call] / max(feed.active.shape[1], 1)
    calls = np.bincount(feed.stop_times.stop, weights=weight, minlength=len(feed.stops))
    parents = np.where(feed.stops.parent >= 0, feed.stops.id[feed.stops.parent], "")
    words = np.array(["platform", "station", "entrance", "node", "boarding area"], dtype=object)
    return Table(
        np.atleast_1d(shapely.points(feed.stops.lon[rows], feed.stops.lat[rows])),
        {
            "stop_id": feed.stops.id[rows].tolist(),
            "name": feed.stops.name[rows].tolist(),
            "kind": words[feed.stops.kind[rows]].tolist(),
            "parent": [text or None for text in parents[rows].tolist()],
            "calls_a_day": Column.of(calls[rows], digits=1),
        },
    )


def routes_table(feed: Feed) -> Table:
    """Routes as lines, each along the shape that most of its trips have, or from stop to stop.

    Parameters:
        feed: the feed.
    """
    lines, rows = [], []
    for route in range(len(feed.routes)):
        trips = np.flatnonzero(feed.trips.route == route)
        if len(trips) == 0:
            continue
        line = line_of(feed, int(_commonest(feed, trips)))
        if line is not None:
            lines.append(line)
            rows.append(route)
    at = np.array(rows, np.int64)
    trips_of = np.bincount(feed.trips.route, minlength=len(feed.routes))
    return Table(
        np.array(lines, dtype=object),
        {
            "route_id": feed.routes.id[at].tolist(),
            "name": feed.routes.name[at].tolist(),
            "title": feed.routes.long_name[at].tolist(),
            "kind": [KIND_NAMES.get(int(kind), f"kind {kind}") for kind in feed.routes.kind[at]],
            "agency": feed.routes.agency[at].tolist(),
            "color": [f"#{text}" if text else None for text in feed.routes.color[at].tolist()],
            "trips": trips_of[at].tolist(),
        },
    )


def _commonest(feed: Feed, trips: NDArray[np.int64]) -> int:
    """The first trip with the commonest shape, or else the one with most calls."""
    shapes = feed.trips.shape[trips]
    if (shapes >= 0).any():
        values, counts = np.unique(shapes[shapes >= 0], return_counts=True)
        return int(trips[shapes == values[np.argmax(counts)]][0])
    return int(trips[np.argmax(np.diff(feed.trip_start)[trips])])


def line_of(feed: Feed, trip: int) -> shapely.LineString | None:
    """The line of a trip: its shape, or from stop to stop; None where it has fewer than two places.

    Parameters:
        feed: the feed.
        trip: row of the trip.
    """
    shape = int(feed.trips.shape[trip])
    if shape >= 0:
        part = slice(int(feed.shapes.start[shape]), int(feed.shapes.start[shape + 1]))
        xy = np.column_stack([feed.shapes.lon[part], feed.shapes.lat[part]])
    else:
        stops = feed.stop_times.stop[feed.trip_start[trip] : feed.trip_start[trip + 1]]
        xy = np.column_stack([feed.stops.lon[stops], feed.stops.lat[stops]])
    xy = xy[np.isfinite(xy).all(axis=1)]
    return shapely.LineString(xy) if len(xy) > 1 else None


def _there(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_feeds'").fetchone() is not None
