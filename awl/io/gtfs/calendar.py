"""On which days services run: weeks of `calendar.txt`, and the single days of `calendar_dates.txt`."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.transit.feed_faults import Fault, Faults
from awl.io.gtfs.clock import days_of
from awl.io.gtfs.source import Source
from awl.io.gtfs.specification import CALENDARS

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
MOST_DAYS = 366 * 10
"""A calendar that is longer is cut: it holds a slip of the pen."""
ADDED, REMOVED = "1", "2"


def calendar_of(
    source: Source, faults: Faults, rows: dict[str, int]
) -> tuple[NDArray[np.object_], np.datetime64, NDArray[np.bool_]]:
    """Ids (d,) of the services, the first day, and on which days (d, days) from then on each runs.

    Parameters:
        source: the files of the feed.
        faults: what is added to.
        rows: gets how many rows the files have.

    Raises:
        AwlError: the feed has no calendar, or no day in it.
    """
    if not source.files & set(CALENDARS):
        raise AwlError(
            "The feed has neither calendar.txt nor calendar_dates.txt",
            where=source.name,
            remedy="One of them says on which days it runs",
        )
    weeks, single = (source.table(name) for name in CALENDARS)
    rows.update(
        {name: table.num_rows for name, table in zip(CALENDARS, (weeks, single), strict=True) if name in source.files}
    )
    first, last, day = days_of(weeks["start_date"]), days_of(weeks["end_date"]), days_of(single["date"])
    for file, bad in (("calendar.txt", np.isnat(first) | np.isnat(last)), ("calendar_dates.txt", np.isnat(day))):
        for row in np.flatnonzero(bad).tolist():
            faults.add(Fault("row-left-out", "It holds no date.", file, row + 2))
    known = np.concatenate([first, last, day])
    known = known[~np.isnat(known)]
    if len(known) == 0:
        raise AwlError("The calendar of the feed has no day", where=source.name, remedy="Check calendar.txt")
    begin = _begin(known)
    count = int((known.max() - begin).astype(int)) + 1
    ids = pc.unique(
        pa.chunked_array([*weeks["service_id"].chunks, *single["service_id"].chunks], pa.string()).drop_null()
    )
    row_of = {name: row for row, name in enumerate(ids.to_pylist())}
    active = np.zeros((len(row_of), min(count, MOST_DAYS)), bool)
    all_days = begin + np.arange(active.shape[1])
    weekday = (all_days.astype("datetime64[D]").astype(int) + 3) % 7
    runs = np.stack([pc.equal(weeks[name], "1").fill_null(False).to_numpy() for name in WEEKDAYS], axis=1)
    for row, service in enumerate(weeks["service_id"].to_pylist()):
        if service is not None and not np.isnat(first[row]) and not np.isnat(last[row]):
            active[row_of[service]] |= runs[row][weekday] & (all_days >= first[row]) & (all_days <= last[row])
    for service, date, kind in zip(
        single["service_id"].to_pylist(), day, single["exception_type"].to_pylist(), strict=True
    ):
        nth = -1 if np.isnat(date) else int((date - begin).astype(int))
        if service is not None and 0 <= nth < active.shape[1] and kind in (ADDED, REMOVED):
            active[row_of[service], nth] = kind == ADDED
    return np.array(list(row_of), dtype=object).reshape(-1), begin, active


def _begin(known: NDArray[np.datetime64]) -> np.datetime64:
    """The first day, not longer before the last than a calendar is."""
    return np.datetime64(max(known.min(), known.max() - MOST_DAYS + 1), "D")
