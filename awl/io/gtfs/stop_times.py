"""Read `stop_times.txt`, the one large file of a feed: streamed, and checked trip by trip in a compiled loop."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numba import njit
from numpy.typing import NDArray

from awl.core.progress import Progress
from awl.core.transit.feed import StopTimes
from awl.core.transit.feed_faults import Fault, Faults
from awl.io.gtfs.clock import MALFORMED, NONE, seconds_of
from awl.io.gtfs.source import Source

FINE, BACKWARDS, NO_ENDS, TOO_FEW = range(4)
LATEST_S = 7 * 86_400
"""No trip takes longer than a week."""


@dataclass(frozen=True)
class Calls:
    """The calls of all trips, offsets (t + 1,) at which those of each begin, and how many `rows` the file has."""

    stop_times: StopTimes
    trip_start: NDArray[np.int64]
    rows: int


def calls_of(
    source: Source,
    ids: tuple[pa.Array, pa.Array],
    place: tuple[NDArray[np.float64], NDArray[np.float64]],
    faults: Faults,
    progress: Progress,
) -> Calls:
    """The calls of trips in order; times that are not given lie between those that are, by distance.

    Parameters:
        source: the files of the feed.
        ids: ids of trips and of stops.
        place: longitude and latitude (s,) of the stops.
        faults: what is added to.
        progress: is told how far the work is, and stops it.
    """
    parts, rows = [], 0
    for batch in source.batches("stop_times.txt"):
        parts.append(_columns(batch, ids, rows, faults))
        rows += batch.num_rows
        progress.step(rows / (rows + 1_000_000), f"{rows:,} stop times")
    names = ("trip", "stop", "sequence", "arrival", "departure", "pickup", "drop_off", "distance", "line")
    column: dict[str, NDArray[Any]] = {
        name: np.concatenate([part[name] for part in parts]) if parts else np.zeros(0, np.int32) for name in names
    }
    trips = len(ids[0])
    order = _order(column["trip"], column["sequence"])
    if order is not None:
        column = {name: values[order] for name, values in column.items()}
    start = np.searchsorted(column["trip"], np.arange(trips + 1)).astype(np.int64)
    state = np.zeros(trips, np.int8)
    _complete(start, column["stop"], column["arrival"], column["departure"], column["distance"], *place, state)
    _tell(state, start, column, ids[0], faults)
    fine = state == FINE
    chosen = fine[column["trip"]] if len(column["trip"]) else np.zeros(0, bool)
    fields = ("stop", "arrival", "departure", "pickup", "drop_off", "distance")
    counts = np.where(fine, np.diff(start), 0)
    return Calls(
        StopTimes(*(column[name][chosen] for name in fields)),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        rows,
    )


def _columns(
    batch: pa.RecordBatch, ids: tuple[pa.Array, pa.Array], before: int, faults: Faults
) -> dict[str, NDArray[Any]]:
    """Some rows as numbers; those that cannot be used are told of and left out."""
    count = batch.num_rows
    trip, stop = (_rows(batch.column(name), known) for name, known in zip(("trip_id", "stop_id"), ids, strict=True))
    sequence = _whole(batch, "stop_sequence", -1, 2**31 - 1)
    arrival, departure = (
        seconds_of(batch.column(name)) if name in batch.schema.names else np.full(count, NONE, np.int32)
        for name in ("arrival_time", "departure_time")
    )
    wrong_time = (arrival == MALFORMED) | (departure == MALFORMED) | (arrival > LATEST_S) | (departure > LATEST_S)
    line = np.arange(before + 2, before + 2 + count)
    usable = (trip >= 0) & (stop >= 0) & (sequence >= 0) & ~wrong_time
    for mask, text in (
        (trip < 0, "The trip_id '{}' is not in trips.txt, or its trip was left out."),
        (stop < 0, "The stop_id '{}' is not in stops.txt."),
    ):
        name = "trip_id" if "trip_id" in text else "stop_id"
        faults.add_rows(
            np.flatnonzero(mask),
            lambda row, name=name, text=text: Fault(  # type: ignore[misc]
                "unknown-reference",
                text.format(batch.column(name)[row].as_py() or ""),
                "stop_times.txt",
                int(line[row]),
            ),
        )
    faults.add_rows(
        np.flatnonzero((trip >= 0) & (stop >= 0) & ~usable),
        lambda row: Fault(
            "row-left-out",
            "Its stop_sequence is no number or a time is not written as 8:05:00.",
            "stop_times.txt",
            int(line[row]),
        ),
    )
    columns: dict[str, NDArray[Any]] = {
        "trip": trip, "stop": stop, "sequence": sequence, "arrival": arrival, "departure": departure,
        "pickup": _whole(batch, "pickup_type", 0, 3).astype(np.int8),
        "drop_off": _whole(batch, "drop_off_type", 0, 3).astype(np.int8),
        "distance": _float(batch, "shape_dist_traveled").astype(np.float32), "line": line,
    }  # fmt: skip
    return columns if usable.all() else {name: values[usable] for name, values in columns.items()}


def _rows(column: pa.Array, ids: pa.Array) -> NDArray[np.int32]:
    """The row of each text among ids: looked up once for each that differs."""
    encoded = column.dictionary_encode()
    row = pc.index_in(pc.utf8_trim_whitespace(encoded.dictionary), value_set=ids).fill_null(-1)
    at = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    known = np.append(row.to_numpy(zero_copy_only=False), -1).astype(np.int32)
    result: NDArray[np.int32] = known[at]
    return result


def _whole(batch: pa.RecordBatch, name: str, missing: int, most: int) -> NDArray[np.int64]:
    values = _float(batch, name)
    valid = np.isfinite(values) & (values >= 0) & (values <= most)
    return np.where(valid, np.where(valid, values, 0), missing).astype(np.int64)


def _float(batch: pa.RecordBatch, name: str) -> NDArray[np.float64]:
    """Numbers of a column, NaN where there is none."""
    if name not in batch.schema.names:
        return np.full(batch.num_rows, np.nan)
    column = batch.column(name)
    try:
        numbers = column.cast(pa.float64())
    except pa.ArrowInvalid:
        texts = pc.utf8_trim_whitespace(column)
        numeric = pc.match_substring_regex(texts, r"^[0-9]{1,15}(\.[0-9]{0,15})?$")
        numbers = pc.if_else(numeric, texts, pa.scalar(None, pa.string())).cast(pa.float64())
    values: NDArray[np.float64] = numbers.fill_null(np.nan).to_numpy(zero_copy_only=False)
    return values


def _order(trip: NDArray[np.int32], sequence: NDArray[np.int64]) -> NDArray[np.int64] | None:
    """The order by trip and sequence, None where rows are in it."""
    same = trip[1:] == trip[:-1]
    if ((trip[1:] > trip[:-1]) | (same & (sequence[1:] > sequence[:-1]))).all():
        return None
    return np.lexsort((sequence, trip))


@njit(cache=True, nogil=True)
def _complete(start, stop, arrival, departure, distance, lon, lat, state):
    """Fill in times that are not given, and say of each trip whether it can be used."""
    for trip in range(len(start) - 1):
        begin, end = start[trip], start[trip + 1]
        if end - begin < 2:
            state[trip] = TOO_FEW
            continue
        for call in range(begin, end):
            if arrival[call] < 0:
                arrival[call] = departure[call]
            elif departure[call] < 0:
                departure[call] = arrival[call]
        if arrival[begin] < 0 or arrival[end - 1] < 0:
            state[trip] = NO_ENDS
            continue
        known = begin
        for call in range(begin + 1, end):
            if arrival[call] < 0:
                continue
            if call > known + 1:
                _between(known, call, stop, arrival, departure, distance, lon, lat)
            known = call
        for call in range(begin, end):
            late = call > begin and arrival[call] < departure[call - 1]
            if late or departure[call] < arrival[call]:
                state[trip] = BACKWARDS


@njit(cache=True, nogil=True)
def _between(first, last, stop, arrival, departure, distance, lon, lat):
    """Times of the calls between two whose times are known: by distance along the shape, or else straight from stop to stop."""
    by_shape = distance[last] > distance[first]
    for call in range(first, last):
        by_shape = by_shape and distance[call + 1] >= distance[call]
    way = np.zeros(last - first + 1)
    for call in range(first + 1, last + 1):
        if by_shape:
            way[call - first] = distance[call] - distance[first]
            continue
        a, b = stop[call - 1], stop[call]
        dx = (lon[b] - lon[a]) * np.cos(np.radians(lat[a]))
        step = np.hypot(dx, lat[b] - lat[a])
        way[call - first] = way[call - first - 1] + (step if np.isfinite(step) else 0.0)
    if way[-1] <= 0:
        way = np.arange(last - first + 1).astype(np.float64)
    took = arrival[last] - departure[first]
    for call in range(first + 1, last):
        at = departure[first] + np.int64(np.rint(took * way[call - first] / way[-1]))
        arrival[call], departure[call] = at, at


def _tell(
    state: NDArray[np.int8],
    start: NDArray[np.int64],
    column: dict[str, NDArray[Any]],
    trip_ids: pa.Array,
    faults: Faults,
) -> None:
    """Add the trips that are left out, each at its first call, and one whose times run backwards where they do."""
    for trip in np.flatnonzero(state != FINE).tolist():
        rows = np.arange(start[trip], start[trip + 1])
        ident = trip_ids[trip].as_py()
        line = int(column["line"][rows[0]]) if len(rows) else 0
        if state[trip] == TOO_FEW:
            called = f"calls at {len(rows)} stop" if len(rows) else "calls at no stop"
            faults.add(Fault("one-call", f"Trip {ident} {called}.", "stop_times.txt", line))
        elif state[trip] == NO_ENDS:
            faults.add(
                Fault("row-left-out", f"Trip {ident} has no time at its first or last stop.", "stop_times.txt", line)
            )
        else:
            arrival, departure = column["arrival"][rows], column["departure"][rows]
            wrong = (departure < arrival) | np.append(False, arrival[1:] < departure[:-1])
            at = int(np.flatnonzero(wrong)[0])
            text = f"Trip {ident} leaves or arrives at its call {at + 1} before it can have come there."
            faults.add(Fault("backwards", text, "stop_times.txt", int(column["line"][rows[at]])))
