"""Columns of a table that shows features of any layer: names first, numbers with the digits they have."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from awl.io.table import LABEL_NAMES, Table
from awl.views.view import Column


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
            known = numbers[np.isfinite(numbers)]
            digits = 0 if (known == np.round(known)).all() else 1
        shown.append(Column(field, field.replace("_", " ").capitalize(), column.unit, digits))
    return shown
