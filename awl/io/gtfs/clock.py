"""Times and dates as GTFS writes them, compiled."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numba import njit
from numpy.typing import NDArray

NONE, MALFORMED = -1, -2
"""Instead of seconds: nothing is given, or something that is no time."""


@njit(cache=True, nogil=True)
def _seconds(offsets, data, seconds):
    """Read `H:MM:SS` or `HH:MM:SS`, spaces around it allowed."""
    for row in range(len(seconds)):
        begin, end = offsets[row], offsets[row + 1]
        while begin < end and data[begin] == 32:
            begin += 1
        while end > begin and data[end - 1] == 32:
            end -= 1
        if begin == end:
            seconds[row] = NONE
            continue
        part, value, total, digits, parts = 0, 0, 0, 0, 0
        valid = True
        for at in range(begin, end + 1):
            if at == end or data[at] == 58:
                valid = valid and 0 < digits <= 3 and (parts == 0 or (digits == 2 and value < 60))
                total = total * 60 + value
                value, digits, parts = 0, 0, parts + 1
            elif 48 <= data[at] <= 57:
                value, digits = value * 10 + data[at] - 48, digits + 1
                valid = valid and digits <= 3
            else:
                valid = False
        part = parts
        seconds[row] = total if valid and part == 3 else MALFORMED


def seconds_of(column: pa.Array) -> NDArray[np.int32]:
    """Seconds (n,) of a column of times, `NONE` or `MALFORMED` where there is none.

    Parameters:
        column: text (n,).
    """
    column = column.fill_null("") if column.null_count else column
    if len(column) == 0:
        return np.zeros(0, np.int32)
    _, offsets, data = column.buffers()
    at = np.frombuffer(offsets, np.int32)[column.offset : column.offset + len(column) + 1]
    text = np.frombuffer(data, np.uint8) if data is not None and data.size else np.zeros(1, np.uint8)
    seconds = np.empty(len(column), np.int32)
    _seconds(np.array(at), np.array(text), seconds)
    return seconds


def days_of(column: pa.Array) -> NDArray[np.datetime64]:
    """Days (n,) of a column of dates such as 20260603; not a time where it is none.

    Parameters:
        column: text (n,).
    """
    texts = [text or "" for text in column.to_pylist()]
    days = np.full(len(texts), np.datetime64("NaT", "D"))
    for row, text in enumerate(texts):
        text = text.strip()
        if len(text) == 8 and text.isdigit():
            try:
                days[row] = np.datetime64(f"{text[:4]}-{text[4:6]}-{text[6:]}", "D")
            except ValueError:
                continue
    return days
