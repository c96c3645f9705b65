"""One run: who is drawn, where all go and what they find there, and the ways they take."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.simulation.filling import NEVER, Conduct, Crowd, Filled, Rooms, fill
from awl.core.analysis.simulation.moving import Passages, TimedPaths, passages_of
from awl.core.analysis.simulation.riding import Lines, Riding, ridden_times
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.routing.dijkstra.search import UNREACHED
from awl.questions.simulate.drawing import Chance, Demand, Drawn
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.movers import FAR

Ints = NDArray[np.int64]
MINUTE_MS = 60_000
ROOM_FOR_ALL = 1 << 40


@dataclass(frozen=True)
class Scenario:
    """The numbers a run is made with: those of the question, or one step of a sweep.

    Attributes:
        people: how many set out; None for all.
        more_seats: seats of each place beyond its own.
        within: minutes on the way at most.
        stay: minutes of stay.
        at_home: percent that stay at home.
        speed: percent of the usual speed.
        pass_on: percent passed on at a meeting; None for nothing.
    """

    people: int | None
    more_seats: int
    within: float
    stay: float
    at_home: float
    speed: float
    pass_on: float | None

    @classmethod
    def of(cls, inputs: SimulateInputs) -> Scenario:
        """That of the question itself."""
        names = ("people", "more_seats", "within", "stay", "at_home", "speed", "pass_on")
        return cls(**{name: getattr(inputs, name) for name in names})

    def with_values(self, values: dict[str, float]) -> Scenario:
        """With other numbers."""
        changed = {name: int(value) if name in ("people", "more_seats") else value for name, value in values.items()}
        return replace(self, **changed)  # type: ignore[arg-type]


@dataclass(frozen=True)
class Run:
    """A run.

    Attributes:
        drawn: who set out.
        filled: what became of each.
        scenario: what it was made with.
    """

    drawn: Drawn
    filled: Filled
    scenario: Scenario

    def __len__(self) -> int:
        return len(self.drawn)


@dataclass(frozen=True)
class Legs:
    """Ways of people (l,), ordered by person, then time.

    Attributes:
        person: who.
        begin: the row of the times of the mover where it begins at an origin, the goal where it begins at one.
        from_goal: whether it begins at a goal.
        goal: where it leads.
        departs_ms: when.
    """

    person: Ints
    begin: Ints
    from_goal: NDArray[np.bool_]
    goal: Ints
    departs_ms: Ints

    def __len__(self) -> int:
        return len(self.person)


class Simulator:
    """Makes runs of a question, with times that are worked out once.

    Parameters:
        inputs: the question.
        demand: who sets out, with all times found.
        capacity: how many each goal holds (k,); None where trips end anywhere.
    """

    def __init__(self, inputs: SimulateInputs, demand: Demand, capacity: Ints | None) -> None:
        self._inputs, self.demand, self._capacity = inputs, demand, capacity
        self.lines = Lines(demand.movers[0].context.network.graph.link_count)
        self._paths: dict[int, tuple[Ints, TimedPaths]] = {}

    def chances(self, runs: int) -> list[Chance]:
        """The chance of each run: the same for each step of a sweep."""
        return [Chance(self._inputs.seed, run) for run in range(runs)]

    def run(self, scenario: Scenario, chance: Chance, progress: Progress | None = None) -> Run:
        """A run by chance. With the same chance people are the same, as many as there are in both."""
        drawn = self.demand.draw(scenario.people, scenario.at_home, chance)
        if self._capacity is None:
            return Run(drawn, self._arrived(drawn, scenario), scenario)
        crowd = self._crowd(drawn, scenario, progress or Progress())
        between = np.stack([scaled(mover.between_ms, scenario.speed) for mover in self.demand.movers])
        capacity = np.clip(self._capacity + scenario.more_seats, 0, ROOM_FOR_ALL)
        conduct = Conduct(
            round(scenario.within * MINUTE_MS), self._inputs.when_full, round(self._inputs.patience * MINUTE_MS)
        )
        return Run(drawn, fill(crowd, Rooms(capacity, between), conduct), scenario)

    def _crowd(self, drawn: Drawn, scenario: Scenario, progress: Progress) -> Crowd:
        """The people of a run, with the times of all origins; those who ride have rows of their own."""
        blocks: list[Ints] = []
        rows = np.zeros(len(drawn), np.int64)
        before = 0
        for nth, mover in enumerate(self.demand.movers):
            by_mover = np.flatnonzero(drawn.mover == nth)
            if mover.rides:
                assert mover.context.transit is not None
                times = ridden_times(
                    mover.context.transit, mover.origins.take(drawn.origin[by_mover]), mover.goals, drawn.departs_ms[by_mover],
                    progress,
                )  # fmt: skip
                block = np.where(times == UNREACHED, FAR, times)
                rows[by_mover] = before + np.arange(len(by_mover))
            else:
                block = scaled(mover.times_ms, scenario.speed)
                rows[by_mover] = before + mover.rows(drawn.origin[by_mover], drawn.departs_ms[by_mover])
            blocks.append(block)
            before += len(block)
        travel = blocks[0] if len(blocks) == 1 else np.concatenate(blocks)
        stay = np.full(len(drawn), round(scenario.stay * MINUTE_MS), np.int64)
        return Crowd(drawn.departs_ms, rows, travel, stay, drawn.goal, drawn.mover)

    def _arrived(self, drawn: Drawn, scenario: Scenario) -> Filled:
        """Trips that end anywhere: everybody with a way within the limit arrives, and is there no longer."""
        takes = np.full(len(drawn), -1, np.int64)
        for nth, mover in enumerate(self.demand.movers):
            by_mover = np.flatnonzero(drawn.mover == nth)
            if len(by_mover):
                rows = mover.rows(drawn.origin[by_mover], drawn.departs_ms[by_mover])
                keys = rows * len(mover.goals.link) + drawn.goal[by_mover]
                paths = self._known_paths(2 * nth, np.unique(keys))
                known = self._paths[2 * nth][0]
                takes[by_mover] = paths.at_speed(scenario.speed / 100).takes_ms[np.searchsorted(known, keys)]
        way = (takes >= 0) & (takes <= scenario.within * MINUTE_MS)
        arrives = np.where(way, drawn.departs_ms + takes, NEVER)
        nobody = np.full((len(drawn), 0), NEVER, np.int64)
        return Filled(
            drawn.departs_ms, np.where(way, drawn.goal, NEVER), way, arrives, arrives, arrives, np.zeros(len(drawn), np.int64),
            nobody, nobody, np.zeros(0, np.int64), 2 * len(drawn),
        )  # fmt: skip

    # -- ways ------------------------------------------------------------------------------------------------------------

    def _known_paths(self, kind: int, keys: Ints, progress: Progress | None = None) -> TimedPaths:
        """Paths of a mover, from its origins (an even kind) or from goal to goal (an odd one); each is looked for once."""
        mover = self.demand.movers[kind // 2]
        known, paths = self._paths.get(kind, (np.zeros(0, np.int64), None))
        new = np.setdiff1d(keys, known)
        if len(new) or paths is None:
            begin, goal = np.divmod(new, max(len(mover.goals.link), 1))
            progress = progress or Progress()
            added = (mover.paths if kind % 2 == 0 else mover.paths_between)(begin, goal, progress)
            together = added if paths is None else TimedPaths.joined([paths, added])
            order = np.argsort(np.concatenate([known, new]), kind="stable")
            paths = together.take(order) if paths is not None else added
            self._paths[kind] = np.concatenate([known, new])[order], paths
        return paths

    def passages(self, runs: Sequence[Run], progress: Progress) -> Iterator[Passages]:
        """Who is where when, run after run; paths that several take are looked for once."""
        legs = [self.legs(run) for run in runs]
        for nth in range(len(self.demand.movers)):
            for kind, chosen in ((2 * nth, False), (2 * nth + 1, True)):
                keys = [self._keys(nth, run, own, chosen)[0] for run, own in zip(runs, legs, strict=True)]
                self._known_paths(kind, np.unique(np.concatenate(keys)), progress.part(0.0, 0.6))
        joined, before = self._joined_paths()
        for i, (run, own) in enumerate(zip(runs, legs, strict=True)):
            yield self._moved(run, own, joined, before)
            progress.step(0.6 + 0.4 * (i + 1) / len(runs), "following everybody")

    def _joined_paths(self) -> tuple[TimedPaths, dict[int, int]]:
        """All paths that are known, and which number the first of each kind has among them."""
        kinds = sorted(self._paths)
        counts = [len(self._paths[kind][0]) for kind in kinds]
        before = dict(zip(kinds, np.cumsum([0, *counts[:-1]]).tolist(), strict=True))
        return TimedPaths.joined([self._paths[kind][1] for kind in kinds]), before

    def _keys(self, nth: int, run: Run, legs: Legs, from_goal: bool) -> tuple[Ints, Ints]:
        """Keys of the paths of one mover's legs from origins, or from goals, and which legs these are."""
        mover = self.demand.movers[nth]
        wanted = (run.drawn.mover[legs.person] == nth) & (legs.from_goal == from_goal)
        if mover.rides and not from_goal:
            wanted[:] = False
        rows = np.flatnonzero(wanted)
        return legs.begin[rows] * max(len(mover.goals.link), 1) + legs.goal[rows], rows

    def _moved(self, run: Run, legs: Legs, paths: TimedPaths, before: dict[int, int]) -> Passages:
        path = np.full(len(legs), -1, np.int64)
        for nth in range(len(self.demand.movers)):
            for kind, from_goal in ((2 * nth, False), (2 * nth + 1, True)):
                keys, rows = self._keys(nth, run, legs, from_goal)
                path[rows] = before[kind] + np.searchsorted(self._paths[kind][0], keys)
        walked = passages_of(paths.at_speed(run.scenario.speed / 100), path, legs.person, legs.departs_ms)
        ridden = [self._ridden(nth, run, legs) for nth, mover in enumerate(self.demand.movers) if mover.rides]
        return Passages.joined([walked, *ridden]) if ridden else walked

    def _ridden(self, nth: int, run: Run, legs: Legs) -> Passages:
        mover = self.demand.movers[nth]
        assert mover.context.transit is not None
        rows = np.flatnonzero((run.drawn.mover[legs.person] == nth) & ~legs.from_goal)
        riding = Riding(mover.context.transit, self.lines)
        origin = run.drawn.origin[legs.person[rows]]
        passages, _ = riding.passages(
            mover.origins.take(origin), mover.goals.take(legs.goal[rows]), legs.person[rows], legs.departs_ms[rows]
        )
        return passages

    def legs(self, run: Run) -> Legs:
        """The ways of a run: to the place one goes to first, and from each that is full to the next."""
        drawn, filled = run.drawn, run.filled
        goes = np.flatnonzero(filled.place != NEVER)
        rows = np.zeros(len(drawn), np.int64)
        for nth, mover in enumerate(self.demand.movers):
            by_mover = drawn.mover == nth
            rows[by_mover] = mover.rows(drawn.origin[by_mover], drawn.departs_ms[by_mover])
        tried = filled.full[goes]
        last = filled.place[goes]
        first = np.where(filled.found_full[goes] > 0, tried[:, 0], last) if tried.shape[1] else last
        parts = [
            (goes, np.zeros(len(goes), np.int64), rows[goes], np.zeros(len(goes), bool), first, drawn.departs_ms[goes])
        ]
        for step in range(tried.shape[1]):
            on = np.flatnonzero(filled.found_full[goes] > step)
            following = tried[on, step + 1] if step + 1 < tried.shape[1] else np.full(len(on), NEVER)
            following = np.where(filled.found_full[goes[on]] > step + 1, following, last[on])
            moved = (following != tried[on, step]) & (following != NEVER)
            on, following = on[moved], following[moved]
            since = filled.full_ms[goes[on], step]
            parts.append(
                (goes[on], np.full(len(on), step + 1), tried[on, step], np.ones(len(on), bool), following, since)
            )
        person, step_of, begin, from_goal, goal, departs = (
            np.concatenate(column) for column in zip(*parts, strict=True)
        )
        order = np.lexsort((step_of, person))
        return Legs(person[order], begin[order], from_goal[order], goal[order], departs[order])


