"""Find the messages of wanted elements among the bytes of a block. A negative count means that the bytes are malformed."""

from __future__ import annotations

import numpy as np
from numba import njit

from awl.io.osm_pbf import kernels


@njit(cache=True, nogil=True)
def spans_of(buf, start, stop, number, wanted, spans):
    """Fill `spans` (k, 2) with the messages of a group whose id is among the sorted `wanted`; returns how many.

    Parameters:
        buf: the bytes of a block.
        start: where the group begins.
        stop: where it ends.
        number: the field of the messages: nodes, ways or relations.
        wanted: sorted ids.
        spans: spans, filled here; room for as many as ids are wanted.
    """
    count, pos = 0, start
    while pos < stop:
        here, begin, end, _, pos = kernels.field(buf, pos, stop)
        if pos < 0:
            return kernels.BROKEN
        if here != number:
            continue
        ident, at = np.int64(0), begin
        while at < end:
            inner, _, _, value, at = kernels.field(buf, at, end)
            if at < 0:
                return kernels.BROKEN
            if inner == 1:
                # Ids of nodes are zigzag coded.
                ident = (value >> 1) ^ -(value & 1) if number == kernels.NODES else value
                break
        place = np.searchsorted(wanted, ident)
        if place < len(wanted) and wanted[place] == ident and count < len(spans):
            spans[count, 0], spans[count, 1] = begin, end
            count += 1
    return count
