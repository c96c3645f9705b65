"""The files and fields of GTFS Schedule that Awl reads, as the specification of 2025 has them."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class FileFields:
    """Fields of a file: those that must be there, and others that are read.

    `most_rows` is the most rows it may have.
    """

    required: tuple[str, ...]
    optional: tuple[str, ...] = ()
    most_rows: int = 1_000_000

    @property
    def all(self) -> tuple[str, ...]:
        """All fields that are read."""
        return self.required + self.optional


FILES = {
    "agency.txt": FileFields(("agency_name", "agency_url", "agency_timezone"), ("agency_id",), 10_000),
    "stops.txt": FileFields(
        ("stop_id",),
        (
            "stop_name", "stop_lat", "stop_lon", "location_type", "parent_station", "wheelchair_boarding", "platform_code",
            "level_id",
        ),
    ),
    "routes.txt": FileFields(
        ("route_id", "route_type"),
        ("agency_id", "route_short_name", "route_long_name", "route_color", "route_text_color"),
        200_000,
    ),
    "trips.txt": FileFields(
        ("route_id", "service_id", "trip_id"),
        ("trip_headsign", "direction_id", "block_id", "shape_id", "wheelchair_accessible", "bikes_allowed"),
        4_000_000,
    ),
    "stop_times.txt": FileFields(
        ("trip_id", "stop_id", "stop_sequence"),
        ("arrival_time", "departure_time", "pickup_type", "drop_off_type", "shape_dist_traveled"),
        40_000_000,
    ),
    "calendar.txt": FileFields(
        (
            "service_id", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday", "start_date",
            "end_date",
        ),
        (),
        500_000,
    ),
    "calendar_dates.txt": FileFields(("service_id", "date", "exception_type"), (), 5_000_000),
    "frequencies.txt": FileFields(("trip_id", "start_time", "end_time", "headway_secs"), ("exact_times",), 500_000),
    "transfers.txt": FileFields(
        (),
        (
            "from_stop_id", "to_stop_id", "from_route_id", "to_route_id", "from_trip_id", "to_trip_id", "transfer_type",
            "min_transfer_time",
        ),
    ),
    "pathways.txt": FileFields(
        ("pathway_id", "from_stop_id", "to_stop_id", "pathway_mode", "is_bidirectional"),
        ("length", "traversal_time", "stair_count"),
    ),
    "levels.txt": FileFields(("level_id", "level_index"), ("level_name",), 100_000),
    "shapes.txt": FileFields(
        ("shape_id", "shape_pt_lat", "shape_pt_lon", "shape_pt_sequence"), ("shape_dist_traveled",), 40_000_000
    ),
    "feed_info.txt": FileFields(
        ("feed_publisher_name", "feed_publisher_url", "feed_lang"), ("feed_start_date", "feed_end_date", "feed_version"), 10
    ),
}  # fmt: skip
"""By the name of the file."""
REQUIRED = ("agency.txt", "stops.txt", "routes.txt", "trips.txt", "stop_times.txt")
"""Files that every feed has; beside them `calendar.txt`, `calendar_dates.txt` or both."""
CALENDARS = ("calendar.txt", "calendar_dates.txt")
