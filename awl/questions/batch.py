"""Batch work on several processes or machines: blocks of origins or zones, each answered by a worker and written as one file.

Workers (`dask.distributed`) open the study themselves, from a folder they share with whoever asks: street graph and hierarchy are
mapped into memory from the arrays beside it, once per worker. A block is written whole under its final name or not at all, so one
that is done twice because a worker died comes out the same.
"""

from __future__ import annotations

import json
import shutil
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import CancelledError
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from awl.core.errors import AwlError
from awl.core.progress import Progress, cores, threads_of
from awl.io import parquet
from awl.io.table import Table, Values
from awl.io.whole import write_whole
from awl.questions.access.inputs import AccessInputs
from awl.questions.access.question import Access
from awl.questions.centrality.inputs import CentralityInputs
from awl.questions.centrality.question import CentralityQuestion
from awl.questions.centrality.run import Asked
from awl.questions.context import Context
from awl.questions.inputs import Json, LayerSet
from awl.questions.matrix.inputs import MatrixInputs
from awl.questions.matrix.question import Matrix
from awl.questions.matrix.run import matrix_ends_of
from awl.questions.simulate.work import SimulateWork
from awl.questions.workers import client_of, processes_here
from awl.study import what_ifs
from awl.study.study import Study

RETRIES = 3
"""A block whose worker died is given to another so many times."""
KEPT_SETUPS = 2
MOST_PLACES = 10_000_000
"""Of a matrix or a centrality in blocks, whose answer is never held as a whole."""


class Work(Protocol):
    """A question that can be answered for some of its rows alone."""

    block_rows: int
    """Rows in one block, where nothing else is said."""

    @property
    def rows(self) -> int:
        """How many there are, a row being an origin or a zone."""

    def answered(self, first: int, last: int) -> tuple[bytes, int]:
        """Rows `first` to `last` (not included) as a Parquet file, and the lines in it."""


class MatrixWork:
    """A matrix by its origins."""

    block_rows = 256

    def __init__(self, study: Study, inputs: Json) -> None:
        parsed = Matrix.parse(inputs)
        assert isinstance(parsed, MatrixInputs)
        self._context = Context(study, parsed, most_places=MOST_PLACES)
        self._sides = matrix_ends_of(parsed, self._context)

    @property
    def rows(self) -> int:
        """Origins."""
        return len(self._sides.starts)

    def answered(self, first: int, last: int) -> tuple[bytes, int]:
        """The pairs of some origins."""
        table = self._sides.table(self._context, np.arange(first, last), threads=1)
        return parquet.of_table(table), len(table)


class AccessWork:
    """Zones and their people, by zones."""

    block_rows = 2000

    def __init__(self, study: Study, inputs: Json) -> None:
        parsed = Access.parse(inputs)
        assert isinstance(parsed, AccessInputs)
        if not isinstance(parsed.zones, LayerSet) or parsed.zones.inside is not None:
            raise AwlError("In blocks, zones are those of a layer", remedy='Write {"layer": ...}', inputs=("zones",))
        if "two_step" in parsed.measures or parsed.candidates is not None:
            raise AwlError(
                "Supply per head and candidates weigh all zones against each other, so they cannot be answered in blocks",
                remedy="Leave them out, or ask without --workers",
                inputs=("measures", "candidates"),
            )
        Context(study, parsed).features(parsed.places, "places")
        self._study, self._inputs, self._zones = study, inputs, parsed.zones
        changed = what_ifs.variant(study, parsed.what_ifs)
        chosen = changed.read_layer(parsed.zones.layer, parsed.zones.where, "zones", fields=[])
        self._numbers: list[int] = chosen.columns["fid"].tolist()

    @property
    def rows(self) -> int:
        """Zones."""
        return len(self._numbers)

    def answered(self, first: int, last: int) -> tuple[bytes, int]:
        """Some zones, each as if all had been asked for."""
        begin, end = self._numbers[first], self._numbers[last - 1]
        within = f"fid BETWEEN {begin} AND {end}"
        where = f"({self._zones.where}) AND {within}" if self._zones.where else within
        parsed = Access.parse({**self._inputs, "zones": {"layer": self._zones.layer, "where": where}})
        assert isinstance(parsed, AccessInputs)
        zones = Access.run(parsed, Context(self._study, parsed)).part("zones")
        return parquet.of_table(zones), len(zones)


