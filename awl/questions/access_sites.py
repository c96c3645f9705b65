"""Places that might be added to those of `access`: what each gains, and which of them gain most together."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.location_allocation import MOST_CHOICES, best_sites
from awl.core.analysis.travel_times import times_between
from awl.questions.access_run import Run
from awl.questions.access_tables import served_homes, words_of
from awl.questions.base import Column, Doubt, Figure, Json
from awl.questions.context import limit_units, limit_word

Floats = NDArray[np.float64]


def candidate_parts(
    inputs: Any, run: Run, field: str, people: Floats
) -> tuple[dict[str, Any], Figure, str, list[Doubt]]:
    """Parts, the leading figure, the method and the doubts of the candidates; people are those of the first group."""
    context, homes = run.context, run.population.homes
    middle = inputs.limits[len(inputs.limits) // 2]
    context.progress.step(0.85, "Comparing candidates")
    candidates = context.places(inputs.candidates, "candidates")
    snapped = context.snap(candidates, "candidates")
    times = times_between(context.router, snapped, homes, inputs.direction, limit_units(middle, "time"))
    heads = homes.share * people[homes.zone]
    sites = best_sites(times, middle, heads, served_homes(run.times, middle), inputs.choose)
    best, gained = sites.choices[0]
    chosen = [i in best for i in range(len(candidates))]
    columns: dict[str, list[Any]] = {
        "gained_alone": np.round(sites.alone, 1).tolist(),
        "chosen": chosen,
        "standing": ["best together" if one else "left out" for one in chosen],
    }
    choices = [
        {
            "choice": rank,
            "candidates": ", ".join(candidates.names[i] for i in rows),
            "gained": round(people_gained, 1),
            "short_of_best": round(gained - people_gained, 1),
        }
        for rank, (rows, people_gained) in enumerate(sites.choices, 1)
    ]
    count = len(best)
    figure = Figure(
        round(gained),
        "people",
        f"more within {limit_word(middle, 'time')} with the best {count} of {len(candidates)}"
        if count < len(candidates)
        else f"more within {limit_word(middle, 'time')} with all {count}",
    )
    how = (
        "all choices are compared" if sites.exact else f"taken one after the other: more than {MOST_CHOICES:,} choices"
    )
    method = (
        f"Candidates: {words_of(field)} within {limit_word(middle, 'time')} of one who are not of a place now, counted at homes;"
        f" {how} (Church and ReVelle 1974)."
    )
    doubts = context.doubts_of(candidates, snapped, "candidate")
    parts = {"candidates": context.place_features(candidates, snapped, columns), "choices": choices}
    return parts, figure, method, doubts


CANDIDATE_TABLE = [
    Column("name", "Candidate"),
    Column("gained_alone", "Gained alone", "people", 0),
    Column("standing", "In the best choice"),
]
CHOICE_TABLE = [
    Column("choice", "Rank", "", 0),
    Column("candidates", "Candidates together"),
    Column("gained", "Gained", "people", 0),
    Column("short_of_best", "Short of the best", "people", 0),
]


def choice_document(parts: Json) -> dict[str, Any]:
    """The best choice for the summary."""
    best = parts["choices"][0]
    return {"best_candidates": best["candidates"], "people_gained": best["gained"]}
