"""The view of an answer: one description that the browser, the command, a report and a notebook render.

It names parts of the result and fields of their tables, and holds no values of them but the key figures.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from pydantic import TypeAdapter

from awl.views.charts import Chart
from awl.views.map_view import MapView

Json = dict[str, Any]


@dataclass(frozen=True)
class Figure:
    """A key figure: value, unit beside it, label beneath."""

    value: float | int | str | None
    unit: str
    label: str


@dataclass(frozen=True)
class Column:
    """A column of a table that is shown. `digits` are decimals of a number; None means text."""

    field: str
    title: str
    unit: str = ""
    digits: int | None = None


@dataclass(frozen=True)
class Pivot:
    """How rows can be shown as a table with two heads instead: fields of its rows, its columns and its cells.

    Attributes:
        rows, columns, cells: the fields.
        per: cells are shown divided by this.
        title: what its cells are; minutes from each start to each end where it is empty.
    """

    rows: str
    columns: str
    cells: str
    per: float = 1.0
    title: str = ""


@dataclass(frozen=True)
class RowPath:
    """The path that a row stands for: from one place of a part to another, by fields with their rows, asked as `route`.

    Where `part` is given it is the feature of that part with the same key.
    """

    places: str
    source: str
    target: str
    part: str | None = None


@dataclass(frozen=True)
class TableView:
    """A part of the result as a table.

    Attributes:
        part: the part.
        columns: the few columns that matter.
        title: what a switch between tables calls it; the name of the part where it is empty.
        key: the field whose value is selected on the map with a row.
        pivot: how it can be shown with two heads.
        curves: a part with a row for each key, whose numbers are drawn as a small curve in each row.
        path: how the path of a selected row is asked for.
    """

    part: str
    columns: list[Column]
    title: str = ""
    key: str | None = None
    pivot: Pivot | None = None
    curves: str | None = None
    path: RowPath | None = None


@dataclass(frozen=True)
class CardRow:
    """A row of the small table of a card: its label, and a field for each head."""

    label: str
    fields: list[str]


@dataclass(frozen=True)
class RowCard:
    """What is told of one selected row of a table.

    Attributes:
        part: the part whose rows it is of, each known by its `key`.
        total, within: fields of the people in all and of those within the last limit.
        limit: that limit in words.
        columns: heads of a small table.
        rows: its rows.
        list_part: a part with rows of the same key to list, with `place`, `share` and `minutes`.
    """

    part: str
    key: str
    total: str
    within: str
    limit: str
    columns: list[str]
    rows: list[CardRow]
    list_part: str


@dataclass(frozen=True)
class File:
    """A format in which a part is offered, or `all` of them together."""

    format: str
    part: str = "all"


@dataclass(frozen=True)
class ComparedAnswer:
    """One of several answers that are compared: what it is called, and the name it is kept under in this study."""

    label: str
    answer: str | None = None


@dataclass(frozen=True)
class ComparedWord:
    """A word in which the questions differ: what it stands for, what it is called, and what it reads in each."""

    kind: str
    label: str
    texts: list[str]


@dataclass(frozen=True)
class Compared:
    """The answers that are compared, the others with the first, and the words in which their questions differ."""

    answers: list[ComparedAnswer]
    words: list[ComparedWord]


@dataclass(frozen=True)
class View:
    """What an answer says and shows.

    Attributes:
        title: what the answer is called.
        figures: key figures, the first leads.
        method: sentences on how it was found.
        tables: the first is shown, the others can be shown instead.
        charts: likewise.
        map: what the map draws, and its legend.
        card: what is told of a selected row.
        files: formats offered beside the table.
        needs: parts that are asked for with a row, beside those named elsewhere.
        compared: of a comparison, what is compared.
    """

    title: str
    figures: list[Figure]
    method: list[str]
    tables: list[TableView] = field(default_factory=list)
    charts: list[Chart] = field(default_factory=list)
    map: MapView = field(default_factory=MapView)
    card: RowCard | None = None
    files: list[File] = field(default_factory=list)
    needs: list[str] = field(default_factory=list)
    compared: Compared | None = None

    @property
    def parts(self) -> set[str]:
        """Names of the parts that it needs."""
        named = {table.part for table in self.tables} | {chart.part for chart in self.charts if chart.part}
        named |= {table.curves for table in self.tables if table.curves} | self.map.parts | set(self.needs)
        return named | ({self.card.part, self.card.list_part} if self.card else set())


VIEW: TypeAdapter[View] = TypeAdapter(View)


def view_document(view: View) -> Json:
    """A view as documents hold it: what is not said is left out, but for key figures without a value."""
    document: Json = VIEW.dump_python(view, exclude_none=True)
    return document | {"figures": [{"value": None, **figure} for figure in document["figures"]]}


FRAME = ("title", "summary", "figures", "doubts", "method", "view", "schema", "parts")
"""Members of a results document that are no part of the result."""
