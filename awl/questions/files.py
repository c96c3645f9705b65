"""Answers as files: one result, or all of them, in the open format an ending names."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from awl.core.errors import AwlError
from awl.io import csv_table, geojson, geopackage, gpx, omx, parquet, xlsx
from awl.io.table import Layer, Rows
from awl.questions.base import Answer, Json

WRITERS: dict[str, Callable[[Rows], bytes]] = {
    "csv": csv_table.from_table, "parquet": parquet.of_table, "omx": omx.of_table,
}  # fmt: skip
"""Formats that take columns as they are."""
FRAME = ("title", "summary", "figures", "doubts", "method", "table", "tables", "chart", "charts")
"""Members of a results document that are no result of their own."""
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
    """A result of an answer as a file, straight from its columns where it has such; see `part_bytes`."""
    check_ending(ending, where)
    shown = part or (answer.table[0] if answer.table is not None else None)
    if ending in WRITERS and shown in answer.parts and isinstance(table := answer.part(shown), Rows):
        if len(table) == 0:
            raise AwlError("No pair has a path, so there is nothing to write", where=where)
        return WRITERS[ending](table)
    return part_bytes(answer.document(), part, ending, where)


def part_bytes(document: Json, part: str | None, ending: str, where: str) -> bytes:
    """A result of an answer as a file; the main one where `part` is None. `where` names what was asked for in errors."""
    check_ending(ending, where)
    results = {key: value for key, value in document.items() if isinstance(value, list | dict) and key not in FRAME}
    if part is not None and part not in results:
        raise AwlError(
            f"The answer has no result '{part}'",
            remedy=f"Results are: {', '.join(results)}",
            inputs=("part",),
            status=404,
        )
    if ending == "json":
        return geojson.dumps(document if part is None else results[part])
    if ending == "gpkg":
        return _geopackage(results if part is None else {part: results[part]}, where)
    shown = document["table"]["part"] if "table" in document else next(iter(results))
    drawn = next((key for key, value in results.items() if isinstance(value, dict)), shown)
    chosen = part or (drawn if ending in ("geojson", "gpx") else shown)
    value = results[chosen]
    if ending == "geojson":
        return geojson.dumps(value)
    if ending == "gpx":
        return gpx.tracks(_layer(value, chosen, ending), document["title"])
    if ending == "omx":
        return omx.of_rows(_rows(value, chosen))
    if isinstance(value, list):
        return {"csv": csv_table.from_rows, "xlsx": xlsx.from_rows, "parquet": parquet.of_rows}[ending](value)
    layer = geojson.from_document(value, chosen)
    return {"csv": csv_table.from_layer, "xlsx": xlsx.from_layer, "parquet": parquet.of_layer}[ending](layer)


def _geopackage(results: dict[str, Any], where: str) -> bytes:
    layers = {
        name.lower(): geojson.from_document(value, name)
        for name, value in results.items()
        if isinstance(value, dict) and value.get("features")
    }
    if not layers:
        raise AwlError("The answer has no geometry", where=where, remedy="Choose csv or parquet", inputs=("format",))
    return geopackage.bytes_of(layers)


def _layer(value: Any, part: str, ending: str) -> Layer:
    if not isinstance(value, dict):
        raise AwlError(f"'{part}' has no geometry", remedy=f"Choose another format than {ending}", inputs=("format",))
    return geojson.from_document(value, part)


def _rows(value: Any, part: str) -> list[dict[str, Any]]:
    if not isinstance(value, list) or not value or not {"origin_id", "destination_id"} <= set(value[0]):
        raise AwlError(f"'{part}' is no matrix", remedy="Ask 'matrix', or choose another format", inputs=("format",))
    return value
