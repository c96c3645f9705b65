"""Long work says how far it is and stops when asked, in the middle of a kernel as well."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import datetime

import numpy as np
import pytest

from awl.core.analysis import centrality
from awl.core.analysis.centrality import Centrality
from awl.core.errors import Cancelled
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.core.progress import DONE, Progress, current_token, raise_if_cancelled, threads_of
from awl.core.routing.cch.customization import customized, unpacking_of
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.hourly_matrix import customized_lanes
from awl.core.routing.cch.perfect import reduced_graph
from awl.core.routing.dijkstra.plain import arrivals, matrix
from awl.core.routing.dijkstra.time_dependent import best_leg_by_clock
from awl.core.routing.router import StreetRouter
from tests.oracle import random_places

Work = Callable[[], object]


@pytest.fixture(scope="module")
def works(graph) -> dict[str, tuple[Work, bool]]:
    """Long works by name, and whether their kernels count what they have done."""
    plain = Network.of(graph, SHIPPED["drive"])
    high = StreetRouter(plain)
    places = random_places(plain, 200, 1)
    topology, cost = high.prepared().topology, plain.step_costs("time")
    metric = customized(topology, cost)
    high.prepared().unpacking(plain, "time", "distance")
    at = plain.at(datetime(2026, 6, 3, 8))

    def lanes() -> None:
        with customized_lanes(topology, [cost]):
            raise AssertionError("lanes of a work that was stopped")

    return {
        "topology": (lambda: Hierarchy.of(plain), False),
        "metric": (lambda: customized(topology, cost), True),
        "ways": (lambda: unpacking_of(topology, metric, cost, cost), True),
        "trimmed": (lambda: reduced_graph(topology, metric), True),
        "lanes": (lanes, True),
        "plain search": (lambda: arrivals(plain, places, "time"), False),
        "plain matrix": (lambda: matrix(plain, places, places, "time"), True),
        "matrix": (lambda: high.matrix(places, places, "time"), True),
        "matrix of costs alone": (lambda: high.matrix(places, places, "time", carrying=False), True),
        "hours": (lambda: high.matrix_by_hour([plain], places, places), True),
        "trips": (lambda: high.trips(places, places, "time"), True),
        "centrality": (lambda: Centrality(StreetRouter(plain), places, "time", 10**6, np.ones(200), 0.1).sums(), True),
        "by the clock": (lambda: best_leg_by_clock(at, places, 0, 1, 0.0), False),
    }  # fmt: skip


NAMES = (
    "topology", "metric", "ways", "trimmed", "lanes", "plain search", "plain matrix", "matrix", "matrix of costs alone", "hours",
    "trips", "centrality", "by the clock",
)  # fmt: skip


@pytest.mark.parametrize("name", NAMES)
def test_a_kernel_of_work_that_was_stopped_gives_nothing(works, name):
    assert set(works) == set(NAMES)
    work, counts = works[name]
    progress = Progress()
    progress.stop()
    with progress.running(), pytest.raises(Cancelled):
        work()
    done, whole = progress.token[DONE:].tolist()
    assert (0 <= done < whole) if counts else (done, whole) == (0, 0)
    if name != "lanes":
        work()  # what belongs to no work goes on, and is none the worse for it


def test_a_kernel_stops_in_the_middle(graph, monkeypatch):
    monkeypatch.setattr(centrality, "MOST_BLOCKS", 1)
    walk = Network.of(graph, SHIPPED["walk"])
    places = random_places(walk, 100, 1)
    central = Centrality(StreetRouter(walk), places, "time", 10**6, np.ones(100), 0.1)
    progress, ended = Progress(), []

    def work() -> None:
        try:
            with progress.running():
                central.sums(np.zeros(10_000_000, np.int64), threads=1)  # hours, unless stopped
        except Cancelled:
            ended.append(progress.token.tolist())

    thread = threading.Thread(target=work)
    thread.start()
    while progress.token[DONE] < 3:
        assert thread.is_alive()
    progress.stop()
    thread.join(60)
    _, done, whole = ended[0]
    assert 3 <= done < whole


def test_how_far_a_kernel_is_gets_told_while_it_runs():
    told, heard = [], threading.Event()

    def listen(fraction: float, message: str) -> None:
        told.append((fraction, message))
        if fraction > 0.5:
            heard.set()

    progress = Progress(listen)
    with progress.part(0.5, 0.9).inside("counting"):
        assert current_token() is progress.token
        current_token()[DONE:] = 3, 4
        assert heard.wait(60)
    assert told[0] == (0.5, "counting") and told[-1] == (pytest.approx(0.8), "counting")
    assert current_token() is not progress.token
    progress.step(0.95, "what comes next")
    assert told[-1] == (0.95, "what comes next"), "nothing is told of the kernel any more"


def test_threads_belong_to_the_work_that_began_them():
    progress = Progress()
    with progress.running(), threads_of(2) as pool:
        assert all(pool.map(lambda _: current_token() is progress.token, range(8)))
        progress.part(0, 1).stop()
        for one in [pool.submit(raise_if_cancelled) for _ in range(4)]:
            with pytest.raises(Cancelled):
                one.result()
    raise_if_cancelled()
