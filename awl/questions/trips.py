"""Many trips at once: each on its own way, and what they put on the streets together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from awl.core.geodesy import segment_lengths
from awl.core.graph.shapes import cut_lines, joined_lines
from awl.core.routing.cch.paths import Trips
from awl.core.routing.snapping import STATUS
from awl.io import geojson
from awl.io.table import Layer
from awl.questions import frozen_hour
from awl.questions.base import (
    MEASURE_WORDS,
    Answer,
    Column,
    Doubt,
    FeatureSet,
    Figure,
    Json,
    Question,
    SharedInputs,
    slot,
)
from awl.questions.charts import histogram
from awl.questions.context import Context
from awl.questions.trip_ends import Asked, along_lines, by_pairing

MOST = 200_000


class TripsInputs(SharedInputs):
    """Inputs of `trips`."""

    from_: FeatureSet | None = Field(
        None, alias="from", description="Where trips begin.", json_schema_extra=slot("place", "From")
    )
    to: FeatureSet | None = Field(None, description="Where trips end.", json_schema_extra=slot("place", "To"))
    pairing: Literal["nearest", "each", "id"] = Field(
        "nearest",
        description="Each start to the nearest end, to each end, or to the end of the same id.",
        json_schema_extra=slot(
            "way", "Pairs", words={"nearest": "the nearest of", "each": "each of", "id": "that of the same id among"}
        ),
    )
    lines: FeatureSet | None = Field(
        None,
        description="Lines instead of 'from' and 'to': a trip from the first vertex over those between to the last.",
        json_schema_extra=slot("place", "Lines"),
    )
    measure: Literal["time", "distance"] = Field(
        "time", description="What is least.", json_schema_extra=slot("way", "Least", words=MEASURE_WORDS)
    )
    most: int = Field(
        10_000,
        ge=1,
        le=MOST,
        description="How many trips are made; of more, a sample spread evenly is taken.",
        json_schema_extra=slot("amount", "At most"),
    )

    @model_validator(mode="after")
    def _ends_or_lines(self) -> TripsInputs:
        if (self.lines is None) == (self.from_ is None or self.to is None):
            raise ValueError("Give 'from' and 'to', or 'lines'")
        return self


@dataclass(frozen=True)
class Made:
    """Trips (k,) that were asked for, in s and m; NaN where there is no way, with the reason."""

    duration_s: NDArray[np.float64]
    distance_m: NDArray[np.float64]
    straight_m: NDArray[np.float64]
    reason: list[str]

    @property
    def done(self) -> NDArray[np.int64]:
        """Rows of the trips that have a way."""
        return np.flatnonzero(np.isfinite(self.duration_s))


class TripsQuestion(Question):
    """The trips question."""

    id = "trips"
    title = "Trips"
    description = "Many trips at once: each on its own way, with their load on the streets."
    opening = "Which ways"
    sentences = [
        ({"from": None}, "Which ways does a {mode} take along {lines}, {measure}, {most}?"),
        ({}, "Which ways does a {mode} take from {from} to {pairing} {to}, {measure}, {most}?"),
    ]
    Inputs = TripsInputs
    needs_hierarchy = True
    outputs = {
        "paths": "One LineString feature per trip with time, distance, mean speed and detour factor, GeoJSON",
        "trips": "The same without geometry, as rows",
        "unreachable": "Trips without a way: attributes of the start, no geometry, the reason, GeoJSON",
        "invalid": "Input features that are no place or no line, with the reason, as rows",
        "load": "Streets with the number of trips over them, along and against their drawing, GeoJSON",
        "untouched": "Usable streets no trip takes, GeoJSON",
        "places": "The starts and ends with their distance to the street, GeoJSON",
    }

    @classmethod
    def answer(cls, inputs: TripsInputs, context: Context) -> Answer:
        """All legs in one search, then summed up by trip and by street."""
        if inputs.lines is not None:
            asked = along_lines(context, inputs.lines, inputs.most)
        else:
            assert inputs.from_ is not None and inputs.to is not None
            asked = by_pairing(context, (inputs.from_, inputs.to), inputs.pairing, inputs.measure, inputs.most)
        legs = context.router.trips(
            asked.snapped.take(asked.leg_from), asked.snapped.take(asked.leg_to), inputs.measure,
            progress=context.progress.part(0.35, 0.9),
        )  # fmt: skip
        context.progress.step(0.9, "Summing up")
        made = _made(asked, legs, context, inputs.measure)
        load = _load(asked, legs, made, context)
        done = made.done
        rows = _rows(asked, made)
        minutes = made.duration_s[done] / 60
        speed = made.distance_m[done].sum() / max(made.duration_s[done].sum(), 1e-9) * 3.6
        busiest = int(np.argmax(load.sum(axis=1))) if len(load) else 0
        return Answer(
            title=f"{context.mode.title}, {len(asked):,} trips {asked.words}",
            summary={
                "trips": len(asked),
                "trips_with_a_way": len(done),
                "trips_unreachable": len(asked) - len(done),
                "invalid": len(asked.invalid),
                "total_distance_km": round(float(made.distance_m[done].sum()) / 1000, 3),
                "total_duration_h": round(float(minutes.sum()) / 60, 3),
                "mean_duration_min": round(float(minutes.mean()), 3) if len(done) else None,
                "mean_distance_m": round(float(made.distance_m[done].mean()), 1) if len(done) else None,
                "mean_speed_kmh": round(float(speed), 2) if len(done) else None,
                "streets_touched": int((load.sum(axis=1) > 0).sum()),
                "streets_untouched": int((context.network.usable & (load.sum(axis=1) == 0)).sum()),
            },
            figures=[
                Figure(len(done), "", "trips with a way"),
                Figure(round(float(minutes.mean()), 1) if len(done) else None, "min", "mean time of a trip"),
                Figure(int(load.sum(axis=1).max(initial=0)), "", f"trips on {context.street_name(busiest)}, the most"),
            ],
            doubts=_doubts(inputs, context, asked, made),
            method=[
                *context.notes,
                *frozen_hour.of_pairs(
                    context, inputs.measure, asked.snapped, asked.snapped, (asked.leg_from, asked.leg_to)
                ),
                "Every trip takes the best way for itself; streets do not fill up.",
                "A street counts a trip that passes any part of it.",
            ],
            parts={
                "paths": lambda: _paths(asked, legs, made, context),
                "trips": rows,
                "unreachable": _unreachable(asked, made),
                "invalid": asked.invalid,
                "load": lambda: _streets(context, load, np.flatnonzero(load.sum(axis=1) > 0)),
                "untouched": lambda: _streets(
                    context, load, np.flatnonzero(context.network.usable & (load.sum(axis=1) == 0))
                ),
                "places": context.place_features(asked.stops, asked.snapped, {}),
            },
            table=(
                "trips",
                [
                    Column("origin", "From"),
                    Column("destination", "To"),
                    Column("duration_min", "Time", "min", 1),
                    Column("distance_km", "Distance", "km", 2),
                    Column("mean_speed_kmh", "Speed", "km/h", 1),
                    Column("detour_factor", "Detour", "", 2),
                ],
            ),
            chart=histogram(minutes, "Trips"),
        )


def _made(asked: Asked, legs: Trips, context: Context, measure: str) -> Made:
    """Legs summed up by trip; a trip lacks a way when one of its legs does."""
    lost = np.add.reduceat(legs.cost < 0, asked.first[:-1]) > 0
    cost, carried = (np.add.reduceat(np.maximum(of, 0), asked.first[:-1]) / 1000 for of in (legs.cost, legs.carried))
    duration, distance = (cost, carried) if measure == "time" else (carried, cost)
    duration = duration + context.network.overhead("time") / 1000
    begin, end = asked.leg_from, asked.leg_to
    lon, lat = asked.stops.lon, asked.stops.lat
    straight = np.add.reduceat(segment_lengths(lon[begin], lat[begin], lon[end], lat[end]), asked.first[:-1])
    because = "the closures cut every way" if context.closed_links else "one-way streets or gaps cut every way"
    reason = [""] * len(asked)
    for trip in np.flatnonzero(lost).tolist():
        stops = [*range(int(asked.first[trip]), int(asked.first[trip + 1]))]
        rows = [*asked.leg_from[stops].tolist(), int(asked.leg_to[stops[-1]])]
        off = next((row for row in rows if not asked.snapped.found[row]), None)
        reason[trip] = because if off is None else f"{asked.stops.names[off]} is {STATUS[asked.snapped.status[off]]}"
    return Made(np.where(lost, np.nan, duration), np.where(lost, np.nan, distance), straight, reason)


def _load(asked: Asked, legs: Trips, made: Made, context: Context) -> NDArray[np.int64]:
    """Trips over each link (m, 2), along its drawing and against it; a trip counts once for each leg that passes it."""
    leg = np.repeat(np.arange(len(legs.cost)), np.diff(legs.start))
    trip = np.searchsorted(asked.first, leg, side="right") - 1
    whole = np.isfinite(made.duration_s)[trip]
    counted: NDArray[np.int64] = np.bincount(legs.arc[whole], minlength=2 * context.network.graph.link_count)
    return counted.reshape(-1, 2)


def _rows(asked: Asked, made: Made) -> list[Json]:
    """One row per trip with a way."""
    done = made.done
    begin, end = asked.begin[done], asked.end[done]
    off = asked.snapped.distance_m
    columns: dict[str, list[Any]] = {
        "trip": (done + 1).tolist(),
        "origin_id": [asked.stops.ids[i] for i in begin],
        "destination_id": [asked.stops.ids[i] for i in end],
        "origin": [asked.stops.names[i] for i in begin],
        "destination": [asked.stops.names[i] for i in end],
        "duration_s": np.round(made.duration_s[done], 3).tolist(),
        "distance_m": np.round(made.distance_m[done], 3).tolist(),
        "duration_min": np.round(made.duration_s[done] / 60, 3).tolist(),
        "distance_km": np.round(made.distance_m[done] / 1000, 4).tolist(),
        "mean_speed_kmh": _ratio(made.distance_m[done] * 3.6, made.duration_s[done], 2),
        "straight_m": np.round(made.straight_m[done], 1).tolist(),
        "detour_factor": _ratio(made.distance_m[done], made.straight_m[done], 3),
        "origin_row": begin.tolist(),
        "destination_row": end.tolist(),
        "origin_street_m": np.round(off[begin], 1).tolist(),
        "destination_street_m": np.round(off[end], 1).tolist(),
    }
    return [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]


def _ratio(a: NDArray[np.float64], b: NDArray[np.float64], digits: int) -> list[float | None]:
    return [round(x / y, digits) if y > 0 else None for x, y in zip(a.tolist(), b.tolist(), strict=True)]


def _paths(asked: Asked, legs: Trips, made: Made, context: Context) -> Json:
    """The ways as lines, with the columns of the rows."""
    graph = context.network.graph
    leg = np.repeat(np.arange(len(legs.cost)), np.diff(legs.start))
    trip = np.searchsorted(asked.first, leg, side="right") - 1
    link, back = legs.arc >> 1, (legs.arc & 1) == 1
    enter, leave = np.where(back, 1.0, 0.0), np.where(back, 0.0, 1.0)
    full = np.diff(legs.start) > 0
    enter[legs.start[:-1][full]] = legs.begin[full]
    leave[legs.start[1:][full] - 1] = legs.end[full]
    lines = joined_lines(graph, link, enter, leave, trip, len(asked))
    rows = _rows(asked, made)
    columns = {key: [row[key] for row in rows] for key in (rows[0] if rows else {})}
    return geojson.collection(Layer(lines[made.done], columns))


def _unreachable(asked: Asked, made: Made) -> Json:
    """Trips without a way: the attributes of the feature they begin with, and why."""
    features = []
    for trip in np.flatnonzero(~np.isfinite(made.duration_s)).tolist():
        begin, end = int(asked.begin[trip]), int(asked.end[trip])
        row = begin if begin < len(asked.stops.layer) else None
        own = {} if row is None else {key: values[row] for key, values in asked.stops.layer.columns.items()}
        properties = {
            **own,
            "trip": trip + 1,
            "origin_id": asked.stops.ids[begin],
            "destination_id": asked.stops.ids[end],
            "origin": asked.stops.names[begin],
            "destination": asked.stops.names[end],
            "reason": made.reason[trip],
        }
        features.append({"type": "Feature", "properties": properties, "geometry": None})
    return {"type": "FeatureCollection", "features": features}


def _streets(context: Context, load: NDArray[np.int64], links: NDArray[np.int64]) -> Json:
    """Streets with the trips over them."""
    graph = context.network.graph
    lines = cut_lines(graph, links.astype(np.int32), np.zeros(len(links)), np.ones(len(links)))
    columns: dict[str, list[Any]] = {
        "link_id": graph.link_id[links].tolist(),
        "name": graph.tag("name").take(links).decode(),
        "trips": load[links].sum(axis=1).tolist(),
        "trips_along": load[links, 0].tolist(),
        "trips_against": load[links, 1].tolist(),
        "length_m": np.round(graph.link_length[links], 1).tolist(),
    }
    return geojson.collection(Layer(lines, columns))


def _doubts(inputs: TripsInputs, context: Context, asked: Asked, made: Made) -> list[Doubt]:
    doubts = context.doubts_of(asked.stops, asked.snapped)
    lost = len(asked) - len(made.done)
    if lost:
        first = int(np.flatnonzero(~np.isfinite(made.duration_s))[0])
        text = f"{lost:,} of {len(asked):,} trips have no way, the first because {made.reason[first]}."
        doubts.append(Doubt("trips-unreachable", "warning", lost, text))
    if asked.invalid:
        text = f"{len(asked.invalid):,} features left out: {asked.invalid[0]['reason']}."
        doubts.append(Doubt("features-invalid", "warning", len(asked.invalid), text))
    if len(asked) == inputs.most:
        text = f"At most {inputs.most:,} trips are made; where there are more, these are a sample spread evenly."
        doubts.append(Doubt("trips-sampled", "note", len(asked), text))
    if context.when is not None and context.mode.curves:
        text = "Speeds are those of the hour at which trips begin, for the whole trip."
        doubts.append(Doubt("hour-frozen", "note", len(asked), text))
    return [*doubts, *context.doubts_of_mode()]
