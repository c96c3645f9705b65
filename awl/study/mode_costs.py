"""Costs of the analyst's own: CQL2 expressions over the streets, one value per link and direction."""

from __future__ import annotations

import sqlite3

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.modes.mode import Cost
from awl.core.network.costs import MOST_COST
from awl.core.network.network import Network
from awl.cql2.sql import value_to_sql
from awl.study.modes import street_columns

OWN_FIELDS = ("duration_s", "climb_m")
"""What an expression may use beyond the attributes of streets: the mode's time, and metres up, in the direction in question."""


def evaluated(
    connection: sqlite3.Connection, network: Network, climb: NDArray[np.float64] | None
) -> dict[str, NDArray[np.float64]]:
    """The costs (m, 2) of a network's mode by id, along and against each link's drawn direction.

    `climb` (m, 2) in metres is 0 where no heights are known. Raises `AwlError` for an expression that cannot be read, names an
    unknown attribute, mixes types, or has no value, a negative or a too large one on a usable link.
    """
    costs = {}
    climb = np.zeros((network.graph.link_count, 2)) if climb is None else climb
    for number, cost in enumerate(network.mode.costs):
        pair = np.empty((network.graph.link_count, 2))
        for side, text in enumerate((cost.along, cost.against or cost.along)):
            name = f"costs.{number}.{'against' if side and cost.against else 'along'}"
            pair[:, side] = _column(connection, text, name, network, side, climb[:, side])
        if cost.missing is not None:
            pair = np.where(np.isnan(pair), cost.missing, pair)
        _check(cost, number, pair, network)
        costs[cost.id] = np.where(np.isfinite(pair), pair, 0.0)
    return costs


def _column(
    connection: sqlite3.Connection,
    text: str,
    name: str,
    network: Network,
    side: int,
    climb_m: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Values (m,) of an expression in one direction, NaN where it has none."""
    graph = network.graph
    columns, types = street_columns(connection)
    types |= dict.fromkeys(OWN_FIELDS, "REAL")
    try:
        sql, parameters = value_to_sql(text, list(types), types)
    except AwlError as error:
        raise AwlError(error.what, remedy=error.remedy, inputs=(name,), kind="bad-cost") from error
    source = f"SELECT fid, {columns} FROM streets"
    if any(field in text for field in OWN_FIELDS):
        connection.execute("DROP TABLE IF EXISTS temp.awl_passing")
        connection.execute("CREATE TEMP TABLE awl_passing (fid INTEGER PRIMARY KEY, duration_s REAL, climb_m REAL)")
        duration_s = network.duration_ms[:, side] / 1000
        rows = zip(graph.link_id.tolist(), duration_s.tolist(), climb_m.tolist(), strict=True)
        connection.executemany("INSERT INTO awl_passing VALUES (?, ?, ?)", rows)
        source = f"SELECT * FROM ({source}) JOIN temp.awl_passing USING (fid)"
    ids, values = [], []
    for fid, value in connection.execute(f"SELECT fid, {sql} FROM ({source})", parameters):
        if isinstance(value, str):
            raise AwlError("The expression gives a text", remedy="Give a number", inputs=(name,), kind="bad-cost")
        ids.append(fid)
        values.append(np.nan if value is None else value)
    column = np.full(graph.link_count, np.nan)
    column[graph.link_rows(ids)] = values
    return column


def _check(cost: Cost, number: int, pair: NDArray[np.float64], network: Network) -> None:
    """Refuse a cost that a usable link lacks, or that no search could sum up."""
    used = np.stack([network.forward, network.backward], axis=1)
    for mask, what, remedy in (
        (
            np.isnan(pair),
            "has no value",
            "An attribute is missing there or a division is by zero; state what such links cost",
        ),
        (pair < 0, "is negative", "Costs are 0 or more"),
        (pair > MOST_COST, f"is above {MOST_COST:,.0f}", "Choose a larger unit"),
    ):
        wrong = (mask & used).any(axis=1)
        if wrong.any():
            link = network.graph.link_id[np.flatnonzero(wrong)[0]]
            raise AwlError(
                f"The cost '{cost.id}' {what} on {int(wrong.sum()):,} usable links, first on link {link}",
                remedy=remedy,
                inputs=(f"costs.{number}.along",),
                kind="bad-cost",
            )
