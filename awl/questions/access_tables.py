"""The tables of `access`: zones, groups, places, and what stands beside them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.access_measures import cumulative
from awl.core.analysis.dot_density import dots, people_per_dot, where_homes_are
from awl.core.analysis.travel_times import Times
from awl.io import geojson
from awl.io.table import Layer
from awl.questions.access_run import Run
from awl.questions.base import Column, Json

Floats = NDArray[np.float64]
NEAR = 3
"""Places listed for each zone."""


def rounded(values: Floats, digits: int) -> list[float | None]:
    """For a table: None where there is no value."""
    return [None if np.isnan(v) else round(float(v), digits) for v in values]


def percent(part: Floats, whole: Floats) -> list[float | None]:
    """Shares in percent, None of nothing."""
    share = np.divide(100 * part, whole, out=np.full(len(whole), np.nan), where=whole > 0)
    return rounded(share, 2)


def zone_columns(
    run: Run, layer: Layer, fields: list[str], people: list[Floats], limits: list[float]
) -> dict[str, list[Any]]:
    """Zones with their people within each limit, the nearest place, and the places within each limit."""
    columns: dict[str, list[Any]] = {"zone": layer.names("zone"), "zone_id": layer.ids}
    for name, column in zip(fields, people, strict=True):
        columns[name] = column.tolist()
        for limit, share in zip(limits, run.shares, strict=True):
            columns[f"{name}_within_{limit:g}"] = np.round(column * share, 2).tolist()
    for limit, share in zip(limits, run.shares, strict=True):
        columns[f"share_within_{limit:g}"] = rounded(np.where(run.placed > 0, share * 100, np.nan), 2)
    owner = run.nearest.nearest_owner(len(run.places))
    columns["nearest_place"] = [run.places.names[i] if i >= 0 else None for i in owner]
    columns["mean_min"] = rounded(run.mean_min, 2)
    return columns


def offered_columns(run: Run, offers: dict[str, Floats], limits: list[float]) -> dict[str, list[Any]]:
    """What is within each limit of the people of each zone, in the mean: `offers` (k,) of the places by name."""
    homes, near = run.population.homes, {limit: run.times.within(limit) for limit in limits}
    return {
        f"{name}_within_{limit:g}": np.round(homes.per_zone(cumulative(near[limit], offered)), 2).tolist()
        for name, offered in offers.items()
        for limit in limits
    }


def group_rows(run: Run, fields: list[str], people: list[Floats], limits: list[float]) -> list[Json]:
    """Per group: total = within the last limit + beyond it + not placed; `ratio` is its share over that of the first group."""
    rows: list[Json] = []
    for name, column in zip(fields, people, strict=True):
        row: Json = {"field": name, "group": words_of(name), "total": round(float(column.sum()), 1)}
        within = [round(float(share @ column), 1) for share in run.shares]
        for limit, count in zip(limits, within, strict=True):
            row[f"within_{limit:g}"] = count
            row[f"percent_within_{limit:g}"] = round(100 * count / row["total"], 2) if row["total"] else None
        for low, high, a, b in zip(limits, limits[1:], within, within[1:], strict=False):
            row[f"between_{low:g}_{high:g}"] = round(b - a, 1)
        row["not_placed"] = round(float((column * (1.0 - run.placed)).sum()), 1)
        row["beyond"] = round(row["total"] - within[-1] - row["not_placed"], 1)
        rows.append(row)
    for row in rows:
        for limit in limits:
            mine, first = (one[f"percent_within_{limit:g}"] for one in (row, rows[0]))
            row[f"ratio_within_{limit:g}"] = round(mine / first, 3) if mine is not None and first else None
    return rows


def straight_columns(
    run: Run, fields: list[str], people: list[Floats], limits: list[float], straight: list[Floats], groups: list[Json]
) -> dict[str, list[Any]]:
    """People within straight lines and how far that overstates, per zone for the first group; put into `groups` for all."""
    columns: dict[str, list[Any]] = {}
    for limit, share, reached in zip(limits, straight, run.shares, strict=True):
        for row, column in zip(groups, people, strict=True):
            row[f"straight_{limit:g}"] = round(float(share @ column), 1)
            over = row[f"straight_{limit:g}"] - row[f"within_{limit:g}"]
            row[f"overstated_{limit:g}"] = round(over, 1)
            row[f"overstated_percent_{limit:g}"] = (
                round(100 * over / row[f"within_{limit:g}"], 2) if row[f"within_{limit:g}"] else None
            )
        columns[f"straight_{limit:g}"] = np.round(people[0] * share, 2).tolist()
        columns[f"overstated_{limit:g}"] = np.round(people[0] * (share - reached), 2).tolist()
        columns[f"overstated_percent_{limit:g}"] = percent(people[0] * (share - reached), people[0] * reached)
    return columns


def changes(
    run: Run, other: Run, fields: list[str], people: list[Floats], limits: list[float], groups: list[Json]
) -> dict[str, list[Any]]:
    """What another run has, and how much more than this one: per zone for the first group, and put into `groups` for all."""
    columns: dict[str, list[Any]] = {}
    for limit, mine, theirs in zip(limits, run.shares, other.shares, strict=True):
        for row, column in zip(groups, people, strict=True):
            row[f"other_within_{limit:g}"] = round(float(theirs @ column), 1)
            row[f"change_within_{limit:g}"] = round(row[f"other_within_{limit:g}"] - row[f"within_{limit:g}"], 1)
        columns[f"other_{fields[0]}_within_{limit:g}"] = np.round(people[0] * theirs, 2).tolist()
        columns[f"change_{fields[0]}_within_{limit:g}"] = np.round(people[0] * (theirs - mine), 2).tolist()
        placed = run.placed > 0
        columns[f"other_share_within_{limit:g}"] = rounded(np.where(placed, 100 * theirs, np.nan), 2)
        columns[f"change_share_within_{limit:g}"] = rounded(np.where(placed, 100 * (theirs - mine), np.nan), 2)
    columns["other_mean_min"] = rounded(other.mean_min, 2)
    columns["change_mean_min"] = rounded(other.mean_min - run.mean_min, 2)
    return columns


def place_columns(run: Run, fields: list[str], people: list[Floats], limits: list[float]) -> dict[str, list[Any]]:
    """People within each limit of each place by group, those for whom it is the nearest, and those who have no other."""
    columns: dict[str, list[Any]] = {}
    homes, times = run.population.homes, run.times
    heads = [homes.share * column[homes.zone] for column in people]
    for limit in limits:
        near = times.within(limit)
        for name, head in zip(fields, heads, strict=True):
            columns[f"{name}_within_{limit:g}"] = np.round(near.per_place(head[near.home]), 1).tolist()
    near = times.within(limits[-1])
    first = near.nth == 0
    columns[f"{fields[0]}_nearest"] = np.round(near.per_place(heads[0][near.home] * first), 1).tolist()
    alone = near.per_home(np.ones(len(near.home))) == 1
    columns[f"{fields[0]}_only_this"] = np.round(near.per_place((heads[0] * alone)[near.home]), 1).tolist()
    columns[f"{fields[0]}_with_others"] = np.round(near.per_place((heads[0] * ~alone)[near.home]), 1).tolist()
    return columns


def near_rows(run: Run, names: list[str], limit: float) -> list[Json]:
    """The places that most people of each zone have within a limit, with the mean minutes of those people."""
    homes, near = run.population.homes, run.times.within(limit)
    flat = homes.zone[near.home] * near.places + near.place
    pair, row = np.unique(flat, return_inverse=True)
    share = np.bincount(row, homes.share[near.home])
    minutes = np.bincount(row, homes.share[near.home] * near.minutes) / np.maximum(share, 1e-12)
    zone, place = pair // near.places, pair % near.places
    order = np.lexsort((minutes, -np.round(share, 3), zone))
    nth = np.arange(len(order)) - np.searchsorted(zone[order], zone[order])
    return [
        {
            "zone": names[zone[i]],
            "place": run.places.names[place[i]],
            "share": round(100 * float(share[i]), 1),
            "minutes": round(float(minutes[i]), 2),
        }
        for i in order[nth < NEAR]
    ]


def curve_rows(run: Run, names: list[str]) -> list[Json]:
    """Share of the people of each zone within so many minutes, in percent."""
    keys = [f"within_{minute:g}" for minute in np.round(run.minutes, 2)]
    shares = np.round(100 * run.curve, 1).T.tolist()
    return [{"zone": name, **dict(zip(keys, row, strict=True))} for name, row in zip(names, shares, strict=True)]


def unserved(run: Run, people: Floats, limit: float) -> Json:
    """People who have no place within a limit, as dots where they live; those without a home on a street are not among them."""
    homes = run.population.homes
    served = served_homes(run.times, limit)
    heads = np.where(served | (homes.link < 0), 0.0, homes.share * people[homes.zone])
    per = people_per_dot(float(heads.sum()))
    rows = dots(heads, per)
    points = where_homes_are(homes.take(rows), run.context.network.graph) if len(rows) else np.zeros(0, object)
    return geojson.collection(Layer(np.asarray(points, dtype=object), {"people": [per] * len(rows)}))


def served_homes(times: Times, limit: float) -> NDArray[np.bool_]:
    """Homes (p,) with a place within a limit."""
    made = np.zeros(times.homes, bool)
    made[times.within(limit).home] = True
    return made


def zone_table(fields: list[str], limits: list[float], compared: bool) -> list[Column]:
    """The columns of zones that matter; of two runs both and the change within the middle limit."""
    middle = limits[len(limits) // 2]
    people = Column(fields[0], "People" if fields[0] == "population" else words_of(fields[0]).capitalize(), "", 0)
    if compared:
        return [
            Column("zone", "Zone"),
            people,
            Column(f"share_within_{middle:g}", f"{middle:g}\u00a0min", "%", 1),
            Column(f"other_share_within_{middle:g}", "Other run", "%", 1),
            Column(f"change_{fields[0]}_within_{middle:g}", "Change", "people", 0),
            Column("nearest_place", "Nearest"),
        ]
    return [
        Column("zone", "Zone"),
        people,
        Column("mean_min", "Mean", "min", 1),
        *[Column(f"share_within_{limit:g}", f"{limit:g}\u00a0min", "%", 1) for limit in limits],
        Column("nearest_place", "Nearest"),
    ]


def group_table(limits: list[float], straight: bool, compared: bool) -> list[Column]:
    """The columns of groups; what is said of one limit is said of the middle one."""
    middle = limits[len(limits) // 2]
    return [
        Column("group", "Group"),
        Column("total", "People", "", 0),
        *[Column(f"within_{limit:g}", f"{limit:g}\u00a0min", "people", 0) for limit in limits],
        Column(f"ratio_within_{middle:g}", "Share to first", "", 2),
        *([Column(f"overstated_{middle:g}", "Straight, more", "people", 0)] if straight else []),
        *([Column(f"change_within_{middle:g}", "Other run, change", "people", 0)] if compared else []),
    ]


def place_table(fields: list[str], limits: list[float]) -> list[Column]:
    """The columns of places."""
    middle = limits[len(limits) // 2]
    return [
        Column("name", "Place"),
        *[Column(f"{fields[0]}_within_{limit:g}", f"{limit:g} min", "people", 0) for limit in (middle, limits[-1])],
        Column(f"{fields[0]}_nearest", "Nearest for", "people", 0),
        Column(f"{fields[0]}_only_this", "Have no other", "people", 0),
    ]


def words_of(field: str) -> str:
    """A field's name as words."""
    return field.replace("_", " ")
