"""Work in blocks on several processes gives what one process gives, also when a worker is killed in the middle of it."""

from __future__ import annotations

import os
import signal

import pytest
import shapely
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


@pytest.mark.parametrize("where", [None, "population > 300"])
def test_zones_in_blocks_are_the_zones_of_the_whole(study, cluster, tmp_path, where):
    zones = {"layer": "zones", **({"where": where} if where else {})}
    inputs = {
        "places": ROOMS,
        "zones": zones,
        "limits": [3, 6],
        "measures": ["gravity", "kth"],
        "against": {"mode": "cycle"},
    }
    done = batch.run_batch(study, "access", inputs, tmp_path / "out", cluster.scheduler_address, block_rows=2)
    whole = [one["properties"] for one in ask(study, "access", inputs).document()["zones"]["features"]]
    rows = parquet.read_table(tmp_path / "out").to_pylist()
    assert done.rows == len(rows) == len(whole) > 2 and done.files == -(-len(rows) // 2)
    for row, zone in zip(
        sorted(rows, key=lambda row: row["zone"]), sorted(whole, key=lambda zone: zone["zone"]), strict=True
    ):
        assert shapely.from_wkb(row["geometry"]).area > 0
        assert {key: value for key, value in row.items() if key != "geometry"} == zone


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
        ("access", {"places": ROOMS, "zones": ZONES, "measures": ["two_step"]}, "local:2", "weigh all zones"),
        ("access", {"places": ROOMS, "zones": ZONES, "candidates": ROOMS}, "local:2", "weigh all zones"),
        ("access", {"places": ROOMS}, "local:2", "zones are those of a layer"),
        ("access", {"places": {"layer": "none"}, "zones": ZONES}, "local:2", "none"),
    ],
)
def test_faulty_orders_are_refused(study, tmp_path, ident, inputs, workers, words):
    with pytest.raises(AwlError, match=words):
        batch.run_batch(study, ident, inputs, tmp_path / "out", workers)
    assert list(tmp_path.iterdir()) == []
