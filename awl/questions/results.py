"""What a question gives: typed tables with keys that two results share, a summary, and what to know before trusting it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import orjson

from awl.io import geojson
from awl.io.table import Table
from awl.questions.from_answers import FeedingAnswer
from awl.questions.spots import Spot
from awl.views.view import View, view_document

Json = dict[str, Any]
Part = Table | Callable[[], Table]
"""A part of a result; one that takes long is made when it is wanted."""


@dataclass(frozen=True)
class Doubt:
    """Something the reader must know before trusting an answer; `where` on the map, if that can be said."""

    code: str
    grade: Literal["error", "warning", "note"]
    count: int
    text: str
    where: tuple[Spot, ...] = ()

    def json(self) -> Json:
        """The doubt as an object of the results document."""
        spots = {"where": [spot.json() for spot in self.where]} if self.where else {}
        return {"code": self.code, "grade": self.grade, "count": self.count, "text": self.text, **spots}


@dataclass
class Result:
    """What was computed.

    Attributes:
        summary: key figures, units in their names.
        parts: tables by name.
        doubts: what to know before trusting it.
        method: what was assumed, sentence by sentence.
    """

    summary: Json
    parts: dict[str, Part]
    doubts: list[Doubt]
    method: list[str]

    def part(self, name: str) -> Table:
        """A part, made where it is not yet."""
        part = self.parts[name]
        if callable(part):
            part = self.parts[name] = part()
        return part


@dataclass
class Answer:
    """A result with what it says and shows."""

    result: Result
    view: View

    @property
    def title(self) -> str:
        """What it is called."""
        return self.view.title

    @property
    def summary(self) -> Json:
        """Key figures, units in their names."""
        return self.result.summary

    @property
    def doubts(self) -> list[Doubt]:
        """What to know before trusting it."""
        return self.result.doubts

    @property
    def method(self) -> list[str]:
        """How it was found."""
        return self.view.method

    @property
    def parts(self) -> list[str]:
        """Names of its parts."""
        return list(self.result.parts)

    def part(self, name: str) -> Table:
        """A part."""
        return self.result.part(name)

    def feeding(self) -> FeedingAnswer:
        """The answer as questions rest on it."""
        return FeedingAnswer(self.title, self.parts, self.part)

    def document(self, wanted: set[str] | None = None) -> Json:
        """The results document, with all parts or those wanted: GeoJSON where rows lie on the ground, else records."""
        document: Json = orjson.loads(self.encoded(wanted))
        return document

    def encoded(self, wanted: set[str] | None = None) -> bytes:
        """The results document as text."""
        shown = [name for name in self.result.parts if wanted is None or name in wanted]
        view = view_document(self.view)
        document: Json = {key: view.pop(key) for key in ("title", "figures", "method")}
        document |= {"summary": self.result.summary, "doubts": [doubt.json() for doubt in self.result.doubts]}
        document |= {"view": view, "schema": {name: self.part(name).schema() for name in shown}, "parts": self.parts}
        for name in shown:
            document[name] = orjson.Fragment(geojson.table_text(self.part(name)))
        return geojson.dumps(document)


def counted(count: int, name: str) -> str:
    """A count with its noun: "1 zone", "1,204 zones"."""
    return f"{count:,} {name}" if count == 1 else f"{count:,} {name}s"


def listed(names: Sequence[str]) -> str:
    """The first three names, and that there are others."""
    return ", ".join(names[:3]) + (" and others" if len(names) > 3 else "")
