"""Who answers the blocks of a batch: workers of a scheduler, processes of our own on this machine, or threads of this process.

Threads begin at once and share everything, but only one of them at a time may use the interpreter: whoever writes tables most of
the time gains nothing by them. Processes do not wait for each other, but take seconds to begin and set up for themselves what the
blocks share. So small batches go out in threads and large ones to processes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from awl.core.errors import AwlError

HELD = {"matrix": 0.65, "access": 1.0, "centrality": 0.15, "simulate": 0.6}
"""Share of the time of a block in which a thread keeps the interpreter to itself: measured on Ferrow, one thread against two."""
START_S = 8.0
"""What processes take until they are at work, beside what each sets up for itself; measured likewise."""
MOST_PROCESSES = 16


def processes_here(ident: str, seconds: float, set_up_s: float, cores: int) -> int:
    """How many processes of our own to give blocks to that take one thread so many `seconds`; 0 where threads are done sooner."""
    count = min(cores, MOST_PROCESSES)
    threads_s = seconds * (HELD[ident] + (1 - HELD[ident]) / cores)
    return count if count > 1 and START_S + set_up_s + seconds / count < threads_s else 0


@contextmanager
def client_of(workers: str) -> Iterator[Any]:
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
