"""Inputs of the question `catchment`."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from awl.questions.inputs import DIRECTION_WORDS, FeatureSet, SharedInputs
from awl.questions.slots import choice_word, place_word, slot
from awl.questions.zone_inputs import FIELDS


class CatchmentInputs(SharedInputs):
    """Inputs of `catchment`."""

    places: FeatureSet = Field(description="The places that streets belong to.", json_schema_extra=place_word("Places"))
    limit: float | None = Field(
        None,
        description="Minutes beyond which a street belongs to no place; null shares out the whole network.",
        json_schema_extra=slot("amount", "Limit", "limit", text="within {}", nothing="without limit"),
    )
    direction: Literal["from", "to"] = Field(
        "to",
        description="People go to the places, or are served from them.",
        json_schema_extra=choice_word("Direction", DIRECTION_WORDS),
    )
    zones: FeatureSet | None = Field(
        None,
        description="Zones with people to count along the streets.",
        json_schema_extra=place_word("Zones", "zones", "residents", points=None, nothing="no zones"),
    )
    fields: list[str] = FIELDS
