"""Work in blocks on several processes gives what one process gives, also when a worker is killed in the middle of it."""

from __future__ import annotations

import os
import signal
import subprocess
import sys

import pytest
import shapely
from distributed import Client, LocalCluster
from pyarrow import parquet

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.questions import batch, workers
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
        # A file has numbers in full, a document those digits that mean something.
        assert {key: value for key, value in row.items() if key != "geometry"} == pytest.approx(zone, abs=0.006)


def test_runs_in_blocks_are_those_of_the_whole(study, cluster, tmp_path):
    """Figures of each run of each step, by workers; their means are those of the sweep asked in one."""
    inputs = {
        "places": ROOMS, "zones": ZONES, "people": 150, "capacity": 12, "runs": 3, "sweep": {"more_seats": [0, 30]},
    }  # fmt: skip
    done = batch.run_batch(study, "simulate", inputs, tmp_path / "out", cluster.scheduler_address, block_rows=2)
    rows = parquet.read_table(tmp_path / "out").to_pylist()
    assert done.rows == len(rows) == 6 and done.files == 3
    assert sorted((row["set_more_seats"], row["run"]) for row in rows) == [(s, r) for s in (0, 30) for r in (1, 2, 3)]
    whole = ask(study, "simulate", inputs).part("curves").records()
    for step in (0, 30):
        own = [row["without"] for row in rows if row["set_more_seats"] == step]
        (told,) = [row for row in whole if row["figure"] == "without" and row["more_seats"] == step]
        assert sum(own) / 3 == pytest.approx(told["mean"], abs=0.001)


@pytest.mark.parametrize("processes", [0, 2])
def test_where_nothing_is_said_the_first_blocks_tell_who_does_the_rest(study, tmp_path, monkeypatch, processes):
    asked = []

    def decide(ident, seconds, set_up_s, cores):
        asked.append((ident, seconds > 0, set_up_s > 0, cores == os.cpu_count()))
        return processes

    monkeypatch.setattr(batch, "processes_here", decide)
    told = []
    progress = Progress(lambda fraction, _: told.append(fraction))
    done = batch.run_batch(study, "matrix", INPUTS, tmp_path / "out", progress=progress, block_rows=2)
    assert asked == [("matrix", True, True, True)]
    assert done.processes == processes and done.files == len(list((tmp_path / "out").glob("*.parquet"))) > 4
    assert written(tmp_path / "out") == expected(study) and done.rows == len(expected(study))
    assert told == sorted(told) and told[-1] == 1


def test_a_batch_of_two_blocks_is_done_where_it_began(study, tmp_path, monkeypatch):
    monkeypatch.setattr(batch, "client_of", lambda _: pytest.fail("processes begun"))
    done = batch.run_batch(study, "matrix", INPUTS, tmp_path / "out")
    assert done.processes == 0 and written(tmp_path / "out") == expected(study)


@pytest.mark.parametrize("ident", sorted(workers.HELD))
def test_processes_are_for_long_work_that_threads_do_not_make_quicker(ident):
    assert set(workers.HELD) == set(batch.WORK)
    assert workers.processes_here(ident, 5.0, 1.0, 8) == 0, "begun too late"
    assert workers.processes_here(ident, 3600.0, 1.0, 1) == 0, "there is one core"
    assert workers.processes_here(ident, 3600.0, 1.0, 8) == 8
    assert workers.processes_here(ident, 36000.0, 1.0, 64) == workers.MOST_PROCESSES
    # The quicker threads are, the longer work has to be.
    least = {one: next(s for s in range(0, 10**6, 5) if workers.processes_here(one, s, 1.0, 4)) for one in workers.HELD}
    assert sorted(least, key=least.get) == sorted(least, key=lambda one: -workers.HELD[one])


class Ending(Progress):
    """Kills a process at the first report of a block."""

    def __init__(self, process: subprocess.Popen[bytes]) -> None:
        super().__init__()
        self.process = process

    def step(self, fraction, message):
        if 0 < fraction < 1:
            self.process.kill()


def test_a_scheduler_that_dies_is_told_and_leaves_nothing(study, tmp_path):
    file, folder = tmp_path / "scheduler.json", tmp_path / "work"
    folder.mkdir()
    begin = [
        sys.executable,
        "-m",
        "distributed.cli.dask_scheduler",
        "--host",
        "127.0.0.1",
        "--port",
        "0",
        "--no-dashboard",
    ]
    scheduler = subprocess.Popen([*begin, "--scheduler-file", file], cwd=folder, stderr=subprocess.DEVNULL)
    with scheduler:
        begin = [sys.executable, "-m", "distributed.cli.dask_worker", "--scheduler-file", file, "--nthreads", "1"]
        with subprocess.Popen(
            [*begin, "--no-dashboard", "--no-nanny"], cwd=folder, stderr=subprocess.DEVNULL
        ) as worker:
            try:
                with Client(scheduler_file=file) as client:
                    client.wait_for_workers(1)
                    address = client.scheduler.address
                with pytest.raises(AwlError, match="scheduler went away"):
                    batch.run_batch(study, "matrix", INPUTS, folder / "out", address, Ending(scheduler), 1)
            finally:
                scheduler.kill()
                worker.kill()
    assert not (folder / "out").exists() and not (folder / ".out.new").exists()


def test_stopped_work_leaves_nothing(study, cluster, tmp_path):
    progress = Progress()
    progress.stop()
    with pytest.raises(Cancelled):
        batch.run_batch(study, "matrix", INPUTS, tmp_path / "out", cluster.scheduler_address, progress)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    ("ident", "inputs", "whose", "words"),
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
def test_faulty_orders_are_refused(study, tmp_path, ident, inputs, whose, words):
    with pytest.raises(AwlError, match=words):
        batch.run_batch(study, ident, inputs, tmp_path / "out", whose)
    assert list(tmp_path.iterdir()) == []
