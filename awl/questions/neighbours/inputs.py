"""Inputs of the question `neighbours`."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from awl.questions.inputs import USUAL_LIMITS, FeatureSet, Limits, SharedInputs
from awl.questions.slots import Fresh, place_word, slot


class NeighboursInputs(SharedInputs):
    """Inputs of `neighbours`."""

    places: FeatureSet = Field(description="The places to look around.", json_schema_extra=place_word("Places"))
    others: FeatureSet = Field(
        description="What may be near them.",
        json_schema_extra=place_word("Others", fresh=Fresh(layer="largest", with_field="kind")),
    )
    kind: str | None = Field(
        None,
        description="The field of the others that says their kind; null counts all as one.",
        json_schema_extra=slot(
            "amount",
            "Field that says the kind",
            "field",
            text="by {}",
            nothing="all as one",
            of="others",
            field_type="text",
            fresh=Fresh(field="kind"),
        ),
    )
    limits: Limits = Field(
        [5.0, 10.0, 15.0],
        description="Minutes, or metres where `measure` is `distance`; ascending.",
        json_schema_extra=slot("amount", "Limits", "limits", usual=USUAL_LIMITS),
    )
    direction: Literal["from", "to"] = Field("from", description="From the places to the others, or the other way.")
    measure: Literal["time", "distance"] = Field("time", description="What the limits count.")
