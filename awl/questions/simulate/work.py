"""Runs of a simulation in blocks, for workers: a row for each run of each step of its sweep."""

from __future__ import annotations

import itertools

import numpy as np

from awl.core.progress import Progress
from awl.io import parquet
from awl.io.table import Column, Table, Values
from awl.questions.context import Context
from awl.questions.inputs import Json
from awl.questions.simulate.demand import demand_of
from awl.questions.simulate.drawing import find_all_times
from awl.questions.simulate.inputs import SimulateInputs
from awl.questions.simulate.outcome import FIGURES, contact_of, outcome_of
from awl.questions.simulate.question import Simulate
from awl.questions.simulate.run import capacity_of
from awl.questions.simulate.runs import Scenario, Simulator
from awl.study.study import Study


class SimulateWork:
    """Runs by their number; those of a sweep step after step."""

    block_rows = 50

    def __init__(self, study: Study, inputs: Json) -> None:
        parsed = Simulate.parse(inputs)
        assert isinstance(parsed, SimulateInputs)
        context = Context(study, parsed)
        demand = demand_of(parsed, context)
        if demand.goals is not None:
            find_all_times(demand, Progress())
        self._inputs, self._capacity = parsed, capacity_of(parsed, demand)
        self._simulator = Simulator(parsed, demand, self._capacity)
        self._graph = context.network.graph
        swept = parsed.sweep or {}
        self._names: list[str] = [*swept]
        self._steps = list(itertools.product(*swept.values()))

    @property
    def rows(self) -> int:
        """Runs in all."""
        return len(self._steps) * self._inputs.runs

    def answered(self, first: int, last: int) -> tuple[bytes, int]:
        """The figures of some runs."""
        chances = self._simulator.chances(self._inputs.runs)
        rows: list[dict[str, float]] = []
        for row in range(first, last):
            step, nth = divmod(row, self._inputs.runs)
            values = dict(zip(self._names, self._steps[step], strict=True))
            run = self._simulator.run(Scenario.of(self._inputs).with_values(values), chances[nth])
            contact = None
            if self._inputs.meet is not None:
                (passages,) = self._simulator.passages([run], Progress())
                contact = contact_of(self._inputs, run, passages, self._graph, chances[nth])
            swept = {f"set_{name}": value for name, value in values.items()}
            rows.append({"run": nth + 1, **swept, **outcome_of(run, self._capacity, contact).figures})
        columns: dict[str, Values] = {"run": [int(one["run"]) for one in rows]}
        swept_names = [f"set_{name}" for name in self._names]
        for name in [*swept_names, *(figure for figure in FIGURES if any(figure in one for one in rows))]:
            unit = FIGURES[name][1] if name in FIGURES else ""
            columns[name] = Column.of(np.array([one.get(name, np.nan) for one in rows], float), unit, 4)
        return parquet.of_table(Table(None, columns)), len(rows)
