"""The places of a question as pins: those of a layer are drawn with the answer, a user's own are drawn where they are dragged."""

from __future__ import annotations

from awl.views.map_view import Classes, LegendRow, MapLayer, Paint, Swatch

ON_STREET = "on street"


def pin_row(kind: str | None, count: int, label: str = "Point") -> LegendRow:
    """The row of the legend; `kind` is what a place of a layer is called, None for a user's own."""
    return LegendRow("places", kind or label, Swatch("button"), count, fixed=kind is None)


def pin_layers(kind: str | None, part: str = "places") -> list[MapLayer]:
    """The pins of places of a layer; those left out are drawn open."""
    if kind is None:
        return []
    of = {ON_STREET: Paint("places"), "*": Paint("places", second=True)}
    return [MapLayer(part, "pins", Classes(of, "status"), key="name", label="name")]
