"""How many trips are made at once: all legs in one search, then summed up by trip and by street."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.geodesy import segment_lengths
from awl.core.graph.shapes import cut_lines, joined_lines
from awl.core.routing.cch.paths import PathBatch
from awl.io.table import Column, Meaning, Table
from awl.questions import static_speeds
from awl.questions.context import Context
from awl.questions.on_the_way import findings_on
from awl.questions.results import Doubt, Result
from awl.questions.trips.ends import Asked, along_lines, by_pairing
from awl.questions.trips.inputs import TripsInputs
from awl.questions.trips.rides import RidesResult, run_rides
from awl.questions.trips.rows import end_columns, lost_doubts, lost_table, off_street_reason, sampled_doubts


@dataclass(frozen=True)
class TripTotals:
    """Trips (k,) that were asked for, in s and m; NaN where there is no way, with the reason of each such trip."""

    duration_s: NDArray[np.float64]
    distance_m: NDArray[np.float64]
    straight_m: NDArray[np.float64]
    reason: dict[int, str]

    @property
    def done(self) -> NDArray[np.int64]:
        """Rows of the trips that have a way."""
        return np.flatnonzero(np.isfinite(self.duration_s))

    @property
    def lost(self) -> NDArray[np.int64]:
        """Rows of those that have none."""
        return np.flatnonzero(~np.isfinite(self.duration_s))


@dataclass
class TripsResult(Result):
    """Many trips.

    Attributes:
        mode: the title of the mode.
        words: from where to where they lead.
        count: how many were asked for.
        minutes: time (t,) of those with a path.
        most_on_a_street: trips on the busiest street, and what that is called.
    """

    mode: str
    words: str
    count: int
    minutes: NDArray[np.float64]
    most_on_a_street: tuple[int, str]


def run_trips(inputs: TripsInputs, context: Context) -> TripsResult | RidesResult:
    """Every trip by itself, and what they put on the streets together."""
    if inputs.lines is not None:
        asked = along_lines(context, inputs.lines, inputs.most)
    else:
        assert inputs.from_ is not None and inputs.to is not None
        asked = by_pairing(context, (inputs.from_, inputs.to), inputs.pairing, inputs.measure, inputs.most)
    if context.transit is not None:
        return run_rides(inputs, context, asked)
    paths = context.street_router.trips(
        asked.snapped.take(asked.leg_from), asked.snapped.take(asked.leg_to), inputs.measure,
        progress=context.progress.part(0.35, 0.9),
    )  # fmt: skip
    context.progress.step(0.9, "Summing up")
    totals = _totals(asked, paths, context, inputs.measure)
    load = _load(asked, paths, totals, context)
    on_link = load.sum(axis=1)
    untouched = np.flatnonzero(context.network.usable & (on_link == 0))
    done = totals.done
    minutes = totals.duration_s[done] / 60
    metres, seconds = float(totals.distance_m[done].sum()), float(totals.duration_s[done].sum())
    busiest = int(np.argmax(on_link)) if len(load) else 0
    return TripsResult(
        summary={
            "trips": len(asked),
            "trips_with_a_way": len(done),
            "trips_unreachable": len(asked) - len(done),
            "invalid": len(asked.invalid),
            "total_distance_km": round(metres / 1000, 3),
            "total_duration_h": round(seconds / 3600, 3),
            "mean_duration_min": round(float(minutes.mean()), 3) if len(done) else None,
            "mean_distance_m": round(float(totals.distance_m[done].mean()), 1) if len(done) else None,
            "mean_speed_kmh": round(metres / max(seconds, 1e-9) * 3.6, 2) if len(done) else None,
            "streets_touched": int((on_link > 0).sum()),
            "streets_untouched": len(untouched),
        },
        parts={
            "paths": lambda: _paths(asked, paths, totals, context),
            "trips": _rows(asked, totals),
            "unreachable": lost_table(asked, totals.lost, totals.reason),
            "invalid": Table.of_records(asked.invalid),
            "load": lambda: _streets(context, load, np.flatnonzero(on_link > 0)),
            "untouched": lambda: _streets(context, load, untouched),
            "places": context.place_table(asked.stops, asked.snapped),
        },
        doubts=_doubts(inputs, context, asked, totals)
        + findings_on(context.study, np.flatnonzero(on_link > 0), "on the streets of these trips"),
        method=[
            *context.notes,
            *static_speeds.of_pairs(
                context, inputs.measure, asked.snapped, asked.snapped, (asked.leg_from, asked.leg_to)
            ),
            "Every trip takes the best way for itself; streets do not fill up.",
            "A street counts a trip that passes any part of it.",
        ],
        mode=context.mode.title,
        words=asked.words,
        count=len(asked),
        minutes=minutes,
        most_on_a_street=(int(on_link.max(initial=0)), context.street_name(busiest)),
    )


def _totals(asked: Asked, paths: PathBatch, context: Context, measure: str) -> TripTotals:
    """Legs summed up by trip; a trip lacks a way when one of its legs does."""
    lost = np.add.reduceat(paths.cost < 0, asked.first[:-1]) > 0
    cost, accumulated = (
        np.add.reduceat(np.maximum(of, 0), asked.first[:-1]) / 1000 for of in (paths.cost, paths.accumulated)
    )
    duration, distance = (cost, accumulated) if measure == "time" else (accumulated, cost)
    duration = duration + context.network.terminal_time("time") / 1000
    begin, end = asked.leg_from, asked.leg_to
    lon, lat = asked.stops.lon, asked.stops.lat
    straight = np.add.reduceat(segment_lengths(lon[begin], lat[begin], lon[end], lat[end]), asked.first[:-1])
    because = "the closures cut every way" if context.closed_links else "one-way streets or gaps cut every way"
    reason = {trip: off_street_reason(asked, trip) or because for trip in np.flatnonzero(lost).tolist()}
    return TripTotals(np.where(lost, np.nan, duration), np.where(lost, np.nan, distance), straight, reason)


def _load(asked: Asked, paths: PathBatch, totals: TripTotals, context: Context) -> NDArray[np.int64]:
    """Trips over each link (m, 2), along its drawing and against it; a trip counts once for each leg that passes it."""
    path_of_arc = np.repeat(np.arange(len(paths.cost)), np.diff(paths.start))
    trip = np.searchsorted(asked.first, path_of_arc, side="right") - 1
    complete = np.isfinite(totals.duration_s)[trip]
    counted: NDArray[np.int64] = np.bincount(paths.arc[complete], minlength=2 * context.network.graph.link_count)
    return counted.reshape(-1, 2)


def _rows(asked: Asked, totals: TripTotals) -> Table:
    """One row per trip with a path."""
    done = totals.done
    seconds, metres, straight = totals.duration_s[done], totals.distance_m[done], totals.straight_m[done]
    return Table(
        None,
        {
            **end_columns(asked, done),
            "duration_s": Column.of(seconds, "s", 3, Meaning("duration")),
            "distance_m": Column.of(metres, "m", 3, Meaning("distance")),
            "duration_min": Column.of(seconds / 60, "min", 3),
            "distance_km": Column.of(metres / 1000, "km", 4),
            "mean_speed_kmh": Column.of(_ratio(metres * 3.6, seconds), "km/h", 2),
            "straight_m": Column.of(straight, "m", 1),
            "detour_factor": Column.of(_ratio(metres, straight), "", 3),
        },
    )


def _ratio(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    """A quotient, NaN over nothing."""
    return np.divide(a, b, out=np.full(len(a), np.nan), where=b > 0)


def _paths(asked: Asked, paths: PathBatch, totals: TripTotals, context: Context) -> Table:
    """The paths as lines, with the columns of the rows."""
    graph = context.network.graph
    path_of_arc = np.repeat(np.arange(len(paths.cost)), np.diff(paths.start))
    trip = np.searchsorted(asked.first, path_of_arc, side="right") - 1
    link, back = paths.arc >> 1, (paths.arc & 1) == 1
    enter, leave = np.where(back, 1.0, 0.0), np.where(back, 0.0, 1.0)
    full = np.diff(paths.start) > 0
    enter[paths.start[:-1][full]] = paths.begin[full]
    leave[paths.start[1:][full] - 1] = paths.end[full]
    lines = joined_lines(graph, link, enter, leave, trip, len(asked))
    return Table(lines[totals.done], _rows(asked, totals).columns)


def _streets(context: Context, load: NDArray[np.int64], links: NDArray[np.int64]) -> Table:
    """Streets with the trips over them."""
    graph = context.network.graph
    lines = cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links)))
    return Table(
        lines,
        {
            "link_id": graph.link_id[links],
            "name": graph.tag("name").take(links),
            "trips": Column.of(load[links].sum(axis=1), meaning=Meaning("trips")),
            "trips_along": load[links, 0],
            "trips_against": load[links, 1],
            "length_m": Column.of(graph.link_length[links], "m", 1),
        },
    )


def _doubts(inputs: TripsInputs, context: Context, asked: Asked, totals: TripTotals) -> list[Doubt]:
    doubts = context.doubts_of(asked.stops, asked.snapped) + lost_doubts(asked, totals.lost, totals.reason)
    doubts += sampled_doubts(asked, inputs.most)
    if context.when is not None and context.mode.curves:
        text = "Speeds are those of the hour at which trips begin, for the whole trip."
        doubts.append(Doubt("hour-frozen", "note", len(asked), text))
    return [*doubts, *context.doubts_of_mode()]
