"""Arrays in files of NumPy's format, read by several threads."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

_HEADERS = threading.Lock()
"""Held while the head of a file is read: NumPy parses it as Python, and Python 3.11 counts the depth of parsing for all threads
together, so that two at a time can end in a SystemError."""


def mapped(path: Path) -> NDArray[Any]:
    """The array of a file, its data left there until they are needed.

    Copied on writing, and a plain array: kernels are compiled for arrays that may be written.

    Parameters:
        path: the file.

    Raises:
        OSError, ValueError, EOFError: it cannot be read, or is no such file.
    """
    with _HEADERS:
        return np.asarray(np.load(path, mmap_mode="c"))


def read(path: Path) -> NDArray[Any]:
    """The array of a file, which may go afterwards.

    Parameters:
        path: the file.

    Raises:
        OSError, ValueError, EOFError: it cannot be read, or is no such file.
    """
    return mapped(path).copy()