class CentralityWork:
    """Indices of places, by the places trips begin from.

    Each place has its indices in one block. Betweenness is what trips from the places of a block add, so its lines name all
    places these trips pass: summed up by place over all blocks it is that of the whole.
    """

    block_rows = 20_000

    def __init__(self, study: Study, inputs: Json) -> None:
        parsed = CentralityQuestion.parse(inputs)
        assert isinstance(parsed, CentralityInputs)
        self._asked = Asked(parsed, Context(study, parsed, most_places=MOST_PLACES))

    @property
    def rows(self) -> int:
        """Places."""
        return len(self._asked.places)

    def answered(self, first: int, last: int) -> tuple[bytes, int]:
        """Some places, and others that trips from them pass."""
        sums = self._asked.central.sums(np.arange(first, last), threads=1)
        named = np.nan_to_num(sums.passing) > 0
        named[first:last] = True
        rows = np.flatnonzero(named)
        ids: dict[str, Values] = {"place_row": rows + 1, "place_id": [self._asked.places.ids[i] for i in rows]}
        columns = {name: column.take(rows) for name, column in self._asked.columns(sums).items()}
        return parquet.of_table(Table(None, {**ids, **columns})), len(rows)


WORK: dict[str, Callable[[Study, Json], Work]] = {
    "matrix": MatrixWork,
    "access": AccessWork,
    "centrality": CentralityWork,
    "simulate": SimulateWork,
}


Block = tuple[tuple[int, int], Path]
"""First row and the row after the last of a block, and its file."""


@dataclass(frozen=True)
class Written:
    """What a batch left: number of files and of rows; and how many processes of our own made it, 0 where threads did."""

    files: int
    rows: int
    processes: int = 0


def run_batch(
    study: Study,
    ident: str,
    inputs: Json,
    folder: Path,
    workers: str | None = None,
    progress: Progress | None = None,
    block_rows: int | None = None,
) -> Written:
    """Answer a question in blocks into a folder of Parquet files.

    `workers` is the address of a scheduler (`tcp://host:port`), or `local:N` for N processes on this machine; left out, the first
    blocks tell whether threads or processes here will be done sooner with the rest. Raises `AwlError` for faulty inputs before
    anything is written, and when a block cannot be answered.
    """
    if ident not in WORK:
        raise AwlError(f"'{ident}' cannot be answered in blocks", remedy=f"Questions for workers: {', '.join(WORK)}")
    if folder.exists():
        raise AwlError("The folder is there already", where=str(folder), remedy="Name a new one")
    progress, began = progress or Progress(), time.monotonic()
    progress.step(0.0, "checking places")
    with progress.running():
        work = WORK[ident](study, inputs)
        _prepared(study, inputs)
    set_up_s = time.monotonic() - began
    scratch = folder.with_name(f".{folder.name}.new")
    shutil.rmtree(scratch, ignore_errors=True)
    scratch.mkdir(parents=True)
    task = json.dumps(
        {"study": str(study.path.resolve()), "revision": study.revision, "question": ident, "inputs": inputs}
    )
    rows, processes = 0, 0
    try:
        blocks = rest = _blocks(work.rows, block_rows or work.block_rows, scratch)
        if workers is None:
            rows, rest, processes = _begun_here(work, ident, blocks, set_up_s, progress)
            workers = f"local:{processes}" if processes else None
        left = progress.part(1 - len(rest) / max(len(blocks), 1), 1.0)
        if workers is not None and rest:
            with progress.running():
                _study_of(study, inputs).keep_prepared(_mode_of(inputs))
            with client_of(workers) as client:
                futures = [
                    client.submit(answer_block, task, some, str(path), retries=RETRIES, pure=False)
                    for some, path in rest
                ]
                rows += _gathered(client, futures, left)
        elif rest:
            rows += _in_threads(work, rest, left)
        scratch.rename(folder)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)
    return Written(len(blocks), rows, processes)


