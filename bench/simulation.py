"""Many people at once, against what an analyst waits for: their ways, their meetings, and runs of a sweep."""

from __future__ import annotations

import numpy as np

from awl.core.analysis.simulation.meetings import Close, met
from awl.core.analysis.simulation.moving import passages_of, timed_paths
from awl.core.routing.snapping import ON_STREET, Snapped
from awl.questions.run import ask
from awl.study.study import Study
from bench.measure import Row, medians

ROOMS = {"zones": {"layer": "zones"}, "places": {"layer": "cool_rooms"}, "capacity": "seats"}
WAYS_S, MEETINGS_S, SWEEP_S = 3.0, 2.0, 10.0
HOUR_MS = 3_600_000
PEOPLE = 20_000
ROUNDS = 3


def many_at_once(study: Study) -> list[Row]:
    """The demo study with many people in it."""
    study.wait_until_prepared("walk")
    network, router = study.network("walk"), study.router("walk")
    graph, rng = network.graph, np.random.default_rng(1)
    links = np.flatnonzero(network.usable)
    length = graph.link_length[links]
    ends = []
    for _ in range(2):
        link = rng.choice(links, PEOPLE, p=length / length.sum()).astype(np.int32)
        nothing = np.zeros(PEOPLE)
        status = np.full(PEOPLE, ON_STREET, np.int8)
        ends.append(Snapped(link, rng.random(PEOPLE), nothing, status, nothing, nothing))
    everybody = np.arange(PEOPLE)
    timed = timed_paths(network, router.trips(ends[0], ends[1], "time"))
    # Who set out up to half an hour before the hour is on the way in it.
    whole = passages_of(timed, everybody, everybody, rng.integers(-HOUR_MS // 2, HOUR_MS, PEOPLE) + HOUR_MS)
    hour = whole.take((whole.leaves_ms >= HOUR_MS) & (whole.enters_ms < 2 * HOUR_MS))
    sweep = {"people": 2000, "runs": 20, "sweep": {"more_seats": list(range(0, 180, 20))}}
    ways, meetings, steps = medians(
        lambda: ask(study, "simulate", {**ROOMS, "people": 100_000}),
        lambda: met(hour, graph, PEOPLE, Close(5.0, 5)),
        lambda: ask(study, "simulate", {**ROOMS, **sweep}),
        rounds=ROUNDS,
    )
    return [
        Row(f"Ferrow: 100,000 people to cool rooms, their ways and loads (aim {WAYS_S:g} s)", ways, WAYS_S, "of the aim"),
        Row(
            f"Ferrow: meetings of {PEOPLE:,} walkers in an hour, by the second (aim {MEETINGS_S:g} s)", meetings, MEETINGS_S,
            "of the aim",
        ),
        Row(f"Ferrow: sweep of 200 runs of 2,000 people (aim {SWEEP_S:g} s)", steps, SWEEP_S, "of the aim"),
    ]  # fmt: skip
