"""A heap of whole numbers in an array, each with four below it: fewer levels than with two, and four lie side by side in memory.

Source: D. B. Johnson, *Priority queues with update and finding minimum spanning trees*, Inf. Process. Lett. 4 (1975), d-heaps.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount

Keys = NDArray[np.int64]


@njit_no_refcount
def pushed(keys: Keys, size: int, key: int) -> int:
    """Put a key among the first `size` ones, which are a heap; how many they are then. There must be room.

    Parameters:
        keys: the heap, with room for one more.
        size: how many keys there are.
        key: the key.
    """
    at = size
    while at > 0:
        above = (at - 1) >> 2
        if keys[above] <= key:
            break
        keys[at] = keys[above]
        at = above
    keys[at] = key
    return size + 1


@njit_no_refcount
def popped(keys: Keys, size: int) -> int:
    """Take the least key, which is `keys[0]`, out of the first `size` ones; how many are left.

    Parameters:
        keys: the heap.
        size: how many keys there are.
    """
    size -= 1
    key = keys[size]
    at = 0
    while True:
        first = 4 * at + 1
        if first >= size:
            break
        least, low = first, keys[first]
        for other in range(first + 1, min(first + 4, size)):
            if keys[other] < low:
                least, low = other, keys[other]
        if low >= key:
            break
        keys[at] = low
        at = least
    keys[at] = key
    return size
