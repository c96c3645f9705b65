"""Work in blocks on several processes gives what one process gives, also when a worker is killed in the middle of it."""

from __future__ import annotations

import os
import signal

import pytest
from distributed import Client, LocalCluster
from pyarrow import parquet

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.questions import batch
from awl.questions.run import ask

ROOMS, ZONES = {"layer": "cool_rooms"}, {"layer": "zones"}
INPUTS = {"from": ZONES, "to": ROOMS}


@pytest.fixture(scope="module")
def cluster():
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=50) as made:
        yield made


def expected(study, inputs=INPUTS):
    rows = ask(study, "matrix", inputs).document()["rows"]
    return sorted((r["origin_id"], r["destination_id"], r["duration_s"], r["distance_m"]) for r in rows)


def written(folder):
    rows = parquet.read_table(folder).to_pylist()
    return sorted(
        (r["origin_id"], r["destination_id"], round(r["duration_s"], 3), round(r["distance_m"], 3)) for r in rows
    )


class Killing(Progress):
    """Kills the process of a worker at the first report of a block."""

    def __init__(self, client: Client) -> None:
        super().__init__()
        self.client, self.killed = client, None

    def step(self, fraction, message):
        if self.killed is None and 0 < fraction < 1:
            self.killed = next(iter(self.client.run(os.getpid).values()))
            os.kill(self.killed, signal.SIGKILL)


def test_a_killed_worker_changes_nothing(study, cluster, tmp_path):
    with Client(cluster) as client:
        killing = Killing(client)
        # Small blocks, so that most are still to do when it dies.
        done = batch.run_batch(study, "matrix", INPUTS, tmp_path / "out", cluster.scheduler_address, killing, 1)
    assert killing.killed is not None
    assert done.files == len(list((tmp_path / "out").glob("*.parquet"))) >= 10
    assert written(tmp_path / "out") == expected(study) and done.rows == len(expected(study))


def test_stopped_work_leaves_nothing(study, cluster, tmp_path):
    progress = Progress()
    progress.stop()
    with pytest.raises(Cancelled):
        batch.run_batch(study, "matrix", INPUTS, tmp_path / "out", cluster.scheduler_address, progress)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    ("ident", "inputs", "workers", "words"),
    [
        ("route", {}, "local:2", "cannot be answered in blocks"),
        ("matrix", INPUTS, "local:none", "names no number of workers"),
        ("matrix", INPUTS, "http://here", "is no address of workers"),
        ("matrix", {"from": ZONES}, "local:2", "'to' is required"),
    ],
)
def test_faulty_orders_are_refused(study, tmp_path, ident, inputs, workers, words):
    with pytest.raises(AwlError, match=words):
        batch.run_batch(study, ident, inputs, tmp_path / "out", workers)
    assert list(tmp_path.iterdir()) == []
