"""What a page says of an answer: question, figures, doubts, charts, tables, method; reports and forms render it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from awl.handout.content import SheetContent
from awl.io.table import Table
from awl.questions.field_columns import field_columns
from awl.questions.inputs import Json
from awl.views.view import TableView, View

CHART_MM = (115.0, 52.0)
MOST_ROWS, MOST_CHARTS, MOST_FIELDS = 20, 2, 6
NO_VALUE = "–"


def answer_block(content: SheetContent, parts: Sequence[str], most_rows: int = MOST_ROWS, charts: bool = True) -> Json:
    """An answer as a page says it, but for its map.

    Parameters:
        content: the answer.
        parts: the parts that are shown as tables.
        most_rows: so many rows of each are shown; how many more there are is said.
        charts: whether its charts are drawn.
    """
    from awl.handout.chart_pictures import chart_svg

    view = content.view
    drawn = [(chart, chart_svg(chart, CHART_MM)) for chart in view.charts if charts]
    return {
        "asked": content.asked or view.title,
        "title": view.title,
        "figures": [
            {"value": shown_value(figure.value), "unit": figure.unit, "label": figure.label} for figure in view.figures
        ],
        "doubts": content.graded_doubts,
        "charts": [{"title": chart.title, "svg": svg} for chart, svg in drawn if svg is not None][:MOST_CHARTS],
        "tables": [
            shown
            for part in parts
            if (table := content.part(part)) is not None
            and (shown := table_block(_view(view, part, table), table, most_rows))
        ],
        "method": view.method,
        "made": shown_day(content.made),
    }


def _view(view: View, part: str, table: Table) -> TableView:
    """What is shown of a part: what its view says, its first fields where that says nothing."""
    known = next((one for one in view.tables if one.part == part), None)
    fields = [name for name in table.columns if name != "fid"] or list(table.columns)
    return known or TableView(part, field_columns(table, fields, MOST_FIELDS))


def table_block(view: TableView, table: Table, most_rows: int = MOST_ROWS) -> Json | None:
    """The columns of a table that matter and its first rows; None where it is empty.

    Parameters:
        view: what is shown of it.
        table: the table.
        most_rows: so many rows are shown.
    """
    columns = [column for column in view.columns if column.field in table.columns]
    if not len(table) or not columns:
        return None
    head = table.take(list(range(min(len(table), most_rows))))
    shown = [head.columns[column.field].shown() for column in columns]
    return {
        "part": view.part,
        "title": view.title or view.part.replace("_", " ").capitalize(),
        "columns": [
            {"title": f"{column.title}, {column.unit}" if column.unit and column.unit != "people" else column.title,
             "is_number": column.digits is not None}
            for column in columns
        ],
        "rows": [
            [shown_value(value, column.digits) for value, column in zip(row, columns, strict=True)]
            for row in zip(*shown, strict=True)
        ],
        "count": f"{len(table):,}",
        "more": f"{len(table) - most_rows:,}" if len(table) > most_rows else "",
    }  # fmt: skip


def shown_value(value: Any, digits: int | None = None) -> str:
    """A value as it is read."""
    if value is None:
        return NO_VALUE
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value)
    text = f"{value:,.2f}".rstrip("0").rstrip(".") if digits is None else f"{value:,.{digits}f}"
    return text.replace("-", "−")


def shown_day(moment: str) -> str:
    """The day of a moment, as it is read."""
    when = datetime.fromisoformat(moment)
    return f"{when.day} {when:%B %Y}"
