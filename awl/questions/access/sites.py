"""Places that might be added to those of `access`: what each gains, and which of them gain most together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.location_allocation import MOST_CHOICES, best_sites
from awl.core.analysis.travel_times import times_between
from awl.io.table import Column, Meaning, Table
from awl.questions.access.inputs import AccessInputs
from awl.questions.access.scenario import Run
from awl.questions.access.tables import served_homes, words_of
from awl.questions.context import limit_units, limit_word
from awl.questions.inputs import FeatureSet
from awl.questions.results import Doubt

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Candidates:
    """Places that might be added.

    Attributes:
        table: the candidates with what each gains alone.
        choices: the best choices of them.
        gained: people gained by the best choice.
        chosen, offered: how many are in it, and how many there are.
        method: how they were compared.
        doubts: of the candidates.
    """

    table: Table
    choices: Table
    gained: float
    chosen: int
    offered: int
    method: str
    doubts: list[Doubt]


def candidates_of(inputs: AccessInputs, wanted: FeatureSet, run: Run, field: str, people: Floats) -> Candidates:
    """What candidates gain; people are those of the first group."""
    context, population_points = run.context, run.population.population_points
    middle = inputs.limits[len(inputs.limits) // 2]
    context.progress.step(0.85, "Comparing candidates")
    candidates = context.places(wanted, "candidates")
    snapped = context.snap(candidates, "candidates")
    times = times_between(context.router, snapped, population_points, inputs.direction, limit_units(middle, "time"))
    heads = population_points.share * people[population_points.zone]
    sites = best_sites(times, middle, heads, served_homes(run.times, middle), inputs.choose)
    best, gained = sites.choices[0]
    chosen = [i in best for i in range(len(candidates))]
    table = context.place_table(
        candidates,
        snapped,
        {
            "gained_alone": Column.of(sites.alone, "people", 1, Meaning("people_gained", field, middle)),
            "chosen": chosen,
            "standing": ["best together" if one else "left out" for one in chosen],
        },
    )
    sums = np.array([people_gained for _, people_gained in sites.choices])
    choices = Table(
        None,
        {
            "choice": list(range(1, len(sums) + 1)),
            "candidates": [", ".join(candidates.names[i] for i in rows) for rows, _ in sites.choices],
            "gained": Column.of(sums, "people", 1, Meaning("people_gained", field, middle)),
            "short_of_best": Column.of(gained - sums, "people", 1),
        },
    )
    how = (
        "all choices are compared" if sites.exact else f"taken one after the other: more than {MOST_CHOICES:,} choices"
    )
    method = (
        f"Candidates: {words_of(field)} within {limit_word(middle, 'time')} of one who are not of a place now, counted at homes;"
        f" {how} (Church and ReVelle 1974)."
    )
    doubts = context.doubts_of(candidates, snapped, "candidate")
    return Candidates(table, choices, float(gained), len(best), len(candidates), method, doubts)
