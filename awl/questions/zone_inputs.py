"""Inputs and doubts shared by the questions that count people in zones."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from awl.core.errors import AwlError
from awl.io.table import Table
from awl.questions.context import Context
from awl.questions.results import Doubt, counted, listed
from awl.questions.slots import slot

FIELDS: Any = Field(
    default_factory=list,
    max_length=40,
    description="Zone fields with numbers of people, one figure each; none means every field with numbers.",
    json_schema_extra=slot("amount", "People", "fields", nothing="all people", of="zones", field_type="number"),
)


def chosen_fields(layer: Table, fields: list[str]) -> list[str]:
    """The fields to count: those asked for, or every numeric one."""
    if len(set(fields)) != len(fields):
        raise AwlError("A field is named twice", inputs=("fields",))
    if fields:
        return fields
    numeric = [name for name in layer.numeric if name != layer.key_field and not layer.columns[name].gaps.all()]
    if not numeric:
        raise AwlError(
            "The zones have no field with numbers of people",
            remedy="Choose a layer with population fields",
            inputs=("fields",),
        )
    return numeric


def gap_doubts(layer: Table, fields: list[str]) -> list[Doubt]:
    """Zones that have no value in a field that is counted."""
    doubts = []
    for field in fields:
        gaps = np.flatnonzero(layer.columns[field].gaps).tolist()
        if gaps:
            some = listed([layer.names("zone")[i] for i in gaps])
            has, count = ("has", "counts") if len(gaps) == 1 else ("have", "count")
            text = f"{counted(len(gaps), 'zone')} {has} no value in '{field}' and {count} as 0: {some}."
            doubts.append(Doubt("zones-without-value", "warning", len(gaps), text))
    return doubts


def zone_doubts(
    placed: NDArray[np.float64], people: NDArray[np.float64], names: list[str], context: Context
) -> list[Doubt]:
    """Zones with people (z,) none of whom can be placed on a street; `placed` (z,) is the share that can."""
    bare = np.flatnonzero((placed == 0) & (people > 0))
    if len(bare) == 0:
        return []
    text = (
        f"{counted(len(bare), 'zone')} without a home on a street for {context.mode.id}: {listed([names[i] for i in bare])}."
        " Counted as not placed."
    )
    return [Doubt("zones-without-street", "warning", len(bare), text)]
