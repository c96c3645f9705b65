"""Batch work on several processes or machines: blocks of origins, each answered by a worker and written as one Parquet file.

Workers (`dask.distributed`) open the study themselves, from a folder they share with whoever asks: street graph and hierarchy are
mapped into memory from the arrays beside it, once per worker. A block is written whole under its final name or not at all, so one
that is done twice because a worker died comes out the same.
"""

from __future__ import annotations

import json
import shutil
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.formats import parquet
from awl.questions.base import Json
from awl.questions.context import Context
from awl.questions.matrix import Matrix, MatrixInputs, Sides, sides_of
from awl.study.study import Study

BLOCK_ROWS = 256
"""Origins in one block."""
RETRIES = 3
"""A block whose worker died is given to another so many times."""
KEPT_SETUPS = 2
QUESTIONS = ("matrix",)


@dataclass(frozen=True)
class Written:
    """What a batch left: number of files and of rows."""

    files: int
    rows: int


def run_batch(
    study: Study,
    ident: str,
    inputs: Json,
    folder: Path,
    workers: str,
    progress: Progress | None = None,
    block_rows: int = BLOCK_ROWS,
) -> Written:
    """Answer a question in blocks into a folder of Parquet files.

    `workers` is the address of a scheduler (`tcp://host:port`), or `local:N` for N processes on this machine.
    Raises `AwlError` for faulty inputs before anything is written, and when a block cannot be answered.
    """
    if ident not in QUESTIONS:
        raise AwlError(
            f"'{ident}' cannot be answered in blocks", remedy=f"Questions for workers: {', '.join(QUESTIONS)}"
        )
    if folder.exists():
        raise AwlError("The folder is there already", where=str(folder), remedy="Name a new one")
    progress = progress or Progress()
    progress.step(0.0, "checking places")
    parsed = Matrix.parse(inputs)
    assert isinstance(parsed, MatrixInputs)
    sides = sides_of(parsed, Context(study, parsed))
    study.wait_until_prepared(parsed.mode)
    scratch = folder.with_name(f".{folder.name}.new")
    shutil.rmtree(scratch, ignore_errors=True)
    scratch.mkdir(parents=True)
    task = json.dumps({"study": str(study.path.resolve()), "stamp": study.stamp, "inputs": inputs})
    try:
        with _client(workers) as client:
            futures = [
                client.submit(answer_block, task, rows, str(path), retries=RETRIES, pure=False)
                for rows, path in _blocks(len(sides.starts), block_rows, scratch)
            ]
            rows = _gathered(client, futures, progress)
        scratch.rename(folder)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)
    return Written(len(futures), rows)


def _blocks(count: int, size: int, folder: Path) -> list[tuple[tuple[int, int], Path]]:
    """First row and the row after the last of each block, and its file."""
    begins = range(0, count, size)
    return [((a, min(a + size, count)), folder / f"part-{i:05}.parquet") for i, a in enumerate(begins)]


def _gathered(client: Any, futures: list[Any], progress: Progress) -> int:
    """Rows of all blocks; each report may stop the work."""
    from distributed import KilledWorker, as_completed

    rows = 0
    try:
        for done, future in enumerate(as_completed(futures), start=1):
            rows += future.result()
            progress.step(done / len(futures), f"{done} of {len(futures)} blocks")
    except KilledWorker as error:
        raise AwlError(
            "Workers died over the same block again and again", remedy="Give them more memory, or look into their logs"
        ) from error
    finally:
        client.cancel(futures)
    return rows


_SETUPS: OrderedDict[str, tuple[Context, Sides]] = OrderedDict()


def answer_block(task: str, rows: tuple[int, int], path: str) -> int:
    """Answer the origins from one row to another on a worker, and write the block; returns its rows.

    What the blocks share is set up once per worker.
    """
    if task not in _SETUPS:
        _SETUPS[task] = _set_up(json.loads(task))
        while len(_SETUPS) > KEPT_SETUPS:
            _SETUPS.popitem(last=False)
    context, sides = _SETUPS[task]
    columns = sides.columns(context, np.arange(*rows), threads=1)
    parquet.write(Path(path), columns)
    return len(next(iter(columns.values())))


def _set_up(task: Json) -> tuple[Context, Sides]:
    path = Path(task["study"])
    if not path.exists():
        raise AwlError(
            "A worker does not find the study", where=str(path), remedy="Give workers the folder under the same path"
        )
    study = Study(path)
    if study.stamp != task["stamp"]:
        raise AwlError("A worker finds another state of the study", where=str(path), remedy="Ask again")
    parsed = MatrixInputs.model_validate(task["inputs"])
    study.wait_until_prepared(parsed.mode)
    context = Context(study, parsed)
    return context, sides_of(parsed, context)


@contextmanager
def _client(workers: str) -> Iterator[Any]:
    """A client of a scheduler, which is one of our own for `local:N`; it listens to this machine only."""
    import dask
    from distributed import Client, LocalCluster

    kind, _, count = workers.partition(":")
    if kind == "local":
        if not count.isdigit() or not 1 <= int(count) <= 256:
            raise AwlError(f"'{workers}' names no number of workers", remedy="Write local:4 for four processes")
        with (
            dask.config.set({"distributed.worker.daemon": True}),
            LocalCluster(
                n_workers=int(count), threads_per_worker=1, dashboard_address=None, host="127.0.0.1", silence_logs=50
            ) as cluster,
            Client(cluster) as client,
        ):
            yield client
        return
    if kind not in ("tcp", "tls"):
        raise AwlError(f"'{workers}' is no address of workers", remedy="Write tcp://host:8786, or local:4")
    with _connected(lambda: Client(workers, timeout=10)) as client:
        yield client


@contextmanager
def _connected(connect: Callable[[], Any]) -> Iterator[Any]:
    try:
        client = connect()
    except (OSError, ValueError) as error:
        raise AwlError(
            f"The scheduler does not answer ({error})", remedy="Check its address and that it runs"
        ) from error
    with client:
        yield client
