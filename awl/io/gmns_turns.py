"""Turns of GMNS tables: Awl's own `restriction.csv`, or the turns that a `movement.csv` allows."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from awl.core.graph.turns import DELAY
from awl.io import text_table
from awl.io.gmns_links import Streets
from awl.io.table import Table

OWN_NAMES = {
    "from_street_link_id": "from_link_id",
    "via_street_link_ids": "via_link_ids",
    "to_street_link_id": "to_link_id",
}
"""Columns of Awl's `restriction.csv`, and their names in `graph_tables`."""
BARRED = "none"
"""What may use a movement that is barred."""


def restrictions(path: Path) -> Table:
    """The rows of Awl's own table of turn restrictions.

    Parameters:
        path: the file.
    """
    rows = text_table.read(path).needs("from_street_link_id", "via_node_id", "to_street_link_id", "restriction")
    every = ("relation_id", *OWN_NAMES, "via_node_id", "restriction", "applies_to", "exempt", "condition", "delay_s")
    return Table(None, {OWN_NAMES.get(name, name): rows.text(name) for name in every})


def of_movements(path: Path, streets: Streets, left_out: dict[str, int]) -> Table | None:
    """The turns that are barred because a node lists others, and what turns with a penalty take.

    Parameters:
        path: the table.
        streets: the streets of the tables.
        left_out: counts of rows left out, by what is wrong with them; those of this table are added.
    """
    rows = text_table.read(path).needs("node_id", "ib_link_id", "ob_link_id")
    node_of_row = rows.whole("node_id").tolist()
    listed = set(node_of_row)
    street_of: dict[str, int] = {}
    into: dict[int, list[str]] = {}
    out: dict[int, list[str]] = {}
    for number, (ids, ends) in enumerate(zip(streets.link_ids.tolist(), streets.ends.tolist(), strict=True)):
        for side, ident in enumerate(ids):
            if ident:
                street_of[ident] = number
            if ident and (ends[0] in listed or ends[1] in listed):
                into.setdefault(ends[1 - side], []).append(ident)
                out.setdefault(ends[side], []).append(ident)
    allowed: dict[int, set[tuple[str, str]]] = {}
    unknown = faulty = 0
    turns: list[tuple[int, int, int, str, float | None]] = []
    columns = [rows.text(name).to_pylist() for name in ("ib_link_id", "ob_link_id", "penalty", "allowed_uses")]
    for node, a, b, penalty, uses in zip(node_of_row, *columns, strict=True):
        known = a in street_of and b in street_of
        unknown += not known
        seconds = _seconds(penalty)
        faulty += seconds is None
        if seconds and seconds > 0 and known:
            turns.append((node, street_of[a], street_of[b], DELAY, seconds))
        pairs = allowed.setdefault(node, set())
        if (uses or "").lower() != BARRED:
            pairs.add((a, b))
    barred: list[tuple[int, int, int, str, float | None]] = [
        (node, street_of[a], street_of[b], "no_turn", None)
        for node, pairs in allowed.items()
        for a in into.get(node, [])
        for b in out.get(node, [])
        if (a, b) not in pairs and street_of[a] != street_of[b]
    ]
    for reason, count in (
        ("movements between links that are not there", unknown),
        ("penalties of movements that are no number of seconds", faulty),
    ):
        if count:
            left_out[reason] = count
    turns = [*barred, *turns]
    if not turns:
        return None
    names = streets.table.columns["link_id"]
    columns_of_turns: dict[str, list[Any]] = {
        "relation_id": [0] * len(turns),
        "from_link_id": [names[a] for _, a, _, _, _ in turns],
        "via_node_id": [node for node, *_ in turns],
        "via_link_ids": [None] * len(turns),
        "to_link_id": [names[b] for _, _, b, _, _ in turns],
        "restriction": [kind for *_, kind, _ in turns],
        "delay_s": [seconds for *_, seconds in turns],
    }
    return Table(np.full(len(turns), None, object), columns_of_turns)


def _seconds(text: str | None) -> float | None:
    """A penalty in seconds: 0 where none is stated, none where it is no number."""
    try:
        seconds = float(text or 0)
    except ValueError:
        return None
    return seconds if math.isfinite(seconds) else None
