"""Inputs of the question `isochrone`."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from awl.questions.hours import MOST_HOURS
from awl.questions.inputs import DIRECTION_WORDS, USUAL_LIMITS, FeatureSet, Limits, SharedInputs
from awl.questions.slots import Clause, Offer, choice_word, hours_word, place_word, slot


class Differing(BaseModel):
    """What holds for some of the places instead; words left out stay as they are for all."""

    model_config = ConfigDict(extra="forbid")

    where: str = Field(min_length=1, description="Which places, in CQL2: kind = 'hall'.")
    mode: str | None = Field(None, description="Another mode.")
    at: str | None = Field(None, description="Another hour.")
    limits: Limits | None = Field(None, description="Other limits, as many as all have.")
    add_minutes: float = Field(
        0.0, ge=0, le=240, description="Minutes every trip takes longer, such as finding a parking space."
    )


class IsochroneInputs(SharedInputs):
    """Inputs of `isochrone`."""

    places: FeatureSet = Field(description="Where from, or where to.", json_schema_extra=place_word("Places"))
    limits: Limits = Field(
        [5.0, 10.0, 15.0],
        description="Minutes, or metres where `measure` is `distance`; ascending.",
        json_schema_extra=slot("amount", "Limits", "limits", usual=USUAL_LIMITS),
    )
    direction: Literal["from", "to"] = Field(
        "from",
        description="Moving from the places or to them.",
        json_schema_extra=choice_word("Direction", DIRECTION_WORDS),
    )
    merge: Literal["each", "bands", "merged", "nearest"] = Field(
        "merged",
        description="Areas per place, as rings between limits, merged over all places, or shared out to the nearest place.",
        json_schema_extra=choice_word(
            "Areas",
            {
                "each": "one by one",
                "bands": "as rings",
                "merged": "merged",
                "nearest": "shared out to the nearest",
            },
        ),
    )
    measure: Literal["time", "distance"] = Field("time", description="What the limits count.")
    differs: list[Differing] = Field(
        default_factory=list,
        max_length=8,
        description="Places with a mode, hour, limits or added minutes of their own; the first rule a place meets holds.",
        json_schema_extra=slot(
            "way",
            "But",
            "rules",
            nothing="all places alike",
            of="places",
            clause=Clause(text="but {differs}", rank=1),
            offer=Offer(
                label="Rules for individual places",
                hint="Some places by another mode, within other limits or with minutes added",
            ),
        ),
    )
    hours: list[Annotated[int, Field(ge=0, le=23)]] = Field(
        [],
        max_length=MOST_HOURS,
        description="Further hours of the day of `at`, 0 to 23: the street within the limits at those hours as well.",
        json_schema_extra=hours_word("differs"),
    )
    compare_straight_line: bool = Field(
        False, description="Add the areas within the same limits measured straight, at the mode's mean speed."
    )