def scaled(times_ms: Ints, speed_percent: float) -> Ints:
    """Times at another speed; `FAR` stays."""
    if speed_percent == 100.0:
        return times_ms
    return np.where(times_ms >= FAR, FAR, np.rint(times_ms / (speed_percent / 100)).astype(np.int64))


def check_size(inputs: SimulateInputs, demand: Demand) -> None:
    """Refuse what would take hours or all memory."""
    people = round(demand.total) if inputs.people is None else inputs.people
    most = max([people, *(int(value) for value in (inputs.sweep or {}).get("people", []))])
    combinations = int(np.prod([len(values) for values in (inputs.sweep or {}).values()])) if inputs.sweep else 1
    if most > MOST_AT_ONCE:
        raise AwlError(
            f"{most:,} people are more than {MOST_AT_ONCE:,}",
            remedy="Give 'people' a smaller number",
            inputs=("people",),
        )
    in_memory = people * inputs.runs
    if in_memory > MOST_KEPT or most * inputs.runs * combinations > MOST_IN_ALL:
        limit = MOST_KEPT if in_memory > MOST_KEPT else MOST_IN_ALL
        raise AwlError(
            f"{inputs.runs * combinations:,} runs of {most:,} people are more than can be made at once"
            f" ({limit:,} people in all)",
            remedy="Ask for fewer runs, people or values of the sweep",
            inputs=("runs", "people", "sweep"),
        )


MOST_AT_ONCE = 200_000
MOST_KEPT, MOST_IN_ALL = 4_000_000, 20_000_000
"""People of all runs of the question itself, which are held at once, and of a sweep besides."""
