"""Arrays in files are read by several threads at a time."""

from __future__ import annotations

import gc
import sys
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from awl.study import npy


class Garbage:
    """What is cleared away by the collector alone, with a few steps of Python: there another thread comes to its turn."""

    def __init__(self):
        self.itself = self

    def __del__(self):
        sum(range(50))


@pytest.fixture
def restless():
    """Threads that take turns as often as they can, while garbage is collected."""
    interval, thresholds = sys.getswitchinterval(), gc.get_threshold()
    sys.setswitchinterval(1e-6)
    gc.set_threshold(5)
    yield
    sys.setswitchinterval(interval)
    gc.set_threshold(*thresholds)


def test_threads_that_read_at_the_same_time_do_not_disturb_one_another(tmp_path, restless):
    np.save(tmp_path / "some.npy", np.arange(6).reshape(2, 3))

    def read(_):
        Garbage()
        return npy.mapped(tmp_path / "some.npy")[1, 2]

    with ThreadPoolExecutor(4) as pool:
        assert set(pool.map(read, range(4000))) == {5}


@pytest.mark.parametrize("data", [b"", b"\x93NUMPY\x01\x00", b"no array at all, but long enough to be taken for one"])
def test_what_is_no_array_is_told_so(tmp_path, data):
    (tmp_path / "broken.npy").write_bytes(data)
    with pytest.raises((ValueError, EOFError)):
        npy.read(tmp_path / "broken.npy")


def test_what_was_read_outlasts_its_file_and_may_be_empty(tmp_path):
    np.save(tmp_path / "none.npy", np.zeros((0, 3), np.int32))
    array = npy.read(tmp_path / "none.npy")
    (tmp_path / "none.npy").unlink()
    assert array.shape == (0, 3) and array.dtype == np.int32
