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
from awl.questions.simulate.runs import MINUTE_MS, ROOM_FOR_ALL, Run, Simulator

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
MOST_SHOWN = 20_000
"""People shown at most; an even sample where there are more."""


PERSON_KEY = np.int64(1) << 34
LINGERS_MS = 5 * MINUTE_MS
"""Who has given up is still seen for so long."""


@dataclass(frozen=True)
class Seen:
    """Who is seen at a moment.

    Attributes:
        xy: where each is, degrees (n, 2).
        toward: where each gets in the next second from there (n, 2); zero for who stands.
        state: the state of each.
    """

    xy: Floats
    toward: Floats
    state: list[str]


@dataclass(frozen=True)
class HeldPlace:
    """How full a place is at a moment: where it is, who is inside, its room, the most ever inside, who found it full so far."""

    lon: float
    lat: float
    inside: int
    room: int | None
    most: int
    turned_away: int


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

    @cached_property
    def tracks(self) -> Tracks:
        """Everybody's way as points with times."""
        return self.standing.tracks(self.shapes, len(self.run))

    def seen_at(self, time_ms: int) -> Seen:
        """Who is seen at a moment: who walks, rides or waits, and for some minutes who has given up.

        Parameters:
            time_ms: the moment, ms since midnight.
        """
        filled = self.run.filled
        way = filled.place != NEVER
        over = np.where(filled.served, filled.enters_ms, filled.ends_ms + LINGERS_MS)
        rows = np.flatnonzero(way & (filled.departs_ms <= time_ms) & (time_ms < over))
        # Who has arrived stands where the way ended.
        at = np.minimum(time_ms, filled.arrives_ms)
        xy, toward = self._placed(rows, at[rows]), self._placed(rows, at[rows] + 1000)
        there = np.isfinite(xy[:, 0])
        rows, xy, toward = rows[there], xy[there], toward[there]
        if self.contact is not None and self.contact.passed is not None:
            since, recovery = self.contact.passed.since_ms[rows], self.contact.passed.recovery_ms
            has = (since != NOT_AT_ALL) & (since <= time_ms)
            state = np.where(has & (recovery > 0) & (time_ms >= since + recovery), 2, has.astype(np.int64))
            return Seen(xy, np.nan_to_num(toward - xy), [self.states[i] for i in state.tolist()])
        waits = time_ms >= filled.arrives_ms[rows]
        gave_up = waits & ~filled.served[rows] & (time_ms >= filled.ends_ms[rows])
        state = np.where(gave_up, 2, waits.astype(np.int64))
        return Seen(xy, np.nan_to_num(toward - xy), [("travelling", "waiting", "gave up")[i] for i in state.tolist()])

    @cached_property
    def _keys(self) -> Ints:
        """Person and time of each point of the tracks in one number, ascending."""
        person = np.repeat(np.arange(len(self.tracks)), np.diff(self.tracks.begins))
        return person * PERSON_KEY + self.tracks.time_ms

    @cached_property
    def _most_inside(self) -> Ints:
        """The most who are ever inside each place."""
        return self.run.filled.occupancy(self.clock.ms, len(self.room)).max(axis=1, initial=0)

    def counts_at(self, time_ms: int) -> dict[str, int]:
        """How many are doing what at a moment.

        Parameters:
            time_ms: the moment, ms since midnight.
        """
        counts = self.run.filled.states_at(np.array([time_ms]))[:, 0]
        return dict(zip(STATES, counts.tolist(), strict=True))

    def held_at(self, time_ms: int) -> list[HeldPlace]:
        """How full each place is at a moment.

        Parameters:
            time_ms: the moment, ms since midnight.
        """
        places, filled = self.simulator.demand.goals, self.run.filled
        if places is None:
            return []
        inside = filled.occupancy(np.array([time_ms]), len(places))[:, 0]
        turned = np.bincount(filled.full[(filled.full != NEVER) & (filled.full_ms <= time_ms)], minlength=len(places))
        most = self._most_inside
        rooms = [None if room >= ROOM_FOR_ALL else int(room) for room in self.room.tolist()]
        return [
            HeldPlace(
                float(places.lon[i]), float(places.lat[i]), int(inside[i]), rooms[i], int(most[i]), int(turned[i])
            )
            for i in range(len(places))
        ]

    def _placed(self, rows: Ints, at_ms: Ints) -> Floats:
        """Where some are (r, 2), each at a moment of its own; nan before the way begins."""
        tracks = self.tracks
        first, last = tracks.begins[rows], tracks.begins[rows + 1] - 1
        xy = np.full((len(rows), 2), np.nan)
        known = first <= last
        before = np.searchsorted(self._keys, rows * PERSON_KEY + at_ms, side="right") - 1
        known &= before >= first
        before, last = before[known], last[known]
        after = np.minimum(before + 1, last)
        span = tracks.time_ms[after] - tracks.time_ms[before]
        gone = np.minimum(at_ms[known] - tracks.time_ms[before], span)
        share = np.divide(gone, span, out=np.zeros(len(span)), where=span > 0)
        xy[known] = tracks.xy[before] + share[:, None] * (tracks.xy[after] - tracks.xy[before])
        return xy

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
        shown = np.isin(moved.person, self.shown)
        moved = moved.take(shown)
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
    tracks = playback.tracks
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
    tracks = playback.tracks
    counts = np.diff(tracks.begins)
    rows = np.flatnonzero(counts >= 2)
    inside = np.isin(np.repeat(np.arange(len(tracks)), counts), rows)
    owner = np.repeat(np.arange(len(rows)), counts[rows])
    lines = shapely.linestrings(tracks.xy[inside], indices=owner) if len(rows) else np.zeros(0, object)
    times = np.round(tracks.time_ms[inside] / 1000, 3)
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
