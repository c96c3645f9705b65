"""What is relied upon in a private option of the compiler."""

from __future__ import annotations

import numpy as np
import pytest
from numba.core.caching import NullCache
from numba.core.errors import NumbaError

from awl.core.kernels import njit_no_refcount


@njit_no_refcount
def least(values):
    best = values[0]
    for value in values:
        best = min(best, value)
    return best


@njit_no_refcount
def twice(values):
    return values + values


def test_borrowing_kernels_count_no_references():
    least._cache = NullCache()  # what comes from the cache cannot be looked into
    given = np.array([3, 1, 2], np.int32)
    assert least(given) == 1
    (compiled,) = least.inspect_asm().values()
    assert "cpython" in compiled and "NRT_incref" not in compiled.split("cpython")[0]


def test_borrowing_kernels_that_make_an_array_are_refused():
    with pytest.raises(NumbaError):
        twice(np.array([3, 1, 2], np.int32))