def _begun_here(
    work: Work, ident: str, blocks: list[Block], set_up_s: float, progress: Progress
) -> tuple[int, list[Block], int]:
    """Rows of the first two blocks, the blocks that are left, and how many processes to give these to.

    The first also does what is done once, so the second tells how long one takes.
    """
    rows, seconds = 0, 0.0
    for number, block in enumerate(blocks[:2], start=1):
        began = time.monotonic()
        rows += _in_threads(work, [block], progress.part((number - 1) / len(blocks), number / len(blocks)))
        seconds = time.monotonic() - began
    rest = blocks[2:]
    return rows, rest, processes_here(ident, seconds * len(rest), set_up_s, cores())


def _in_threads(work: Work, blocks: list[Block], progress: Progress) -> int:
    """Lines of all blocks, answered in threads of this process."""

    def answered(block: Block) -> int:
        (first, last), path = block
        data, lines = work.answered(first, last)
        write_whole(path, data)
        return lines

    rows = 0
    with progress.running(), threads_of(min(cores(), len(blocks))) as pool:
        for done, lines in enumerate(pool.map(answered, blocks), start=1):
            rows += lines
            progress.step(done / len(blocks), f"{done} of {len(blocks)} blocks")
    return rows


def _blocks(count: int, size: int, folder: Path) -> list[Block]:
    begins = range(0, count, size)
    return [((a, min(a + size, count)), folder / f"part-{i:05}.parquet") for i, a in enumerate(begins)]


def _gathered(client: Any, futures: list[Any], progress: Progress) -> int:
    """Rows of all blocks; each report may stop the work."""
    from distributed import KilledWorker, as_completed
    from distributed.comm import CommClosedError

    rows = 0
    try:
        for done, future in enumerate(as_completed(futures), start=1):
            rows += future.result()
            progress.step(done / len(futures), f"{done} of {len(futures)} blocks")
    except KilledWorker as error:
        raise AwlError(
            "Workers died over the same block again and again", remedy="Give them more memory, or look into their logs"
        ) from error
    except (CancelledError, CommClosedError) as error:
        raise AwlError(
            f"The scheduler went away while blocks were being answered ({client.scheduler.address})",
            remedy="Look into its log, begin it again and ask again: nothing was written",
            kind="no-scheduler",
        ) from error
    finally:
        if client.status == "running":
            with suppress(CommClosedError):
                client.cancel(futures)
    return rows


_SETUPS: OrderedDict[str, Work] = OrderedDict()


def answer_block(task: str, rows: tuple[int, int], path: str) -> int:
    """Answer some rows, from one to another, on a worker, and write the block; returns its lines.

    What the blocks share is set up once per worker.
    """
    if task not in _SETUPS:
        _SETUPS[task] = _set_up(json.loads(task))
        while len(_SETUPS) > KEPT_SETUPS:
            _SETUPS.popitem(last=False)
    data, lines = _SETUPS[task].answered(*rows)
    write_whole(Path(path), data)
    return lines


def _prepared(study: Study, inputs: Json) -> None:
    """Have the hierarchy ready that the inputs need, on the study as it would be with their what-ifs."""
    _study_of(study, inputs).wait_until_prepared(_mode_of(inputs))


def _study_of(study: Study, inputs: Json) -> Study:
    wanted = inputs.get("what_if") or []
    return what_ifs.variant(study, [wanted] if isinstance(wanted, str) else wanted)


def _mode_of(inputs: Json) -> str:
    return str(inputs.get("mode", "walk"))


def _set_up(task: Json) -> Work:
    path = Path(task["study"])
    if not path.exists():
        raise AwlError(
            "A worker does not find the study", where=str(path), remedy="Give workers the folder under the same path"
        )
    study = Study(path)
    if study.revision != task["revision"]:
        raise AwlError("A worker finds another state of the study", where=str(path), remedy="Ask again")
    _prepared(study, task["inputs"])
    return WORK[task["question"]](study, task["inputs"])
