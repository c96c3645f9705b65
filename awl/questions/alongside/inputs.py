"""Inputs of the question `alongside`."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from awl.questions.inputs import MAX_METRES, FeatureSet, LayerSet, SharedInputs
from awl.questions.slots import Fresh, Points, number_word, place_word, slot
from awl.views.view import FRAME

MAX_LAYERS = 6
OWN = ("streets", "strip", "events", "found")


class AlongsideInputs(SharedInputs):
    """Inputs of `alongside`."""

    events: FeatureSet = Field(
        description="Where it happened: points, one or more.",
        json_schema_extra=place_word(
            "Events", points=Points(empty="an event", hints=["set the event"]), fresh=Fresh(layer="none")
        ),
    )
    distance: float = Field(
        500.0,
        gt=0,
        le=MAX_METRES,
        description="How far along the streets, in metres.",
        json_schema_extra=number_word("Distance", "{} m", "m along the streets"),
    )
    direction: Literal["from", "to"] = Field("from", description="Along the streets from the events or towards them.")
    width: float = Field(
        25.0,
        gt=0,
        le=1000,
        description="How far the strip reaches to either side of the middle of the street, in metres.",
        json_schema_extra=number_word("Width", "{} m", "m to either side of the street"),
    )
    layers: Annotated[list[FeatureSet], Field(min_length=1, max_length=MAX_LAYERS)] = Field(
        description="Layers in a chain: features of the first that touch the strip, of the next that stand on those, and so on.",
        json_schema_extra=slot("place", "Layers", "chain", layers=["parcels", "buildings", "polygons"]),
    )


def layer_parts(layers: list[FeatureSet]) -> list[str]:
    """A name for the result of each layer: its id, numbered where it is taken."""
    keys: list[str] = []
    for number, wanted in enumerate(layers, start=1):
        own = wanted.layer if isinstance(wanted, LayerSet) else f"layer_{number}"
        taken = own in keys or own in OWN or own in FRAME
        keys.append(f"{own}_{number}" if taken else own)
    return keys
