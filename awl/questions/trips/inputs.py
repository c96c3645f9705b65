"""Inputs of the question `trips`."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from awl.questions.inputs import MEASURE_WORDS, FeatureSet, SharedInputs
from awl.questions.slots import choice_word, number_word, place_word

MOST = 200_000


class TripsInputs(SharedInputs):
    """Inputs of `trips`."""

    from_: FeatureSet | None = Field(
        None,
        alias="from",
        description="Where trips begin.",
        json_schema_extra=place_word("From", "zones", "places", "buildings"),
    )
    to: FeatureSet | None = Field(None, description="Where trips end.", json_schema_extra=place_word("To"))
    pairing: Literal["nearest", "each", "id"] = Field(
        "nearest",
        description="Each start to the nearest end, to each end, or to the end of the same id.",
        json_schema_extra=choice_word(
            "Pairs", {"nearest": "the nearest of", "each": "each of", "id": "that of the same id among"}
        ),
    )
    lines: FeatureSet | None = Field(
        None,
        description="Lines instead of 'from' and 'to': a trip from the first vertex over those between to the last.",
        json_schema_extra=place_word("Lines", "lines", points=None, optional=True),
    )
    measure: Literal["time", "distance"] = Field(
        "time", description="What is least.", json_schema_extra=choice_word("Least", MEASURE_WORDS)
    )
    most: int = Field(
        10_000,
        ge=1,
        le=MOST,
        description="How many trips are made; of more, a sample spread evenly is taken.",
        json_schema_extra=number_word("At most", "at most {} trips", "trips"),
    )

    @model_validator(mode="after")
    def _ends_or_lines(self) -> TripsInputs:
        if (self.lines is None) == (self.from_ is None or self.to is None):
            raise ValueError("Give 'from' and 'to', or 'lines'")
        return self
