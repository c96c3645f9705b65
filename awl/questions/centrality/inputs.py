"""Inputs of the question `centrality`."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from awl.questions.inputs import FeatureSet, SharedInputs
from awl.questions.slots import Fresh, place_word, slot

Index = Literal["reach", "gravity", "closeness", "betweenness", "straightness"]
INDICES: tuple[Index, ...] = ("reach", "gravity", "closeness", "betweenness", "straightness")


class CentralityInputs(SharedInputs):
    """Inputs of `centrality`."""

    places: FeatureSet = Field(
        description="The places, which are also what each is set against; polygons stand for their middle.",
        json_schema_extra=place_word("Places", "places", "zones", "buildings", fresh=Fresh(layer="largest")),
    )
    radius: float = Field(
        800.0,
        description="Others up to so many metres count, or minutes where `measure` is `time`.",
        json_schema_extra=slot("amount", "Radius", "limit", needed=True, usual={"distance": 800, "time": 10}),
    )
    measure: Literal["time", "distance"] = Field("distance", description="What the radius and the indices count.")
    indices: list[Index] = Field(
        list(INDICES),
        min_length=1,
        description="Which indices; the first one heads the answer.",
        json_schema_extra=slot(
            "way", "Indices", "several", words={index: index for index in INDICES}, every="every index"
        ),
    )
    weight: str | None = Field(
        None,
        description="A field of the places with what each counts for; null counts all alike.",
        json_schema_extra=slot(
            "amount",
            "Field that says what each counts for",
            "field",
            text="each counted by its {}",
            nothing="all counted alike",
            of="places",
            field_type="number",
        ),
    )
    beta: float | None = Field(
        None,
        gt=0,
        description="How fast weight is lost for gravity: at a cost c a place counts exp(-beta c) of it, c in metres or minutes. "
        "Null: one half at half the radius.",
    )
