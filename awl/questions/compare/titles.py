"""What numbers that are compared are called."""

from __future__ import annotations

from awl.io.table import Column
from awl.questions.context import limit_word

QUANTITY_WORDS = {
    "people_within": "{of} within {limit}",
    "share_within": "share within {limit}",
    "places_within": "{of} within {limit}",
    "people": "people",
    "mean_time": "mean time",
    "duration": "time",
    "people_served": "{of} served",
}


def number_title(column: Column, field: str) -> str:
    """What the number of a column is called."""
    meaning = column.meaning
    if meaning is None:
        return field.removesuffix(f"_{column.unit.replace('²', '2').replace('/', '')}").replace("_", " ")
    limit = "" if meaning.limit is None else limit_word(meaning.limit, "time")
    words = QUANTITY_WORDS.get(meaning.quantity, meaning.quantity.replace("_", " "))
    return words.format(of=(meaning.of or "all").replace("_", " "), limit=limit).strip()


def capitalized(label: str) -> str:
    """A label as the head of a column."""
    return label[:1].upper() + label[1:]
