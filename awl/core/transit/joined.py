"""Several feeds as one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields
from typing import Any

import numpy as np

from awl.core.errors import AwlError
from awl.core.transit.feed import Columns, Feed, Shapes, Texts

REFERS_TO = {
    "parent": "stops", "stop": "stops", "from_stop": "stops", "to_stop": "stops",
    "route": "routes", "from_route": "routes", "to_route": "routes",
    "trip": "trips", "from_trip": "trips", "to_trip": "trips",
    "service": "services", "shape": "shapes", "block": "blocks",
}  # fmt: skip
"""What the rows of a field are rows of."""


def joined(feeds: Sequence[Feed], names: Sequence[str]) -> Feed:
    """Several feeds as one; where there is more than one, ids get the name of their feed in front, so that equal ones stay apart.

    Parameters:
        feeds: at least one feed.
        names: what each is called; empty for one whose ids stay as they are.

    Raises:
        AwlError: they have more than one time zone.
    """
    if len(feeds) == 1:
        return feeds[0]
    zones = {feed.timezone: name for feed, name in zip(feeds, names, strict=True)}
    if len(zones) > 1:
        raise AwlError(
            f"Timetables of different time zones cannot be searched together: {', '.join(sorted(zones))}",
            remedy="Keep those of one zone in a study",
        )
    before = dict.fromkeys(REFERS_TO.values(), 0)
    parts: dict[str, list[Any]] = {name: [] for name in TABLES}
    starts, shapes, services, active = [np.zeros(1, np.int64)], [], [], []
    first, last = min(feed.first_day for feed in feeds), max(feed.days[-1] for feed in feeds)
    days = int((last - first).astype(int)) + 1
    for feed, name in zip(feeds, names, strict=True):
        for table in TABLES:
            parts[table].append(_moved(getattr(feed, table), before, name))
        starts.append(feed.trip_start[1:] + starts[-1][-1])
        shapes.append(feed.shapes)
        services.append(_named(feed.service_id, name))
        runs = np.zeros((len(feed.service_id), days), bool)
        begin = int((feed.first_day - first).astype(int))
        runs[:, begin : begin + feed.active.shape[1]] = feed.active
        active.append(runs)
        before["stops"] += len(feed.stops)
        before["routes"] += len(feed.routes)
        before["trips"] += len(feed.trips)
        before["services"] += len(feed.service_id)
        before["shapes"] += len(feed.shapes)
        before["blocks"] += int(feed.trips.block.max(initial=-1)) + 1
    columns: dict[str, Any] = {table: _stacked(rows) for table, rows in parts.items()}
    return Feed(
        **columns, trip_start=np.concatenate(starts), service_id=np.concatenate(services), first_day=first,
        active=np.concatenate(active), timezone=feeds[0].timezone, shapes=_joined_shapes(shapes, names),
        info={key: value for feed in feeds for key, value in feed.info.items()},
    )  # fmt: skip


TABLES = ("stops", "routes", "trips", "stop_times", "frequencies", "transfers", "pathways")


def _moved(table: Columns, before: dict[str, int], name: str) -> Columns:
    """A table whose rows refer to what comes after so many others; ids get a name in front."""
    values = []
    for item in fields(table):  # type: ignore[arg-type]
        column = getattr(table, item.name)
        if item.name == "id":
            column = _named(column, name)
        elif item.name in REFERS_TO:
            column = np.where(column >= 0, column + before[REFERS_TO[item.name]], -1).astype(column.dtype)
        values.append(column)
    return type(table)(*values)


def _named(ids: Texts, name: str) -> Texts:
    if not name:
        return ids
    named: Texts = np.array([f"{name}:{ident}" for ident in ids.tolist()], dtype=object).reshape(-1)
    return named


def _stacked(tables: list[Columns]) -> Columns:
    kind = type(tables[0])
    names = [item.name for item in fields(kind)]  # type: ignore[arg-type]
    return kind(*(np.concatenate([getattr(table, name) for table in tables]) for name in names))


def _joined_shapes(shapes: list[Shapes], names: Sequence[str]) -> Shapes:
    offsets = np.cumsum([0, *(len(shape.lon) for shape in shapes)])
    start = [shape.start[:-1] + offset for shape, offset in zip(shapes, offsets, strict=False)]
    return Shapes(
        np.concatenate([_named(shape.id, name) for shape, name in zip(shapes, names, strict=True)]),
        np.concatenate([*start, offsets[-1:]]).astype(np.int64),
        np.concatenate([shape.lon for shape in shapes]),
        np.concatenate([shape.lat for shape in shapes]),
        np.concatenate([shape.distance for shape in shapes]),
    )
