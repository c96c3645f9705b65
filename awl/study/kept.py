"""Derived arrays kept beside a study, one folder for each thing they were made of, checked before they are trusted."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import logging
import shutil
import zlib
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.study import npy
from awl.study.arrays import folder_of, keep_folder

log = logging.getLogger(__name__)
LOCK = ".lock"
"""The file whose lock is held by who makes arrays of a study."""
KEPT = 12
"""Folders of a kind that stay; of more the oldest go."""


def place_of(study: Path, kind: str, made_of: Sequence[NDArray[Any]], layout: int) -> Path:
    """The folder for what is derived from the arrays `made_of`; `layout` counts the ways a kind is written."""
    digest = hashlib.sha256(str(layout).encode())
    for array in made_of:
        digest.update(f"{array.shape}".encode())
        digest.update(np.ascontiguousarray(array).tobytes())
    return folder_of(study) / f"{kind}-{digest.hexdigest()[:24]}"


def save(folder: Path, arrays: Mapping[str, NDArray[Any]]) -> None:
    """Write arrays under their names; they appear whole or not at all, and the oldest folders of the kind go.

    Where the disk does not take them nothing is kept: they are made again when they are needed.
    """

    def write(scratch: Path) -> None:
        for name, array in arrays.items():
            np.save(scratch / f"{name}.npy", array)
        sums = {name: zlib.crc32((scratch / f"{name}.npy").read_bytes()) for name in arrays}
        (scratch / "head.json").write_text(json.dumps(sums))

    keep_folder(folder, write)
    leave_newest(folder)


def leave_newest(folder: Path) -> None:
    """Of the folders of a kind, let the oldest go."""
    kind = folder.name.split("-")[0]
    for old in sorted(folder.parent.glob(f"{kind}-*"), key=lambda path: -path.stat().st_mtime)[KEPT:]:
        shutil.rmtree(old, ignore_errors=True)


@contextlib.contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Let one process at a time make what belongs into a folder; without where no lock can be had, as in a read-only place."""
    lock = None
    try:
        folder.parent.mkdir(exist_ok=True)
        lock = (folder.parent / LOCK).open("a")
        fcntl.flock(lock, fcntl.LOCK_EX)
    except OSError:
        log.info("no lock can be had beside the study")
    try:
        yield
    finally:
        if lock is not None:
            lock.close()


def loaded(folder: Path, names: Sequence[str] | None = None) -> dict[str, NDArray[Any]] | None:
    """The arrays of a folder, or those of some names, mapped; None when it is not there or damaged."""
    try:
        sums = json.loads((folder / "head.json").read_text())
        names = list(sums) if names is None else names
        if any(zlib.crc32((folder / f"{name}.npy").read_bytes()) != sums[name] for name in names):
            return None
        return {name: npy.mapped(folder / f"{name}.npy") for name in names}
    except (OSError, ValueError, EOFError, KeyError, TypeError):
        return None
