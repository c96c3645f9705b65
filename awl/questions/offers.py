"""What places offer: their weights, and what is counted within limits."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io.fields import check_field
from awl.questions.context import Places

Floats = NDArray[np.float64]
MOST_KINDS = 20


def offer_of(places: Places, field: str | None, name: str = "weights") -> Floats:
    """What each place offers (k,)."""
    if field is None:
        return np.ones(len(places))
    check_field(field, places.layer.fields, "The places have", (name,))
    column = places.layer.columns[field]
    numbers = column.numbers() if column.is_numeric else np.full(len(column), np.nan)
    bad = np.flatnonzero(~(numbers >= 0))
    if len(bad):
        first = int(bad[0])
        raise AwlError(
            f"'{field}' of {places.names[first]} is {column[first]!r}, no number of zero or more", inputs=(name,)
        )
    return numbers


def offers_of(places: Places, weights: str | None, kind: str | None) -> dict[str, Floats]:
    """What is counted within limits, by name: the places, what they offer, and those of each kind; weights (k,) of each."""
    offers = {"places": np.ones(len(places))}
    if weights is not None:
        offers[weights] = offer_of(places, weights)
    if kind is not None:
        check_field(kind, places.layer.fields, "The places have", ("kind",))
        texts = ["none" if text is None else text for text in places.layer.columns[kind].texts()]
        if len(set(texts)) > MOST_KINDS:
            raise AwlError(
                f"'{kind}' has {len(set(texts))} different values, more than {MOST_KINDS}",
                remedy="Choose a field with few",
                inputs=("kind",),
            )
        for one in sorted(set(texts)):
            offers[f"places_{one}"] = np.array([float(text == one) for text in texts])
    return offers
