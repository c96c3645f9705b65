"""The tables of `access`: zones, groups, places, and what is compared with them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.access_measures import cumulative
from awl.core.analysis.dot_density import dots, people_per_dot, where_homes_are
from awl.core.analysis.travel_times import Times
from awl.io.table import Column, Meaning, Table, Values
from awl.questions.access.scenario import Run

Floats = NDArray[np.float64]
NEAR = 3
"""Places listed for each zone."""


def people_field(name: str, limit: float) -> str:
    """The column of people of a group, or of places, within a limit."""
    return f"{name}_within_{limit:g}"


def share_field(limit: float) -> str:
    """The column of the share of people within a limit."""
    return f"share_within_{limit:g}"


def percent(part: Floats, total: Floats) -> Floats:
    """Shares in percent, NaN of nothing."""
    return np.divide(100 * part, total, out=np.full(len(total), np.nan), where=total > 0)


def _people(values: Floats, digits: int, quantity: str, of: str, limit: float | None = None, **more: str) -> Column:
    return Column.of(values, "people", digits, Meaning(quantity, of, limit, **more))  # type: ignore[arg-type]


def _shares(values: Floats, limit: float, **more: str) -> Column:
    return Column.of(values, "%", 2, Meaning("share_within", None, limit, **more))  # type: ignore[arg-type]


def zone_columns(
    run: Run, layer: Table, fields: list[str], people: list[Floats], limits: list[float]
) -> dict[str, Values]:
    """Zones with their people within each limit, the nearest place, and the mean time to it."""
    columns: dict[str, Values] = {"zone": layer.names("zone"), "zone_id": layer.ids}
    for name, column in zip(fields, people, strict=True):
        columns[name] = layer.columns[name] if not layer.columns[name].gaps.any() else column
        for limit, share in zip(limits, run.shares, strict=True):
            columns[people_field(name, limit)] = _people(column * share, 2, "people_within", name, limit)
    for limit, share in zip(limits, run.shares, strict=True):
        columns[share_field(limit)] = _shares(np.where(run.placed > 0, share * 100, np.nan), limit)
    owner = run.nearest.nearest_owner(len(run.places))
    columns["nearest_place"] = [run.places.names[i] if i >= 0 else None for i in owner]
    columns["mean_min"] = Column.of(run.mean_min, "min", 2, Meaning("mean_time"))
    return columns | _zones_over_window(run, limits)


def _zones_over_window(run: Run, limits: list[float]) -> dict[str, Values]:
    """By public transport: shares of people at the worst and the best departure, and how often they are within the last limit."""
    over = run.over_window
    if over is None:
        return {}
    columns: dict[str, Values] = {}
    for name, shares in (("best", over.best), ("median", over.median), ("worst", over.worst)):
        for limit, share in zip(limits, shares, strict=True):
            columns[f"{name}_{share_field(limit)}"] = _shares(np.where(run.placed > 0, share * 100, np.nan), limit)
    columns["departures_percent"] = Column.of(100 * over.served, "%", 1)
    return columns


def window_columns(run: Run, people: list[Floats], limits: list[float]) -> dict[str, Values]:
    """By public transport: people of each group within each limit at the worst, the middle and the best departure.

    `departures_percent` is the share of the departures at which they are within the last limit, in the mean of the people.
    """
    over = run.over_window
    if over is None:
        return {}
    heads, columns = np.stack(people), dict[str, Values]()
    for name, shares in (("best", over.best), ("median", over.median), ("worst", over.worst)):
        for limit, share in zip(limits, shares, strict=True):
            columns[f"{name}_within_{limit:g}"] = _people(np.round(heads @ share, 1), 1, "people_within", "", limit)
    known = np.isfinite(over.served)
    placed = heads[:, known] @ run.placed[known]
    served = heads[:, known] @ (run.placed[known] * over.served[known])
    columns["departures_percent"] = Column.of(percent(served, placed), "%", 2)
    return columns


def offered_columns(run: Run, offers: dict[str, Floats], limits: list[float]) -> dict[str, Values]:
    """What is within each limit of the people of each zone, in the mean: `offers` (k,) of the places by name."""
    population_points, near = run.population.population_points, {limit: run.times.within(limit) for limit in limits}
    return {
        people_field(name, limit): Column.of(
            population_points.per_zone(cumulative(near[limit], offered)), "", 2, Meaning("places_within", name, limit)
        )
        for name, offered in offers.items()
        for limit in limits
    }


def group_columns(run: Run, fields: list[str], people: list[Floats], limits: list[float]) -> dict[str, Values]:
    """A row per group: total = within the last limit + beyond it + not placed; `ratio` is its share over that of the first."""
    heads: Floats = np.stack(people)
    total: Floats = np.round(heads.sum(axis=1), 1)
    within = np.stack([heads @ share for share in run.shares], axis=1).round(1)
    not_placed = np.round(heads @ (1.0 - run.placed), 1)
    columns: dict[str, Values] = {
        "field": fields,
        "group": [words_of(name) for name in fields],
        "total": Column.of(total, "people", 1, Meaning("people")),
    }
    shares = []
    for level, limit in enumerate(limits):
        shares.append(percent(within[:, level], total))
        columns[f"within_{limit:g}"] = Column.of(
            within[:, level].copy(), "people", 1, Meaning("people_within", None, limit)
        )
        columns[f"percent_within_{limit:g}"] = _shares(shares[-1], limit)
    for level, (low, high) in enumerate(zip(limits, limits[1:], strict=False)):
        columns[f"between_{low:g}_{high:g}"] = Column.of(within[:, level + 1] - within[:, level], "people", 1)
    columns["not_placed"] = Column.of(not_placed, "people", 1, Meaning("people_not_placed"))
    columns["beyond"] = Column.of(
        total - within[:, -1] - not_placed, "people", 1, Meaning("people_beyond", None, limits[-1])
    )
    for limit, share in zip(limits, shares, strict=True):
        first = np.full(len(share), share[0])
        ratio = np.divide(share, first, out=np.full(len(share), np.nan), where=first > 0)
        columns[f"ratio_within_{limit:g}"] = Column.of(ratio, "", 3, Meaning("ratio_to_first", None, limit))
    return columns


def straight_columns(
    run: Run, fields: list[str], people: list[Floats], limits: list[float], straight: list[Floats]
) -> tuple[dict[str, Values], dict[str, Values]]:
    """People within straight lines and how far that overstates: per zone for the first group, and for all groups."""
    zones: dict[str, Values] = {}
    groups: dict[str, Values] = {}
    heads = np.stack(people)
    for limit, share, reached in zip(limits, straight, run.shares, strict=True):
        for columns, air, road in (
            (groups, np.round(heads @ share, 1), np.round(heads @ reached, 1)),
            (zones, people[0] * share, people[0] * reached),
        ):
            of, digits = (fields[0], 2) if columns is zones else ("", 1)
            columns[f"straight_{limit:g}"] = _people(air, digits, "people_straight", of, limit)
            columns[f"overstated_{limit:g}"] = _people(air - road, digits, "people_overstated", of, limit)
            columns[f"overstated_percent_{limit:g}"] = Column.of(
                percent(air - road, road), "%", 2, Meaning("share_overstated", of or None, limit)
            )
    return zones, groups


def change_columns(
    run: Run, other: Run, fields: list[str], people: list[Floats], limits: list[float]
) -> tuple[dict[str, Values], dict[str, Values]]:
    """What another run has, and how much more than this one: per zone for the first group, and for all groups."""
    zones: dict[str, Values] = {}
    groups: dict[str, Values] = {}
    heads, placed, first = np.stack(people), run.placed > 0, fields[0]
    for limit, share, theirs in zip(limits, run.shares, other.shares, strict=True):
        within = np.round(heads @ theirs, 1)
        more = within - np.round(heads @ share, 1)
        groups[f"other_within_{limit:g}"] = _people(within, 1, "people_within", "", limit, run="other")
        groups[f"change_within_{limit:g}"] = _people(more, 1, "people_within", "", limit, run="change")
        for name, values in (("other", theirs), ("change", theirs - share)):
            zones[f"{name}_{people_field(first, limit)}"] = _people(
                people[0] * values, 2, "people_within", first, limit, run=name
            )
        for name, values in (("other", theirs), ("change", theirs - share)):
            zones[f"{name}_{share_field(limit)}"] = _shares(np.where(placed, 100 * values, np.nan), limit, run=name)
    zones["other_mean_min"] = Column.of(other.mean_min, "min", 2, Meaning("mean_time", run="other"))
    zones["change_mean_min"] = Column.of(other.mean_min - run.mean_min, "min", 2, Meaning("mean_time", run="change"))
    return zones, groups


def place_columns(run: Run, fields: list[str], people: list[Floats], limits: list[float]) -> dict[str, Values]:
    """People within each limit of each place by group, those for whom it is the nearest, and those who have no other."""
    columns: dict[str, Values] = {}
    population_points, times = run.population.population_points, run.times
    heads = [population_points.share * column[population_points.zone] for column in people]
    for limit in limits:
        near = times.within(limit)
        for name, head in zip(fields, heads, strict=True):
            columns[people_field(name, limit)] = _people(
                near.per_place(head[near.home]), 1, "people_within", name, limit
            )
    near, name = times.within(limits[-1]), fields[0]
    first = near.nth == 0
    alone = near.per_home(np.ones(len(near.home))) == 1
    columns[f"{name}_nearest"] = _people(near.per_place(heads[0][near.home] * first), 1, "people_nearest", name)
    columns[f"{name}_only_this"] = _people(near.per_place((heads[0] * alone)[near.home]), 1, "people_only_this", name)
    columns[f"{name}_with_others"] = _people(
        near.per_place((heads[0] * ~alone)[near.home]), 1, "people_with_others", name
    )
    return columns


def near_table(run: Run, names: list[str], limit: float) -> Table:
    """The places that most people of each zone have within a limit, with the mean minutes of those people."""
    population_points, near = run.population.population_points, run.times.within(limit)
    flat = population_points.zone[near.home] * near.places + near.place
    pair, row = np.unique(flat, return_inverse=True)
    share = np.bincount(row, population_points.share[near.home])
    minutes = np.bincount(row, population_points.share[near.home] * near.minutes) / np.maximum(share, 1e-12)
    zone, place = pair // near.places, pair % near.places
    order = np.lexsort((minutes, -np.round(share, 3), zone))
    nth = np.arange(len(order)) - np.searchsorted(zone[order], zone[order])
    rows = order[nth < NEAR]
    return Table(
        None,
        {
            "zone": [names[zone[i]] for i in rows],
            "place": [run.places.names[place[i]] for i in rows],
            "share": Column.of(100 * share[rows], "%", 1, Meaning("share_within", None, limit)),
            "minutes": Column.of(minutes[rows], "min", 2, Meaning("mean_time")),
        },
    )


def curve_table(run: Run, names: list[str]) -> Table:
    """Share of the people of each zone within so many minutes."""
    columns = {
        f"within_{minute:g}": Column.of(100 * share, "%", 1, Meaning("share_within", None, float(minute)))
        for minute, share in zip(np.round(run.minutes, 2).tolist(), run.curve, strict=True)
    }
    return Table(None, {"zone": names, **columns})


def unserved(run: Run, people: Floats, limit: float) -> Table:
    """People who have no place within a limit, as dots where they live; those without a home on a street are not among them."""
    population_points = run.population.population_points
    served = served_homes(run.times, limit)
    heads = np.where(
        served | (population_points.link < 0), 0.0, population_points.share * people[population_points.zone]
    )
    per = people_per_dot(float(heads.sum()))
    rows = dots(heads, per)
    points = (
        where_homes_are(population_points.take(rows), run.context.network.graph) if len(rows) else np.zeros(0, object)
    )
    people_each = Column.of(np.full(len(rows), per), "people", meaning=Meaning("people_beyond", None, limit))
    return Table(np.asarray(points, dtype=object), {"people": people_each})


def served_homes(times: Times, limit: float) -> NDArray[np.bool_]:
    """PopulationPoints (p,) with a place within a limit."""
    served = np.zeros(times.population_points, bool)
    served[times.within(limit).home] = True
    return served


def words_of(field: str) -> str:
    """A field's name as words."""
    return field.replace("_", " ")
