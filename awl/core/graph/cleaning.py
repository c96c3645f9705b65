"""What an extract of other makers may hold and a street graph may not: impossible coordinates and objects told twice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import accumulate
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.graph.raw import RawExtract, ReadFaults, Relation, Restriction

LISTED = 100
"""Faulty nodes named one by one; the others are counted."""
Member = TypeVar("Member", Relation, Restriction)


def cleaned(raw: RawExtract) -> RawExtract:
    """The extract without nodes that lie nowhere on Earth, and with each object once: as it was told last.

    A way runs on from the vertex before a faulty node to the one after it. What was left out is counted in `faults`.

    Parameters:
        raw: the extract as read.
    """
    raw, repeated = _without_repeated(raw)
    off = ~((np.abs(raw.node_lon) <= 180) & (np.abs(raw.node_lat) <= 90))
    faults = replace(raw.faults, repeated=raw.faults.repeated + repeated)
    if not off.any():
        return replace(raw, faults=faults)
    rows = np.flatnonzero(off)
    named = list(zip(raw.node_id[rows].tolist(), raw.node_lon[rows].tolist(), raw.node_lat[rows].tolist(), strict=True))
    faults = replace(
        faults, off_earth=faults.off_earth + len(rows), off_earth_nodes=(*faults.off_earth_nodes, *named)[:LISTED]
    )
    kept_ref = ~np.isin(raw.way_refs, raw.node_id[rows])
    start = np.concatenate([[0], np.cumsum(kept_ref)])[raw.way_start].astype(np.int64)
    return replace(
        _with_nodes(raw, np.flatnonzero(~off)), way_refs=raw.way_refs[kept_ref], way_start=start, faults=faults
    )


def combined(extracts: Sequence[RawExtract]) -> RawExtract:
    """Several extracts of neighbouring areas as one; what two of them hold is there once.

    Parameters:
        extracts: extracts of neighbouring areas.
    """
    if len(extracts) == 1:
        return extracts[0]
    node_first = [0, *accumulate(len(raw.node_id) for raw in extracts)]
    ref_first = [0, *accumulate(len(raw.way_refs) for raw in extracts)]
    return cleaned(
        RawExtract(
            node_id=np.concatenate([raw.node_id for raw in extracts]),
            node_lon=np.concatenate([raw.node_lon for raw in extracts]),
            node_lat=np.concatenate([raw.node_lat for raw in extracts]),
            tagged_nodes=np.concatenate(
                [raw.tagged_nodes + first for raw, first in zip(extracts, node_first, strict=False)]
            ),
            node_tags=_stacked([raw.node_tags for raw in extracts], [len(raw.tagged_nodes) for raw in extracts]),
            way_id=np.concatenate([raw.way_id for raw in extracts]),
            way_start=np.concatenate(
                [[0], *(raw.way_start[1:] + first for raw, first in zip(extracts, ref_first, strict=False))]
            ).astype(np.int64),
            way_refs=np.concatenate([raw.way_refs for raw in extracts]),
            way_tags=_stacked([raw.way_tags for raw in extracts], [len(raw.way_id) for raw in extracts]),
            relations=tuple(relation for raw in extracts for relation in raw.relations),
            restrictions=tuple(restriction for raw in extracts for restriction in raw.restrictions),
            ways_seen=sum(raw.ways_seen for raw in extracts),
            faults=ReadFaults(
                sum(raw.faults.off_earth for raw in extracts),
                tuple(node for raw in extracts for node in raw.faults.off_earth_nodes)[:LISTED],
                sum(raw.faults.repeated for raw in extracts),
            ),
        )
    )


def _without_repeated(raw: RawExtract) -> tuple[RawExtract, int]:
    """The extract with each object once, and how many were left out."""
    nodes, ways = _last_rows(raw.node_id), _last_rows(raw.way_id)
    relations, restrictions = _last_of(raw.relations), _last_of(raw.restrictions)
    repeated = (
        (len(raw.node_id) - len(nodes)) + (len(raw.way_id) - len(ways))
        + (len(raw.relations) - len(relations)) + (len(raw.restrictions) - len(restrictions))
    )  # fmt: skip
    if not repeated:
        return raw, 0
    if len(nodes) < len(raw.node_id):
        raw = _with_nodes(raw, nodes)
    if len(ways) < len(raw.way_id):
        refs, start = raw.refs_of(ways)
        raw = replace(
            raw,
            way_id=raw.way_id[ways],
            way_start=start,
            way_refs=raw.way_refs[refs],
            way_tags={key: column.take(ways) for key, column in raw.way_tags.items()},
        )
    return replace(raw, relations=relations, restrictions=restrictions), repeated


def _with_nodes(raw: RawExtract, rows: NDArray[np.int64]) -> RawExtract:
    """The extract with some of its nodes."""
    new_row = np.full(len(raw.node_id), -1, np.int64)
    new_row[rows] = np.arange(len(rows))
    tagged = np.flatnonzero(new_row[raw.tagged_nodes] >= 0)
    return replace(
        raw,
        node_id=raw.node_id[rows],
        node_lon=raw.node_lon[rows],
        node_lat=raw.node_lat[rows],
        tagged_nodes=new_row[raw.tagged_nodes[tagged]],
        node_tags={key: column.take(tagged) for key, column in raw.node_tags.items()},
    )


def _last_rows(ident: NDArray[np.int64]) -> NDArray[np.int64]:
    """The last row of each id, in ascending order of rows."""
    order = np.argsort(ident, kind="stable")
    ordered = ident[order]
    last = np.ones(len(order), bool)
    last[:-1] = ordered[1:] != ordered[:-1]
    return np.sort(order[last])


def _last_of(objects: tuple[Member, ...]) -> tuple[Member, ...]:
    return tuple({one.id: one for one in objects}.values())


def _stacked(tags: list[dict[str, Categorical]], sizes: list[int]) -> dict[str, Categorical]:
    """Tag columns of several extracts one after another."""
    keys = dict.fromkeys(key for columns in tags for key in columns)
    stacked = {}
    for key in keys:
        values: dict[str, int] = {}
        codes = []
        for columns, size in zip(tags, sizes, strict=True):
            column = columns.get(key) or Categorical(np.full(size, -1, np.int32), ())
            table = [values.setdefault(value, len(values)) for value in column.values]
            codes.append(np.array([*table, -1], np.int32)[column.codes])
        stacked[key] = Categorical(np.concatenate(codes), tuple(values))
    return stacked
