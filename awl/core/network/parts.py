"""Connected parts of a directed network: which nodes can all reach each other.

Source: R. Tarjan, *Depth-first search and linear graph algorithms*, SIAM J. Comput. 1 (1972), made iterative.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True, nogil=True)
def strong_parts(start: NDArray[np.int64], head: NDArray[np.int32]) -> NDArray[np.int32]:
    """Label (n,) of the strongly connected part of each node of a CSR graph; O(nodes + arcs).

    Parameters:
        start: offsets (n + 1,) by node.
        head: the node (a,) that each arc leads to.
    """
    n = len(start) - 1
    label = np.full(n, -1, np.int32)
    number = np.full(n, -1, np.int32)
    low = np.zeros(n, np.int32)
    cursor = start[:-1].copy()
    on_path = np.empty(n, np.int32)
    stack = np.empty(n, np.int32)
    waiting_size, counter, parts = 0, 0, 0
    for root in range(n):
        if number[root] >= 0:
            continue
        depth = 0
        on_path[0] = root
        number[root] = low[root] = counter
        counter += 1
        stack[waiting_size] = root
        waiting_size += 1
        while depth >= 0:
            node = on_path[depth]
            if cursor[node] < start[node + 1]:
                other = head[cursor[node]]
                cursor[node] += 1
                if number[other] < 0:
                    number[other] = low[other] = counter
                    counter += 1
                    stack[waiting_size] = other
                    waiting_size += 1
                    depth += 1
                    on_path[depth] = other
                elif label[other] < 0:
                    low[node] = min(low[node], number[other])
                continue
            if low[node] == number[node]:
                while True:
                    waiting_size -= 1
                    member = stack[waiting_size]
                    label[member] = parts
                    if member == node:
                        break
                parts += 1
            depth -= 1
            if depth >= 0:
                parent = on_path[depth]
                low[parent] = min(low[parent], low[node])
    return label
