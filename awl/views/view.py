"""The view of an answer: one description that the browser, the command, a report and a notebook render.

It names parts of the result and fields of their tables, and holds no values of them but the key figures.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

from awl.views.map_view import MapView

Json = dict[str, Any]


@dataclass(frozen=True)
class Figure:
    """A key figure: value, unit beside it, label beneath."""

    value: float | str | None
    unit: str
    label: str

    def json(self) -> Json:
        """Plain."""
        return {"value": self.value, "unit": self.unit, "label": self.label}


@dataclass(frozen=True)
class Column:
    """A column of a table that is shown. `digits` are decimals of a number; None means text."""

    field: str
    title: str
    unit: str = ""
    digits: int | None = None

    def json(self) -> Json:
        """Plain."""
        return {"field": self.field, "title": self.title, "unit": self.unit, "digits": self.digits}


@dataclass(frozen=True)
class Pivot:
    """How rows can be shown as a table with two heads instead: fields of its rows, its columns and its cells."""

    rows: str
    columns: str
    cells: str
    per: float = 1.0
    """Cells are shown divided by this."""

    def json(self) -> Json:
        """Plain."""
        return vars(self)


@dataclass(frozen=True)
class RowPath:
    """The path that a row stands for: from one place of a part to another, by fields with their rows, asked as `route`."""

    places: str
    source: str
    target: str

    def json(self) -> Json:
        """Plain."""
        return vars(self)


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

    def json(self) -> Json:
        """Plain."""
        made: Json = {"part": self.part, "columns": [column.json() for column in self.columns]}
        made |= {"title": self.title} if self.title else {}
        made |= {"key": self.key} if self.key else {}
        made |= {"pivot": self.pivot.json()} if self.pivot else {}
        made |= {"path": self.path.json()} if self.path else {}
        return made | ({"curves": self.curves} if self.curves else {})


@dataclass(frozen=True)
class RowCard:
    """What is told of one selected row of a table.

    Attributes:
        part: the part whose rows it is of, each known by its `key`.
        total, within: fields of the people in all and of those within the last limit.
        limit: that limit in words.
        columns: heads of a small table.
        rows: its rows: a label, and a field for each head.
        list_part: a part with rows of the same key to list, with `place`, `share` and `minutes`.
    """

    part: str
    key: str
    total: str
    within: str
    limit: str
    columns: list[str]
    rows: list[tuple[str, list[str]]]
    list_part: str

    def json(self) -> Json:
        """Plain."""
        return {**vars(self), "rows": [{"label": label, "fields": fields} for label, fields in self.rows]}


@dataclass(frozen=True)
class File:
    """A format in which a part is offered; `part` None is all parts together."""

    format: str
    part: str | None

    def json(self) -> Json:
        """Plain."""
        return {"format": self.format, "part": self.part or "all"}


@dataclass
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
        needs: parts that doubts list or that are asked for with a row, beside those named elsewhere.
    """

    title: str
    figures: list[Figure]
    method: list[str]
    tables: list[TableView] = field(default_factory=list)
    charts: list[Json] = field(default_factory=list)
    map: MapView = field(default_factory=MapView)
    card: RowCard | None = None
    files: list[File] = field(default_factory=list)
    needs: tuple[str, ...] = ()

    def json(self) -> Json:
        """As documents hold it."""
        made: Json = {
            "title": self.title,
            "figures": [figure.json() for figure in self.figures],
            "method": self.method,
            "map": self.map.json(),
            "files": [file.json() for file in self.files],
        }
        if self.tables:
            made["table"] = self.tables[0].json()
        if self.tables[1:]:
            made["tables"] = [table.json() for table in self.tables[1:]]
        if self.charts:
            made["chart"] = self.charts[0]
        if self.charts[1:]:
            made["charts"] = self.charts[1:]
        return made | ({"card": self.card.json()} if self.card else {})

    @property
    def parts(self) -> set[str]:
        """Names of the parts that it needs."""
        named = {table.part for table in self.tables} | {str(chart["part"]) for chart in self.charts if "part" in chart}
        named |= {table.curves for table in self.tables if table.curves} | self.map.parts | set(self.needs)
        return named | ({self.card.part, self.card.list_part} if self.card else set())


FRAME = (
    "title", "summary", "figures", "doubts", "method", "table", "tables", "chart", "charts", "map", "files", "card", "schema",
)  # fmt: skip
"""Members of a results document that are no part of the result."""
Grade = Literal["error", "warning", "note"]
