"""Long work in processes of its own: one that fails, hangs or is gone is one failed job, and nobody else notices."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.questions.run import ask
from awl.server import interface, web, worker
from awl.server import jobs as jobs_module
from awl.server.app import create_app
from awl.server.catalogue import Catalogue
from awl.server.jobs import Jobs
from awl.server.worker import InProcess, InThread
from awl.server.workroom import File, Workroom, task
from awl.study.study import Study


def process_number(room, progress):
    return os.getpid()


def fails(room, progress, how):
    if how == "told":
        raise AwlError("It is too far", remedy="Come nearer", inputs=("places",), status=422, kind="far")
    if how == "unforeseen":
        raise ZeroDivisionError
    if how == "memory":
        raise MemoryError
    if how == "full":
        raise OSError(28, "No space left on device", "/secret/place")
    os._exit(9)


def steps(room, progress):
    for step in range(3000):
        progress.step(step / 3000, f"Step {step}")
        time.sleep(0.01)


def deaf(room, progress):
    while True:
        time.sleep(0.05)


def waits_for(room, progress, path):
    while not Path(path).exists():
        progress.step(0.5, "Waiting for a file")
        time.sleep(0.01)
    return "came"


def picture(room, progress):
    return File(b"\x89PNG", "image/png", {"Content-Disposition": "inline"})


@pytest.fixture(scope="module")
def processes(tmp_path_factory):
    """Jobs done by one process for brief ones and one for all."""
    root = tmp_path_factory.mktemp("studies")
    known = Jobs([InProcess(root), InProcess(root)], brief_only=1)
    yield known
    known.close()


@pytest.fixture
def in_threads(tmp_path):
    """Jobs done in two threads, the first for brief ones alone."""
    room = Workroom(Catalogue(tmp_path))
    return Jobs([InThread(room), InThread(room)], brief_only=1)


def over(job):
    assert job.over.wait(60)
    return job


def until(holds):
    """Wait for a fact."""
    end = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < end
        threading.Event().wait(0.01)


def test_work_is_done_by_the_same_other_process_each_time(processes):
    numbers = {over(processes.start("x", "s", task(process_number))).result_json() for _ in range(3)}
    assert len(numbers) == 1 and os.getpid() not in numbers
    brief = {over(processes.start("x", "t", task(process_number), is_brief=True)).result_json() for _ in range(3)}
    assert os.getpid() not in brief


def test_a_file_comes_with_its_type_and_headers(processes):
    job = over(processes.start("x", "s", task(picture)))
    assert (job.result_bytes(), job.media) == (b"\x89PNG", "image/png")
    assert job.headers == {"Content-Disposition": "inline"}


@pytest.mark.parametrize(
    ("how", "status", "text"),
    [
        ("told", 422, "It is too far. Come nearer."),
        ("unforeseen", 500, "Awl failed at this"),
        ("memory", 507, "not enough memory"),
        ("full", 507, "The disk is full"),
        ("gone", 500, "ended by itself"),
    ],
)
def test_how_work_fails_is_told_and_the_next_is_done(processes, how, status, text):
    job = over(processes.start("x", "s", task(fails, how=how)))
    assert job.status == "failed" and job.error.status == status and text in job.error.detail
    assert "/secret" not in job.error.detail
    if how == "told":
        assert (job.error.inputs, job.error.kind) == (("places",), "far")
    with pytest.raises(AwlError):
        job.result_bytes()
    assert isinstance(over(processes.start("x", "s", task(process_number))).result_json(), int)


def test_work_tells_how_far_it_is_and_stops_when_told(processes):
    job = processes.start("x", "s", task(steps))
    until(lambda: job.message.startswith("Step ") and job.fraction > 0)
    processes.dismiss(job)
    assert job.status == "dismissed" and over(job).error is None
    assert over(processes.start("x", "s", task(process_number))).status == "successful"


@pytest.mark.parametrize("by", ["dismissed", "limit"])
def test_work_that_does_not_listen_is_ended(processes, monkeypatch, by):
    monkeypatch.setattr(worker, "STOPS_WITHIN_S", 0.2)
    before = over(processes.start("x", "s", task(process_number))).result_json()
    job = processes.start("x", "s", task(deaf), limit_s=0.3 if by == "limit" else None)
    until(lambda: job.status != "accepted")
    if by == "dismissed":
        processes.dismiss(job)
    assert over(job).status == ("failed" if by == "limit" else "dismissed")
    if by == "limit":
        assert job.error.kind == "too-long"
    assert over(processes.start("x", "s", task(process_number))).result_json() != before, "another took its place"


def test_brief_work_does_not_wait_behind_long(in_threads, tmp_path):
    file = tmp_path / "come"
    long = [in_threads.start("x", "s", task(waits_for, path=str(file))) for _ in range(3)]
    assert over(in_threads.start("x", "s", task(process_number), is_brief=True)).status == "successful"
    assert not any(job.over.is_set() for job in long)
    file.touch()
    assert [over(job).result_json() for job in long] == ["came"] * 3


def test_what_is_brief_is_taken_first_but_by_the_last_worker(tmp_path):
    room = Workroom(Catalogue(tmp_path))
    known = Jobs([InThread(room), InThread(room)])
    file = tmp_path / "come"
    running = [known.start("x", "s", task(waits_for, path=str(file))) for _ in range(2)]
    until(lambda: all(job.status == "running" for job in running))
    waiting = [known.start("x", "s", task(process_number), is_brief=number == 2) for number in range(3)]
    with known._changed:
        known._idle[0] = known._idle[1] = "s"
        known._homes.clear()
        first = known._next(0)
        del known._idle[0]
        second = known._next(1)
        del known._idle[1]
        known._waiting.extend([first, second])
    assert (first, second) == (waiting[2], waiting[0])
    file.touch()
    assert all(over(job).status == "successful" for job in (*running, *waiting))


def noted(room, progress, path, word):
    with Path(path).open("a") as file:
        file.write(f"{word} ")


def test_a_brief_question_comes_between_opening_a_study_and_preparing_the_rest_of_it(tmp_path):
    come, written, room = tmp_path / "come", tmp_path / "written", Workroom(Catalogue(tmp_path))
    workers = [InThread(room), InThread(room)]
    workers[0].is_apart = True
    known = Jobs(workers, brief_only=1)
    busy = known.start("x", "s", task(waits_for, path=str(tmp_path / "never")))
    until(lambda: busy.status == "running")
    for _ in range(2):  # once for each version
        known.do_everywhere("s", 1, task(waits_for, path=str(come)))
        known.do_everywhere("s", 1, task(noted, path=str(written), word="prepared"))
    question = known.start("x", "s", task(noted, path=str(written), word="asked"), is_brief=True)
    come.touch()
    assert over(question).status == "successful"
    until(lambda: not known._waiting and 0 in known._idle)
    assert written.read_text().split() == ["asked", "prepared"]
    known.dismiss(busy)


def opening(room, progress, written, come):
    noted(room, progress, written, "begun")
    waits_for(room, progress, come)
    noted(room, progress, written, "ended")


def test_workers_open_a_study_one_after_the_other_on_a_small_machine(tmp_path, monkeypatch):
    monkeypatch.setattr(jobs_module, "MOST_OPENING", 1)
    come, written, room = tmp_path / "come", tmp_path / "written", Workroom(Catalogue(tmp_path))
    workers = [InThread(room), InThread(room)]
    workers[0].is_apart = workers[1].is_apart = True
    known = Jobs(workers)
    known.do_everywhere("s", 1, task(opening, written=str(written), come=str(come)))
    until(written.exists)
    assert over(known.start("x", "s", task(process_number))).status == "successful", "the other one does what is asked"
    assert written.read_text().split() == ["begun"]
    come.touch()
    until(lambda: not known._waiting and len(known._idle) == 2)
    assert written.read_text().split() == ["begun", "ended", "begun", "ended"]


def test_a_worker_asks_a_little_of_a_study_before_somebody_asks(tmp_path, study_file, monkeypatch):
    shutil.copy(study_file, tmp_path / "ferrow.gpkg")
    answers = []
    monkeypatch.setattr(interface, "ask", lambda *how: answers.append(ask(*how)) or answers[-1])
    room = Workroom(Catalogue(tmp_path))
    interface.opened(room, Progress(), "ferrow")
    assert len(answers[0].result.part("areas")) == 1
    Study.create(tmp_path / "bare.gpkg", "Bare")
    interface.opened(room, Progress(), "bare")  # without streets there is nothing to ask
    assert len(answers) == 1


def test_no_job_waits_for_a_worker_that_sleeps(tmp_path):
    for turn in range(20):
        known, file = Jobs([InThread(Workroom(Catalogue(tmp_path))) for _ in range(2)]), tmp_path / f"come{turn}"
        until(lambda known=known: len(known._idle) == 2)
        with known._changed:  # both are queued before anybody looks
            known._homes["s", "q"] = 1
            long = known.start("x", "s", task(waits_for, path=str(file)), "q")
            short = known.start("x", "s", task(process_number), "q")
        # The one it would belong to is busy with the other: who is idle takes it.
        assert over(short).status == "successful" and long.status == "running"
        file.touch()
        assert over(long).status == "successful"


def test_more_than_can_wait_is_refused_and_what_waits_can_be_taken_back(in_threads, tmp_path, monkeypatch):
    monkeypatch.setattr(jobs_module, "MOST_WAITING", 2)
    file = tmp_path / "come"
    first = in_threads.start("x", "s", task(waits_for, path=str(file)))
    until(lambda: first.status == "running")
    waiting = [in_threads.start("x", "s", task(process_number)) for _ in range(2)]
    with pytest.raises(AwlError) as refused:
        in_threads.start("x", "s", task(process_number))
    assert refused.value.status == 503 and web.TYPES
    in_threads.dismiss(waiting[0])
    assert over(waiting[0]).status == "dismissed" and waiting[0].result is None
    again = in_threads.start("x", "s", task(process_number))
    file.touch()
    assert over(again).status == over(waiting[1]).status == "successful"


def test_who_worked_at_a_question_gets_it_again(processes):
    def number(question):
        return over(processes.start("x", "s", task(process_number), question, is_brief=True)).result_json()

    assert len({number("many") for _ in range(4)}) == 1


def test_a_request_that_waits_too_long_is_told_where_its_result_will_be(client, monkeypatch):
    monkeypatch.setattr(web, "WAITS_S", 0.0)
    monkeypatch.setattr(web, "LOOKS_EVERY_S", 0.0)
    app = client.application
    app.extensions["awl-jobs"], usual = Jobs([]), app.extensions["awl-jobs"]
    try:
        body = {"inputs": {"places": [[-36.2, 41.29]]}}
        reply = client.post("/studies/ferrow/processes/isochrone/execution", json=body)
        assert reply.status_code == 202 and reply.json["status"] == "accepted"
        address = reply.headers["Location"]
        assert client.get(address).json["jobID"] in address
        assert client.get("/studies/ferrow/jobs").json["jobs"], "it is one of the jobs from now on"
        assert client.get(f"{address}/results").status_code == 404
        assert client.delete(address).json["status"] == "dismissed"
    finally:
        app.extensions["awl-jobs"] = usual


def test_work_whose_client_is_gone_is_stopped(client, monkeypatch):
    monkeypatch.setattr(web, "LOOKS_EVERY_S", 0.0)
    app = client.application
    app.extensions["awl-jobs"], usual = Jobs([]), app.extensions["awl-jobs"]
    try:
        body = {"inputs": {"places": [[-36.2, 41.29]]}}
        gone = {"waitress.client_disconnected": lambda: True}
        reply = client.post("/studies/ferrow/processes/isochrone/execution", json=body, environ_base=gone)
        assert reply.status_code == 499
        (job,) = app.extensions["awl-jobs"]._jobs.values()
        assert job.status == "dismissed" and not app.extensions["awl-jobs"]._waiting
    finally:
        app.extensions["awl-jobs"] = usual


def test_no_more_requests_wait_than_leave_threads_for_light_ones(client):
    app = client.application
    room, usual = app.extensions["awl-waiting-room"], app.extensions["awl-jobs"]
    for _ in range(web.MOST_WAIT):
        assert room.acquire(blocking=False)
    try:
        app.extensions["awl-jobs"] = Jobs([])
        body = {"inputs": {"places": [[-36.2, 41.29]]}}
        assert client.post("/studies/ferrow/processes/isochrone/execution", json=body).status_code == 202
        assert client.get("/studies").status_code == 200
    finally:
        app.extensions["awl-jobs"] = usual
        for _ in range(web.MOST_WAIT):
            room.release()


def test_a_server_with_processes_answers_as_one_with_threads(folder, client):
    app = create_app(folder, workers=1)
    try:
        body = {"inputs": {"places": [[-36.2, 41.29]], "limits": [5]}}
        address = "/studies/ferrow/processes/isochrone/execution"
        other, here = app.test_client().post(address, json=body), client.post(address, json=body)
        assert other.status_code == here.status_code == 200
        assert other.json["areas"] == here.json["areas"] and other.json["figures"] == here.json["figures"]
        # What another process changed is seen.
        refused = app.test_client().post(address, json={"inputs": {"places": []}})
        assert refused.status_code == 400
    finally:
        app.extensions["awl-jobs"].close()


def test_a_worker_that_is_beginning_does_not_keep_the_server_from_ending(tmp_path, monkeypatch):
    monkeypatch.setattr(worker, "CLOSES_WITHIN_S", 0.01)
    beginning = InProcess(tmp_path)
    with beginning._lock:  # held by the thread in which it begins
        beginning.close()
    assert isinstance(beginning.do(task(print), Progress(), None), Cancelled)
    assert beginning._process is None


def test_a_process_is_forked_off_a_server_that_has_no_threads_and_no_study_open(tmp_path, study_file):
    code = f"""
