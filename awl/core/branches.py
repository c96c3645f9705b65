"""Copies of large arrays that differ in few columns: they share memory with what they were copied from until they are written."""

from __future__ import annotations

import contextlib
import mmap
import os
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

MOST_COLUMNS = 1 / 16
"""A copy that differs in a greater share of its columns is copied from itself."""
SMALL = 1 << 20
"""Copying so many bytes takes less time than mapping them."""


class Image:
    """What an array holds, of which copies are mapped: the system copies a page of memory when it is first written.

    Parameters:
        array: the array; nobody writes into it any more.
    """

    def __init__(self, array: NDArray[Any]) -> None:
        self._array = array
        self._file: int | None = None
        if array.nbytes > SMALL and hasattr(os, "memfd_create"):
            # Where the system has no more files or memory to give, copies are made in full.
            with contextlib.suppress(OSError):
                self._file = os.memfd_create("awl")
                view = np.ascontiguousarray(array).data.cast("B")
                while view:
                    view = view[os.write(self._file, view) :]
                return
            if self._file is not None:
                os.close(self._file)
                self._file = None

    def __del__(self) -> None:
        if self._file is not None:
            os.close(self._file)

    def copy(self) -> NDArray[Any]:
        """A copy that may be written; in full where the system maps none."""
        if self._file is None:
            return self._array.copy()
        access = mmap.PROT_READ | mmap.PROT_WRITE
        try:
            memory = mmap.mmap(self._file, self._array.nbytes, flags=mmap.MAP_PRIVATE, prot=access)
        except OSError:
            return self._array.copy()
        return np.frombuffer(memory, self._array.dtype).reshape(self._array.shape)


class Branch:
    """Where arrays with a column for each of many things come from: the images of others, and the columns in which they differ.

    Parameters:
        images: of the arrays they come from; None where they come from no others.
        columns: where they differ (k,), ascending.
    """

    def __init__(self, images: Sequence[Image] | None = None, columns: NDArray[np.integer] | None = None) -> None:
        self._images = images
        self._columns = np.zeros(0, np.int64) if columns is None else columns

    def copies(self, *arrays: NDArray[Any]) -> list[NDArray[Any]]:
        """Copies of the arrays (r, m) this one stands for, which may be written.

        Parameters:
            arrays: the arrays, always the same.
        """
        if self._images is None:
            self._images = [Image(array) for array in arrays]
        copies = [image.copy() for image in self._images]
        for copy, array in zip(copies, arrays, strict=True):
            copy[:, self._columns] = array[:, self._columns]
        return copies

    def grown(self, columns: NDArray[np.integer], count: int) -> Branch:
        """That of copies which were written in some columns.

        Parameters:
            columns: the columns (k,).
            count: how many columns there are.
        """
        differing = np.union1d(self._columns, columns)
        return Branch(self._images, differing) if len(differing) <= MOST_COLUMNS * count else Branch()


@dataclass(frozen=True)
class Branched:
    """An array (m,) of which others come that differ from it in few places.

    Attributes:
        values: the array.
        branch: where it comes from itself.
    """

    values: NDArray[Any]
    branch: Branch
