"""GTFS Schedule: timetables as a zip archive or a folder of CSV files."""

from awl.io.gtfs.read import Reading, is_feed, read

__all__ = ["Reading", "is_feed", "read"]
