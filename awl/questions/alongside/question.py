"""What stands along the streets near an event? A strip beside the streets reached, and layers in a chain upon it."""

from __future__ import annotations

from typing import Any

from awl.questions.alongside.inputs import AlongsideInputs, layer_parts
from awl.questions.alongside.run import run_alongside
from awl.questions.alongside.view import view_alongside
from awl.questions.compared_parts import ComparedFeatures
from awl.questions.question import Question


class Alongside(Question):
    """The alongside question."""

    id = "alongside"
    title = "Alongside"
    description = (
        "What stands along the streets within a distance of an event: layers in a chain on a strip beside them."
    )
    opening = "What stands along"
    sentences = [
        (
            {},
            "What stands along the streets that a {mode} reaches within {distance} of {events}, on a strip of {width} to"
            " either side: {layers}?",
        )
    ]
    Inputs = AlongsideInputs
    outputs = {
        "streets": "Reached parts of streets with the distance at both ends, GeoJSON",
        "strip": "The strip beside them, GeoJSON",
        "events": "The events with their distance to the street, GeoJSON",
        "found": "What was found in the last layer, as rows",
    }

    @classmethod
    def outputs_for(cls, inputs: Any) -> dict[str, str]:
        """One collection for each layer besides."""
        assert isinstance(inputs, AlongsideInputs)
        return cls.outputs | {
            key: f"Features of layer {key} that were found, GeoJSON" for key in layer_parts(inputs.layers)
        }

    compared = (ComparedFeatures(("streets", "strip", "events", "found")),)
    run = staticmethod(run_alongside)
    view = staticmethod(view_alongside)
