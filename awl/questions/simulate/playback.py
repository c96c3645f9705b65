"""What is played on the map: everybody's way with times, and how full places are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import NEVER, STATES
from awl.core.analysis.simulation.moving import Passages
from awl.core.analysis.simulation.passing import NEVER as NOT_AT_ALL
from awl.core.analysis.simulation.riding import shapes_with
from awl.core.analysis.simulation.tracks import Tracks
from awl.core.graph.shapes import Shaped
from awl.core.graph.street_graph import ragged_rows
from awl.io.table import Column, Table
from awl.questions.simulate.outcome import Clock, Contact, with_waits
from awl.questions.simulate.runs import ROOM_FOR_ALL, Run, Simulator

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
MOST_SHOWN = 20_000
"""People who are played; of more every so-manieth."""


@dataclass
class Playback:
    """A run as it is played.

    Attributes:
        run: the run.
        simulator: what made it.
        passages: who is where when.
        clock: moments at which occupancy is told.
        contact: who met whom.
        states: names of the states where something is passed on.
        room: how many each place holds (k,).
        day: the day it is played on, where the question has none any day.
    """

    run: Run
    simulator: Simulator
    passages: Passages
    clock: Clock
    contact: Contact | None
    states: list[str]
    room: Ints
    day: str

    @cached_property
    def shapes(self) -> Shaped:
        """Shapes of streets and lines."""
        return shapes_with(self.simulator.demand.movers[0].context.network.graph, self.simulator.lines)

    @cached_property
    def shown(self) -> Ints:
        """Who is played."""
        count = len(self.run)
        return np.arange(count) if count <= MOST_SHOWN else np.arange(MOST_SHOWN, dtype=np.int64) * count // MOST_SHOWN

    @cached_property
    def standing(self) -> Passages:
        """Ways, and where one stands in between."""
        return with_waits(self.run, self.passages).with_standing()

    def tracks(self) -> Tracks:
        """Everybody's way as points with times."""
        return self.standing.tracks(self.shapes, len(self.run))

    def head(self) -> dict[str, object]:
        """What is played: how many, from when to when, and the places with how full they are at each moment."""
        filled, demand = self.run.filled, self.simulator.demand
        places = demand.goals
        count = 0 if places is None else len(places)
        inside = filled.occupancy(self.clock.ms, count)
        turned = np.zeros_like(inside)
        for place in range(count):
            times = np.sort(filled.full_ms[filled.full == place])
            turned[place] = np.searchsorted(times, self.clock.ms, side="right")
        return {
            "people": len(self.run),
            "modes": [mover.context.mode.title for mover in demand.movers],
            "states": self.states if self.contact is not None and self.contact.passed is not None else [],
            "recovery": 0 if self.contact is None or self.contact.passed is None else self.contact.passed.recovery_ms,
            "minutes": self.clock.minutes.tolist(),
            "counts": dict(zip(STATES, filled.states_at(self.clock.ms).tolist(), strict=True)),
            "places": [
                {
                    "name": places.names[i],
                    "at": [float(places.lon[i]), float(places.lat[i])],
                    "room": None if self.room[i] >= ROOM_FOR_ALL else int(self.room[i]),
                    "inside": inside[i].tolist(),
                    "turned_away": turned[i].tolist(),
                }
                for i in range(count)
            ]
            if places is not None
            else [],
        }

    def arrays(self) -> list[NDArray[np.generic]]:
        """Shapes that are used, ways of those who are played, and when what becomes of each.

        Shapes: offsets, degrees, metres. Ways: offsets, shape and direction, fractions, ms. People: mode, and when each sets
        out, arrives, comes in, ends, and carries what is passed on; -1 for never.
        """
        moved = self.standing
        kept = np.isin(moved.person, self.shown)
        moved = moved.take(kept)
        used, shape = np.unique(moved.link, return_inverse=True)
        vertex, start = ragged_rows(self.shapes.shape_start, used)
        begins = np.searchsorted(moved.person, np.append(self.shown, len(self.run)))
        filled = self.run.filled
        people = [filled.departs_ms, filled.arrives_ms, filled.enters_ms, filled.ends_ms]
        since = np.full(len(self.run), NEVER, np.int64)
        if self.contact is not None and self.contact.passed is not None:
            # Who carries it from the begin does so before anything moves.
            known = self.contact.passed.since_ms != NOT_AT_ALL
            since = np.where(known, np.maximum(self.contact.passed.since_ms, 0), NEVER)
        # Who has no way stays away.
        gone = filled.place == NEVER
        return [
            start.astype(np.uint32),
            self.shapes.shape_lon[vertex],
            self.shapes.shape_lat[vertex],
            self.shapes.shape_m[vertex].astype(np.float32),
            begins.astype(np.uint32),
            (2 * shape + (moved.end < moved.begin)).astype(np.int32),
            moved.begin.astype(np.float32),
            moved.end.astype(np.float32),
            moved.enters_ms.astype(np.int32),
            moved.leaves_ms.astype(np.int32),
            self.run.drawn.mover[self.shown].astype(np.uint8),
            *(np.where(gone, NEVER, one)[self.shown].astype(np.int32) for one in (*people, since)),
        ]


def position_table(playback: Playback) -> Table:
    """Where everybody is at each point of their way, with the time; between two points one moves evenly."""
    tracks = playback.tracks()
    person = np.repeat(np.arange(len(tracks)), np.diff(tracks.begins))
    return Table(
        None,
        {
            "person": person + 1,
            "time_s": Column.of(tracks.time_ms / 1000, "s", 3),
            "lon": Column.of(tracks.xy[:, 0], "", 7),
            "lat": Column.of(tracks.xy[:, 1], "", 7),
        },
    )


def track_table(playback: Playback) -> Table:
    """Everybody's way as a line, with the time at each of its vertices, in seconds since midnight."""
    tracks = playback.tracks()
    counts = np.diff(tracks.begins)
    rows = np.flatnonzero(counts >= 2)
    kept = np.isin(np.repeat(np.arange(len(tracks)), counts), rows)
    owner = np.repeat(np.arange(len(rows)), counts[rows])
    lines = shapely.linestrings(tracks.xy[kept], indices=owner) if len(rows) else np.zeros(0, object)
    times = np.round(tracks.time_ms[kept] / 1000, 3)
    ends = np.cumsum(counts[rows])
    return Table(
        lines,
        {
            "person": rows + 1,
            "title": [f"Person {row + 1}" for row in rows.tolist()],
            "day": [playback.day] * len(rows),
            "times_s": Column.of_nested([part.tolist() for part in np.split(times, ends[:-1])] if len(rows) else []),
        },
    )