import os, sqlite3, sys, threading
from pathlib import Path
from awl.server import worker
print(worker._may_fork())
open_study = sqlite3.connect({str(study_file)!r})
open_study.execute("SELECT count(*) FROM awl_facts")
print(worker._may_fork())
open_study.close()
print(worker._may_fork())
waits = threading.Event()
threading.Thread(target=waits.wait).start()
print(worker._may_fork())
waits.set()
"""
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert said == ["True", "False", "True", "False"]


def test_processes_of_a_server_that_is_killed_end_too(tmp_path, study_file):
    shutil.copy(study_file, tmp_path / "cut.gpkg")
    command = [sys.executable, "-m", "awl.cli", "serve", str(tmp_path), "--port", "0", "--workers", "2"]
    serving = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert serving.stdout is not None and "http://" in serving.stdout.readline()
    children = [int(number) for number in Path(f"/proc/{serving.pid}/task/{serving.pid}/children").read_text().split()]
    assert len(children) >= 3, "forked off before there was anything to wait for"
    serving.kill()
    serving.wait()
    deadline = time.monotonic() + 30
    while any(
        Path(f"/proc/{child}/stat").exists() and " Z " not in Path(f"/proc/{child}/stat").read_text()
        for child in children
    ):
        assert time.monotonic() < deadline
        time.sleep(0.05)
