"""Read a feed: files into arrays, references into rows, and what does not fit into faults."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.transit.feed import (
    NO_TIME,
    RECOMMENDED,
    Feed,
    Frequencies,
    Pathways,
    Routes,
    Shapes,
    Stops,
    Transfers,
    Trips,
)
from awl.core.transit.feed_faults import Fault, Faults, check
from awl.core.transit.service_day import zone_of
from awl.io.gtfs.calendar import calendar_of
from awl.io.gtfs.clock import seconds_of
from awl.io.gtfs.columns import column_of, number_of, rows_of, text_of, whole_of
from awl.io.gtfs.pathways import levels_of, pathway_seconds
from awl.io.gtfs.source import Source, names_in, opened
from awl.io.gtfs.specification import FILES, REQUIRED
from awl.io.gtfs.stop_times import calls_of
from awl.io.limits import archive_members


@dataclass(frozen=True)
class Reading:
    """A feed as it was read.

    Attributes:
        feed: the feed.
        faults: what does not fit.
        rows: how many rows each file has.
        others: files that are not read.
    """

    feed: Feed
    faults: Faults
    rows: dict[str, int]
    others: tuple[str, ...]


def is_feed(path: Path) -> bool:
    """Whether a folder or zip archive holds the files of a feed.

    Parameters:
        path: the folder or file.
    """
    if path.is_dir():
        return sum((path / name).is_file() for name in REQUIRED) >= 2
    if path.suffix.lower() != ".zip" or not path.is_file():
        return False
    try:
        archive_members(path, path.name)
        return len(set(names_in(path)) & set(REQUIRED)) >= 2
    except AwlError:
        return False


def read(path: Path, progress: Progress | None = None) -> Reading:
    """Read a feed from a zip archive or a folder.

    Parameters:
        path: the archive or folder.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: a required file or field is missing, a file cannot be read, or nothing in the feed can be used.
    """
    progress = progress or Progress()
    with opened(path) as source:
        return _Reader(source, progress).reading()


class _Reader:
    """Reads the files of one feed in the order in which they refer to each other."""

    def __init__(self, source: Source, progress: Progress) -> None:
        self.source, self.progress, self.faults = source, progress, Faults()
        self.rows: dict[str, int] = {}

    def reading(self) -> Reading:
        timezone = self._timezone()
        self.progress.step(0.05, "Reading stops and routes")
        stops, stop_ids, level = self._stops()
        routes, route_ids = self._routes()
        service_id, first_day, active = calendar_of(self.source, self.faults, self.rows)
        shapes, shape_ids = self._shapes()
        self.progress.step(0.2, "Reading trips")
        trips, trip_ids = self._trips(route_ids, pa.array(service_id.tolist(), pa.string()), shape_ids)
        self.progress.step(0.25, "Reading stop times")
        place = stops.lon, stops.lat
        calls = calls_of(self.source, (trip_ids, stop_ids), place, self.faults, self.progress.part(0.25, 0.85))
        self.rows["stop_times.txt"] = calls.rows
        if len(calls.stop_times) == 0:
            raise AwlError(
                "No trip of the feed can be used", where=self.source.name, remedy="See its faults: awl check"
            )
        self.progress.step(0.86, "Reading transfers and pathways")
        feed = Feed(
            stops, routes, trips, calls.trip_start, calls.stop_times, service_id, first_day, active, timezone,
            self._frequencies(trip_ids), self._transfers(stop_ids, route_ids, trip_ids), self._pathways(stop_ids, level), shapes,
            self._info(),
        )  # fmt: skip
        self.progress.step(0.9, "Looking for faults")
        for name in sorted(set(FILES) - self.source.files - {"calendar.txt", "calendar_dates.txt"}):
            if name in WANTED:
                self.faults.add(Fault("file-missing", f"There is no {name}: {WANTED[name]}.", name))
        check(feed, self.faults)
        self.progress.step(1.0, "Read")
        return Reading(feed, self.faults, self.rows, self.source.others)

    def _table(self, file: str) -> pa.Table:
        table = self.source.table(file)
        if file in self.source.files:
            self.rows[file] = table.num_rows
        return table

    def _timezone(self) -> str:
        zones = Counter(text.strip() for text in self._table("agency.txt")["agency_timezone"].to_pylist() if text)
        if not zones:
            raise AwlError(
                "No agency gives its time zone",
                where=f"{self.source.name}, agency.txt",
                remedy="Fill in agency_timezone",
            )
        if len(zones) > 1:
            raise AwlError(
                f"Agencies have {len(zones)} time zones: {', '.join(sorted(zones)[:4])}",
                where=f"{self.source.name}, agency.txt",
                remedy="A feed has one; split it",
            )
        zone_of(next(iter(zones)))
        return next(iter(zones))

    def _unique(self, table: pa.Table, field: str, file: str) -> pa.Table:
        """The rows with an id that no row before them has."""
        ids = table[field].combine_chunks() if isinstance(table[field], pa.ChunkedArray) else table[field]
        codes = ids.dictionary_encode().indices.fill_null(-1).to_numpy(zero_copy_only=False)
        _, first = np.unique(codes, return_index=True)
        first = np.sort(first[codes[first] >= 0])
        lost = np.setdiff1d(np.arange(len(codes)), first)
        self.faults.add_rows(
            lost,
            lambda row: Fault(
                "row-left-out",
                f"The {field} '{ids[row].as_py() or ''}' is {'empty' if ids[row].as_py() is None else 'there a second time'}.",
                file,
                row + 2,
            ),
        )
        return table.take(pa.array(first)) if len(lost) else table

    def _stops(self) -> tuple[Stops, pa.Array, NDArray[np.float64]]:
        """The stops, their ids, and the level on which each lies."""
        table = self._unique(self._table("stops.txt"), "stop_id", "stops.txt")
        if table.num_rows == 0:
            raise AwlError("The feed has no stop", where=f"{self.source.name}, stops.txt", remedy="Check the feed")
        ids = column_of(table, "stop_id")
        parent = rows_of(column_of(table, "parent_station"), ids)
        for row in np.flatnonzero((parent < 0) & (text_of(table, "parent_station") != "")).tolist()[:1000]:
            self._unknown("stops.txt", row, "parent_station", table, "the stop stands by itself")
        parent = self._without_circles(parent, table)
        lon, lat = number_of(table, "stop_lon"), number_of(table, "stop_lat")
        wrong = ~((np.abs(lon) <= 180) & (np.abs(lat) <= 90)) | ((lon == 0) & (lat == 0))
        lon[wrong], lat[wrong] = np.nan, np.nan
        for _ in range(2):
            up = np.isnan(lon) & (parent >= 0)
            lon[up], lat[up] = lon[parent[up]], lat[parent[up]]
        names = text_of(table, "stop_name")
        names = np.where(names != "", names, np.where(parent >= 0, names[parent], ""))
        kind = whole_of(table, "location_type", range(5), 0).astype(np.int8)
        wheelchair = whole_of(table, "wheelchair_boarding", range(3), 0).astype(np.int8)
        inherits = (wheelchair == 0) & (parent >= 0)
        wheelchair[inherits] = wheelchair[parent[inherits]]
        texts = text_of(table, "stop_id")
        self.faults.add_rows(
            np.flatnonzero(np.isnan(lon)),
            lambda row: Fault("no-place", f"{names[row] or texts[row]} has no place.", "stops.txt", row + 2),
        )
        level, wrong = levels_of(table, self._table("levels.txt"))
        for row in wrong.tolist()[:1000]:
            self._unknown("stops.txt", row, "level_id", table, "its level is not known")
        return Stops(texts, names, lon, lat, kind, parent, wheelchair), ids, level

    def _without_circles(self, parent: NDArray[np.int32], table: pa.Table) -> NDArray[np.int32]:
        """Parents, none for those that are their own, over however many."""
        up = parent.copy()
        for _ in range(3):
            up = np.where(up >= 0, parent[up], -1)
        circle = np.flatnonzero(up >= 0)  # a boarding area, its platform and the station are three levels
        self.faults.add_rows(
            circle,
            lambda row: Fault(
                "station-in-circle", f"Stop {table['stop_id'][row].as_py()} belongs to itself.", "stops.txt", row + 2
            ),
        )
        parent = parent.copy()
        parent[circle] = -1
        return parent

    def _unknown(self, file: str, row: int, field: str, table: pa.Table, effect: str) -> None:
        value = table[field][row].as_py()
        text = f"The {field} '{value}' is in no other file: {effect}." if value else f"The {field} is empty: {effect}."
        self.faults.add(Fault("unknown-reference", text, file, row + 2))

    def _routes(self) -> tuple[Routes, pa.Array]:
        table = self._unique(self._table("routes.txt"), "route_id", "routes.txt")
        kind = whole_of(table, "route_type", range(2000), 3)
        kind = np.where(kind >= 100, np.array([EXTENDED.get(int(code) // 100, 3) for code in kind], np.int64), kind)
        routes = Routes(
            text_of(table, "route_id"), text_of(table, "route_short_name"), text_of(table, "route_long_name"),
            text_of(table, "agency_id"), kind.astype(np.int16), text_of(table, "route_color"),
        )  # fmt: skip
        return routes, column_of(table, "route_id")

    def _trips(self, route_ids: pa.Array, service_ids: pa.Array, shape_ids: pa.Array) -> tuple[Trips, pa.Array]:
        table = self._unique(self._table("trips.txt"), "trip_id", "trips.txt")
        route, service = (
            rows_of(column_of(table, "route_id"), route_ids),
            rows_of(column_of(table, "service_id"), service_ids),
        )
        for rows, field in ((route, "route_id"), (service, "service_id")):
            for row in np.flatnonzero(rows < 0).tolist()[:1000]:
                self._unknown("trips.txt", row, field, table, "the trip is left out")
        known = (route >= 0) & (service >= 0)
        if not known.all():
            table, route, service = table.filter(pa.array(known)), route[known], service[known]
        block = column_of(table, "block_id").dictionary_encode().indices.fill_null(-1).to_numpy(zero_copy_only=False)
        trips = Trips(
            text_of(table, "trip_id"), text_of(table, "trip_headsign"), route, service,
            whole_of(table, "direction_id", range(2), -1).astype(np.int8), block.astype(np.int32),
            rows_of(column_of(table, "shape_id"), shape_ids),
            whole_of(table, "wheelchair_accessible", range(3), 0).astype(np.int8),
            whole_of(table, "bikes_allowed", range(3), 0).astype(np.int8),
        )  # fmt: skip
        return trips, column_of(table, "trip_id")

    def _shapes(self) -> tuple[Shapes, pa.Array]:
        table = self._table("shapes.txt")
        encoded = column_of(table, "shape_id").dictionary_encode()
        code = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
        lon, lat = number_of(table, "shape_pt_lon"), number_of(table, "shape_pt_lat")
        number = whole_of(table, "shape_pt_sequence", None, -1)
        valid = (code >= 0) & (np.abs(lon) <= 180) & (np.abs(lat) <= 90) & (number >= 0)
        rows = np.flatnonzero(valid)
        rows = rows[np.lexsort((number[rows], code[rows]))]
        start = np.searchsorted(code[rows], np.arange(len(encoded.dictionary) + 1)).astype(np.int64)
        distance = number_of(table, "shape_dist_traveled").astype(np.float32)
        texts = np.array(encoded.dictionary.to_pylist(), dtype=object)
        return Shapes(texts, start, lon[rows], lat[rows], distance[rows]), encoded.dictionary

    def _frequencies(self, trip_ids: pa.Array) -> Frequencies:
        table = self._table("frequencies.txt")
        trip = rows_of(column_of(table, "trip_id"), trip_ids)
        start, end = seconds_of(column_of(table, "start_time")), seconds_of(column_of(table, "end_time"))
        headway = whole_of(table, "headway_secs", None, 0)
        exact = whole_of(table, "exact_times", range(2), 0) == 1
        valid = (trip >= 0) & (start >= 0) & (end > start) & (headway > 0) & (headway < 86_400)
        self.faults.add_rows(
            np.flatnonzero(~valid),
            lambda row: Fault(
                "row-left-out", "Its trip is unknown, or its times and headway are none.", "frequencies.txt", row + 2
            ),
        )
        return Frequencies(trip, start, end, headway.astype(np.int32), exact).take(valid)

    def _transfers(self, stop_ids: pa.Array, route_ids: pa.Array, trip_ids: pa.Array) -> Transfers:
        table = self._table("transfers.txt")
        kinds = (("stop_id", stop_ids), ("route_id", route_ids), ("trip_id", trip_ids))
        columns: list[NDArray[np.int32]] = []
        valid = np.ones(table.num_rows, bool)
        for name, ids in kinds:
            for side in ("from", "to"):
                field = f"{side}_{name}"
                row = rows_of(column_of(table, field), ids)
                valid &= (row >= 0) | (text_of(table, field) == "")
                columns.append(row)
        kind = whole_of(table, "transfer_type", range(6), RECOMMENDED)
        least = whole_of(table, "min_transfer_time", None, NO_TIME)
        of_trips = kind >= 4
        valid &= np.where(of_trips, (columns[4] >= 0) & (columns[5] >= 0), (columns[0] >= 0) & (columns[1] >= 0))
        self.faults.add_rows(
            np.flatnonzero(~valid),
            lambda row: Fault(
                "unknown-reference",
                "It names a stop, route or trip that is in no other file.",
                "transfers.txt",
                row + 2,
            ),
        )
        kinds_and_times = kind.astype(np.int8), np.minimum(least, 86_400).astype(np.int32)
        a, b, c, d, e, f = columns
        return Transfers(a, b, c, d, e, f, *kinds_and_times).take(valid)

    def _pathways(self, stop_ids: pa.Array, level: NDArray[np.float64]) -> Pathways:
        table = self._table("pathways.txt")
        first, last = (
            rows_of(column_of(table, "from_stop_id"), stop_ids),
            rows_of(column_of(table, "to_stop_id"), stop_ids),
        )
        kind = whole_of(table, "pathway_mode", range(1, 8), 1)
        level_change = level[np.maximum(last, 0)] - level[np.maximum(first, 0)] if table.num_rows else np.zeros(0)
        seconds = pathway_seconds(table, kind, level_change)
        valid = (first >= 0) & (last >= 0) & (seconds >= 0) & (seconds < 7200)
        self.faults.add_rows(
            np.flatnonzero(~valid),
            lambda row: Fault("unknown-reference", "It joins a stop that is not there.", "pathways.txt", row + 2),
        )
        both = whole_of(table, "is_bidirectional", range(2), 0) == 1
        whole = np.nan_to_num(np.rint(seconds)).astype(np.int32)
        return Pathways(first, last, kind.astype(np.int8), both, whole).take(valid)

    def _info(self) -> dict[str, str]:
        table = self._table("feed_info.txt")
        return {} if table.num_rows == 0 else {name: table[name][0].as_py() or "" for name in table.column_names}


WANTED = {
    "shapes.txt": "routes are drawn straight from stop to stop",
    "transfers.txt": "changes take the walk between stops",
    "feed_info.txt": "nothing says until when the feed holds",
}
"""What it means that a file is missing; of others it means nothing."""
EXTENDED = {1: 2, 2: 3, 4: 1, 5: 1, 6: 1, 7: 3, 8: 11, 9: 0, 10: 4, 11: 3, 12: 4, 13: 6, 14: 7, 15: 3}
"""Kinds of route of the hundreds that many feeds use."""
