"""Inputs of the question `matrix`."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from awl.questions.hours import MOST_HOURS
from awl.questions.inputs import MEASURE_WORDS, FeatureSet, SharedInputs
from awl.questions.slots import choice_word, hours_word, place_word, slot


class MatrixInputs(SharedInputs):
    """Inputs of `matrix`."""

    from_: FeatureSet = Field(
        alias="from", description="Starts.", json_schema_extra=place_word("From", "zones", "places", "buildings")
    )
    to: FeatureSet = Field(description="Ends.", json_schema_extra=place_word("To"))
    measure: Literal["time", "distance"] = Field(
        "time", description="What is least.", json_schema_extra=choice_word("Least", MEASURE_WORDS)
    )
    limit: float | None = Field(
        None,
        description="Minutes (metres where `measure` is `distance`) beyond which pairs are left out; null for none.",
        json_schema_extra=slot("amount", "Up to", "limit", text="within {}", nothing="without limit"),
    )
    hours: list[Annotated[int, Field(ge=0, le=23)]] = Field(
        [],
        max_length=MOST_HOURS,
        description="Further hours of the day of `at`, 0 to 23: the time of each pair at those hours as well.",
        json_schema_extra=hours_word(),
    )
