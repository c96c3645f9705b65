"""Columns of a table that shows features of any layer: names first, numbers with the digits they have."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from awl.io.table import LABEL_NAMES, Table
from awl.views.view import Column

UNITS_IN_NAMES = ("km2", "m2", "km", "m", "s", "min", "kmh", "percent", "ha")
"""What names of fields end with where they say their unit."""
MOST_DIGITS = 4


def field_columns(features: Table, fields: Sequence[str], most: int) -> list[Column]:
    """The columns of some fields, those that name a feature first.

    Parameters:
        features: the features.
        fields: the fields that may be shown.
        most: so many are shown.
    """
    shown = []
    for field in sorted(fields, key=lambda name: name.lower() not in LABEL_NAMES)[:most]:
        column = features.columns[field]
        digits = None
        if column.is_numeric:
            numbers = column.numbers()
            digits = digits_of(numbers[np.isfinite(numbers)])
        words = field.split("_")
        if column.unit and len(words) > 1 and words[-1] in UNITS_IN_NAMES:
            words = words[:-1]
        shown.append(Column(field, " ".join(words).capitalize(), column.unit, digits))
    return shown


def digits_of(numbers: NDArray[np.float64]) -> int:
    """Digits after the point with which numbers are read: none for whole ones, three that count for the largest of others."""
    if (numbers == np.round(numbers)).all():
        return 0
    largest = float(np.abs(numbers).max())
    return min(max(2 - math.floor(math.log10(largest)), 1), MOST_DIGITS)
