"""Answers as files: one part, or all of them, in the open format an ending names."""

from __future__ import annotations

from collections.abc import Callable

from awl.core.errors import AwlError
from awl.io import csv_table, geojson, geopackage, gpx, json_text, omx, parquet, xlsx
from awl.io.table import Table
from awl.questions.inputs import Json
from awl.questions.kept_answers import part_names, part_of
from awl.questions.results import Answer

WRITERS: dict[str, Callable[[Table], bytes]] = {
    "csv": csv_table.of_table, "xlsx": xlsx.of_table, "parquet": parquet.of_table, "omx": omx.of_table,
}  # fmt: skip
"""Formats that take any table."""
ENDINGS = ("json", "geojson", "csv", "xlsx", "parquet", "gpkg", "omx", "gpx")


def check_ending(ending: str, where: str) -> None:
    """Raises `AwlError` where no answer is written in the format of an ending."""
    if ending not in ENDINGS:
        raise AwlError(
            f"'{ending}' is a format Awl does not write answers in" if ending else "The name of the file has no ending",
            where=where,
            remedy=f"Choose {', '.join(ENDINGS[:-1])} or {ENDINGS[-1]}",
            inputs=("format",),
        )


def answer_bytes(answer: Answer, part: str | None, ending: str, where: str) -> bytes:
    """A part of an answer as a file; the main one, or all of them, where `part` is None.

    Parameters:
        answer: the answer.
        part: the part.
        ending: the format, one of `ENDINGS`.
        where: what was asked for, for errors.

    Raises:
        AwlError: there is no such format or part, or the part does not fit the format.
    """
    check_ending(ending, where)
    if part is not None:
        _check_part(part, answer.parts)
    if ending == "json":
        return answer.encoded() if part is None else geojson.table_text(answer.part(part))
    shown = answer.view.tables[0].part if answer.view.tables else answer.parts[0]
    # Parts may take long to make: none is that nobody wants.
    wanted = answer.parts if part is None else [part]
    return _written({name: answer.part(name) for name in wanted}, part, shown, ending, where, answer.title)


def kept_bytes(document: Json, part: str | None, ending: str, where: str) -> bytes:
    """A part of an answer that was kept as its document; see `answer_bytes`."""
    check_ending(ending, where)
    names = part_names(document)
    if part is not None:
        _check_part(part, names)
    if ending == "json":
        return geojson.dumps(document if part is None else document[part])
    tables = {name: part_of(document, name) for name in names}
    shown = document["view"]["tables"][0]["part"]
    return _written(tables, part, shown, ending, where, document["title"])


def checked_part(document: Json, part: str) -> str:
    """The name of a part that a kept answer has; raises `AwlError` (404) naming those it has."""
    _check_part(part, part_names(document))
    return part


def table_bytes(table: Table, ending: str, where: str) -> bytes:
    """A table of its own as a file: csv, xlsx, parquet or json.

    Parameters:
        table: the table.
        ending: the format.
        where: what was asked for, for errors.

    Raises:
        AwlError: a table is not written in that format.
    """
    if ending == "json":
        return json_text.records(table)
    if ending not in ("csv", "xlsx", "parquet"):
        raise AwlError(
            f"A table is not written as {ending or 'that'}", where=where, remedy="Choose csv, xlsx, parquet or json",
            inputs=("format",),
        )  # fmt: skip
    return WRITERS[ending](table)


def _check_part(part: str, known: list[str]) -> None:
    if part not in known:
        raise AwlError(
            f"The answer has no result '{part}'",
            remedy=f"Results are: {', '.join(known)}",
            inputs=("part",),
            status=404,
        )


def _written(tables: dict[str, Table], part: str | None, shown: str, ending: str, where: str, title: str) -> bytes:
    drawn = {name: table for name, table in tables.items() if table.has_geometry and len(table)}
    if ending == "gpkg":
        layers = {name.lower(): table for name, table in drawn.items() if part in (None, name)}
        if not layers:
            raise AwlError(
                "The answer has no geometry", where=where, remedy="Choose csv or parquet", inputs=("format",)
            )
        return geopackage.bytes_of(layers)
    if ending in ("geojson", "gpx"):
        chosen = part or next(iter(drawn), shown)
        if not tables[chosen].has_geometry:
            remedy = f"Choose another format than {ending}"
            raise AwlError(f"'{chosen}' has no geometry", remedy=remedy, inputs=("format",))
        if ending == "gpx":
            return gpx.tracks(tables[chosen], title)
        return geojson.encoded(tables[chosen])
    table = tables[part or shown]
    if ending == "omx" and not set(omx.ENDS) <= set(table.columns):
        remedy = "Ask 'matrix', or choose another format"
        raise AwlError(f"'{part or shown}' is no matrix", remedy=remedy, inputs=("format",))
    if ending == "omx" and len(table) == 0:
        raise AwlError("No pair has a path, so there is nothing to write", where=where)
    return WRITERS[ending](table)
