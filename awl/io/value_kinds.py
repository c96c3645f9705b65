"""The kinds of values a column may hold, and which kind a list of values of unknown types is."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
import pyarrow as pa

Kind = Literal["integer", "number", "boolean", "text"]
TYPES: dict[Kind, pa.DataType] = {
    "integer": pa.int64(), "number": pa.float64(), "boolean": pa.bool_(), "text": pa.string(),
}  # fmt: skip


def kind_of(values: Sequence[Any]) -> Kind:
    """The kind of values of a format without a schema: the narrowest that holds them all; text where there are none.

    Parameters:
        values: the values, None where there is none.
    """
    only = _only_type(values)
    if only in (str, bool):
        return "text" if only is str else "boolean"
    kinds = {_kind(value) for value in values if not _absent(value)}
    if not kinds or "text" in kinds:
        return "text"
    if kinds == {"boolean"}:
        return "boolean"
    return "number" if "number" in kinds else "integer"


def _only_type(values: Sequence[Any]) -> type | None:
    """The type of all values that are there, None where they have several or there are none."""
    types = set(map(type, values)) - {type(None)}
    return types.pop() if len(types) == 1 else None


def _kind(value: Any) -> Kind:
    if isinstance(value, bool | np.bool_):
        return "boolean"
    if isinstance(value, int | np.integer):
        return "integer" if -(2**63) <= value < 2**63 else "text"
    return "number" if isinstance(value, float | np.floating) else "text"


def _absent(value: Any) -> bool:
    return value is None or (isinstance(value, float) and value != value)


def values_as_arrow(values: list[Any]) -> pa.Array:
    """An Arrow array of the kind that values are of, null where one is absent.

    Parameters:
        values: the values, None where there is none.
    """
    only = _only_type(values)
    if only in (str, bool):
        return pa.array(values, TYPES["text" if only is str else "boolean"])
    kind = kind_of(values)
    if kind == "text":
        return pa.array([None if _absent(value) else as_text(value) for value in values], pa.string())
    if kind == "number":
        return pa.array([None if _absent(value) else float(value) for value in values], pa.float64())
    cast = bool if kind == "boolean" else int
    return pa.array([None if _absent(value) else cast(value) for value in values], TYPES[kind])


def as_text(value: Any) -> str:
    """A value among text, without loss.

    Parameters:
        value: the value.
    """
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    if isinstance(value, dict | list):
        return json.dumps(value)
    return str(value)
