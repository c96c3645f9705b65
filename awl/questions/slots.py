"""The changeable words of a question's sentence: how each reads, how it is changed, and what a new question begins with.

Whoever shows a question needs nothing else: the browser has one control for each `Control`, and asks for no input by its name.
"""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

Control = Literal[
    "mode", "moment", "hours", "choice", "several", "costs", "place", "closures", "chain", "rules", "measures", "comparison",
    "field", "fields", "number", "limit", "limits", "what-ifs", "answers", "window", "room", "shares", "sweep",
    "names",
]  # fmt: skip
"""How a word is changed: one of the study's modes; a date and time; hours of that day; one of some words; several of them;
costs to minimise; places; closed streets; layers in a chain; rules for individual places; further measures; a second run;
a field of a layer; several fields; a number; a limit; several limits; what-ifs of the study; kept answers of one question; a
window of the day, or a field with times; a number or a field with numbers; shares of people by mode; inputs with the values they
go through; a name for each of some words."""
LayerKind = Literal["places", "zones", "buildings", "parcels", "residents", "lines", "polygons"]
"""Layers by their role; buildings with residents, and layers with lines or polygons."""


class Model(BaseModel):
    """Base of the models here."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Points(Model):
    """Points that are set on the map for a word.

    Attributes:
        empty: what the word reads while there is none.
        hints: what the next click on the map does: for the first point, and for all later ones.
        least: how many there must be before the question can be asked.
        ordered: whether their order matters.
    """

    empty: str = "a point"
    hints: list[str] = ["set the point"]
    least: int = 1
    ordered: bool = False


class Offer(Model):
    """How an input that a sentence does not hold is offered below it.

    Attributes:
        label, hint: the words, and what they lead to.
        by: `map` where a click on the map gives it, not an editor.
        always: offered even where the input is given.
        needs, unless: inputs that must, and must not, be given.
        rank: its place among the offers.
    """

    label: str
    hint: str
    by: Literal["map"] | None = None
    always: bool = False
    needs: list[str] = []
    unless: list[str] = []
    rank: int = 1


class Clause(Model):
    """What a sentence says more once an input is given.

    Attributes:
        text: the words, with the input in braces.
        rank: its place among the clauses.
        always: said even where the input has its default.
    """

    text: str
    rank: int
    always: bool = False


class Fresh(Model):
    """What a new question begins with for this word, beside its default.

    Attributes:
        layer: the first layer of its kinds, the one with most features, or none: points that are to be set.
        with_field: a field that the layer should have.
        value: the value; in a study without geography the first cost stands for it.
        field: the field that is taken where the layer has it.
    """

    layer: Literal["first", "largest", "none"] = "first"
    with_field: str | None = None
    value: Any = None
    field: str | None = None


class Slot(Model):
    """A changeable word of a question's sentence.

    Attributes:
        kind: what it stands for, which decides its ink.
        label: what it is called beside its control.
        control: how it is changed.
        words: the values it can have, in words.
        every: what it reads where all of them are chosen.
        text: what it reads, with the value in braces.
        nothing: what it reads without a value; a word that has this can be emptied.
        unit: what stands beside a number while it is written.
        usual: for a limit that can count minutes or metres, the usual values of each.
        needed: whether a limit must be given.
        layers: kinds of layers it takes, best first.
        points: points that can be set instead.
        of: the input whose layer has the fields.
        field_type: which fields those are.
        clause, offer: where it stands while the sentence does not hold it.
        fresh: what a new question begins with.
        transit: true where it means something by public transport alone, false where it means nothing there.
        optional: whether a new question leaves it out.
        default: the value where it is left out.
    """

    kind: Literal["mode", "place", "amount", "time", "way"]
    label: str
    control: Control
    words: dict[str, str] | None = None
    every: str | None = None
    text: str | None = None
    nothing: str | None = None
    unit: str | None = None
    usual: dict[str, Any] | None = None
    needed: bool | None = None
    layers: list[LayerKind] | None = None
    points: Points | None = None
    of: str | None = None
    field_type: Literal["text", "number"] | None = None
    clause: Clause | None = None
    offer: Offer | None = None
    fresh: Fresh | None = None
    transit: bool | None = None
    optional: bool | None = None
    default: Any = None


class Sentence(Model):
    """A template of a sentence, with inputs in braces and `{clauses}` where the clauses stand.

    Attributes:
        when: the inputs under which it holds; the first that fits is the sentence.
        text: the template.
    """

    when: dict[str, Any]
    text: str


class QuestionWords(Model):
    """How a question is worded.

    Attributes:
        opening: what it is offered by.
        sentences: its templates.
        slots: their changeable words, by the inputs they are.
        live: whether its streets can be shown while a place is dragged.
        covers: whether its answer has areas that others can lie inside.
    """

    opening: str
    sentences: list[Sentence]
    slots: dict[str, Slot]
    live: bool
    covers: bool


SLOT = "x-awl-slot"


def slot(kind: str, label: str, control: Control, **more: Any) -> dict[str, Any]:
    """Marks an input as a changeable word; for the `json_schema_extra` of its field. See `Slot`."""
    return {SLOT: Slot(kind=kind, label=label, control=control, **more).model_dump(exclude_none=True)}  # type: ignore[arg-type]


def choice_word(label: str, words: dict[str, str], **more: Any) -> dict[str, Any]:
    """A word that is one of some."""
    return slot("way", label, "choice", words=words, **more)


def place_word(label: str, *layers: LayerKind, **more: Any) -> dict[str, Any]:
    """A word for places: a layer of one of some kinds, or points."""
    return slot("place", label, "place", layers=list(layers or ("places", "zones")), **{"points": Points(), **more})


def number_word(label: str, text: str, unit: str, **more: Any) -> dict[str, Any]:
    """A word for a number."""
    return slot("amount", label, "number", text=text, unit=unit, **more)


def hours_word(*unless: str) -> dict[str, Any]:
    """A word for further hours of the day of `at`; offered once that is given, unless one of some inputs is."""
    offer = Offer(
        label="Through the day", hint="The same at further hours of that day", needs=["at"], unless=list(unless)
    )
    return slot(
        "time",
        "Further hours",
        "hours",
        text="at {} o'clock",
        nothing="at no other hour",
        clause=Clause(text="and {hours}", rank=3),
        offer=offer,
    )
