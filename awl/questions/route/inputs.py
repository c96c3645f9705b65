"""Inputs of the question `route`."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from awl.questions.inputs import MEASURE_WORDS, FeatureSet, Position, SharedInputs
from awl.questions.slots import Fresh, Offer, Points, choice_word, place_word, slot

NodeNumber = Annotated[int, Field(strict=True)]
Measure = Annotated[str, Field(min_length=1, max_length=60)]


class RouteInputs(SharedInputs):
    """Inputs of `route`."""

    percentile: float = Field(
        50.0, ge=0, le=100, description="Says nothing here: a route by public transport tells single departures."
    )

    waypoints: list[Position] | list[NodeNumber] | FeatureSet = Field(
        description="Points to pass in the given order: [[lon, lat], ...], node numbers of the street graph, or places.",
        json_schema_extra=place_word(
            "Through",
            points=Points(empty="two points", hints=["set the start", "set the next point"], least=2, ordered=True),
            fresh=Fresh(layer="none"),
        ),
    )
    measure: Measure | list[Measure] = Field(
        "time",
        description="What is least: time, distance, a cost given with the streets, or a list of them to have them side by side.",
        json_schema_extra=slot(
            "way", "Least", "costs", words=MEASURE_WORDS, fresh=Fresh(value=["time", "distance"]), transit=False
        ),
    )
    carry: list[Measure] = Field(
        default_factory=list,
        max_length=12,
        description="Costs that are summed up along the ways without being minimised: costs of the streets or of the mode.",
    )
    order: Literal["given", "best"] = Field(
        "given",
        description="Points are passed in the given order, or in the best one between the first and the last.",
        json_schema_extra=choice_word("Order", {"given": "in this order", "best": "in the best order"}),
    )
    expected: list[Position] | FeatureSet | None = Field(
        None,
        description="Points that your own route passes between the first and the last: it is compared with the best route.",
        json_schema_extra=place_word(
            "Own way",
            points=Points(hints=["set a point your own way passes"], ordered=True),
            nothing="no way of your own",
            transit=False,
            offer=Offer(
                label="Why not my way?",
                hint="Set points your own way would pass: it is measured beside the best",
                by="map",
                always=True,
            ),
        ),
    )

    @field_validator("measure")
    @classmethod
    def _at_least_one(cls, value: Any) -> Any:
        if value == []:
            raise ValueError("the list of measures is empty; give time, distance or a cost of the streets")
        return value
