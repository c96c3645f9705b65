"""How an isochrone is computed: streets split exactly where a limit falls, and areas around them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.error import AreaError, area_error
from awl.core.analysis.isochrone_areas.field import CALM_MS, OFF_STREET_M
from awl.core.errors import AwlError
from awl.core.graph.shapes import cut_lines, point_at
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import OWNER_BITS
from awl.core.routing.reach import Reach, reached_parts
from awl.core.routing.snapping import Snapped
from awl.core.transit.window import ReachSpread
from awl.io.table import Column, Meaning, Table, Values
from awl.questions import by_transit, static_speeds
from awl.questions.context import Context, limit_units
from awl.questions.hours import checked_hours
from awl.questions.inputs import Json
from awl.questions.isochrone.by_hour import hour_field, reach_at
from awl.questions.isochrone.groups import Group, groups_of, rule_summary
from awl.questions.isochrone.inputs import IsochroneInputs
from awl.questions.reach_areas import (
    CALM_MM,
    AreaDrawer,
    contours_of,
    error_doubts,
    limit_unit,
    split_at_limits,
    straight_areas,
)
from awl.questions.results import Doubt, Result

MAX_SEPARATE = 5000
"""Areas per place are drawn for at most so many places."""
GRID_M = 0.01
"""Areas of several groups are put together on a grid this fine."""


@dataclass
class IsochroneResult(Result):
    """An isochrone.

    Attributes:
        modes: titles of the modes, that of the question first where it is among them.
        words: what the places are called together.
        kind: what one of them is called, None where they are points of the user's own.
        area_km2: area within each limit, over all places.
        street_km: street within each limit; None where places differ.
        departures: by public transport, clock time of each departure and how many stops are within the last limit then.
        curve: limits from none to the last, and street within each in km; None where places differ.
    """

    modes: list[str]
    words: str
    kind: str | None
    area_km2: list[float]
    street_km: list[float] | None
    curve: tuple[list[float], list[float]] | None
    departures: tuple[list[str], list[int]] | None


@dataclass(frozen=True)
class Reached:
    """What the places of a group reach; shapes lie in the metric plane.

    `reach` has the pieces of the links that are reached.
    """

    group: Group
    snapped: Snapped
    arrivals: Arrivals
    reach: Reach
    units: list[int]
    calm: float
    merged: list[shapely.Geometry]
    spread: ReachSpread | None = None

    @property
    def error(self) -> AreaError:
        """How far the merged areas are from the streets."""
        area = np.array(self.merged[-1:], dtype=object)
        return area_error(self.group.context.network, self.reach, self.units[-1], area)


def run_isochrone(inputs: IsochroneInputs, context: Context) -> IsochroneResult:
    """Search once for each group (or for each place), then draw."""
    hours = checked_hours(inputs.hours, context.when, inputs.measure) if inputs.hours else []
    if inputs.differs and hours:
        raise AwlError(
            "Places that differ have hours of their own", remedy="Leave one out", inputs=("hours", "differs")
        )
    groups = groups_of(inputs, context)
    count = sum(len(group.places) for group in groups)
    if inputs.merge == "each" and count > MAX_SEPARATE:
        raise AwlError(
            f"Areas one by one are drawn for at most {MAX_SEPARATE} places, not {count:,}",
            remedy="Merge the areas or filter the places",
            inputs=("merge",),
        )
    reached = [_reached(inputs, group) for group in groups]
    group_reach = reached[0] if len(reached) == 1 else None
    merged = group_reach.merged if group_reach is not None else _together(reached, len(inputs.limits))
    areas, shapes, at = _areas(inputs, context, reached, merged)
    unit = limit_unit(inputs.measure)
    area_km2 = [shape.area / 1e6 for shape in merged]
    street_km = None if group_reach is None else _street_km(group_reach)
    totals: dict[str, Values] = {
        "limit": Column.of([float(limit) for limit in inputs.limits], unit),
        "area_km2": Column.of(area_km2, "km²", 4),
    }
    if street_km is not None:
        totals["street_km"] = Column.of(street_km, "km", 3)
        totals |= _over_window(reached[0])
    tables: dict[str, Table | Callable[[], Table]] = {
        "areas": areas,
        "contours": lambda: contours_of(context, shapes, at, unit),
        "streets": lambda: Table.joined(
            [_with_mode(_streets(group_reach, inputs), group_reach, reached) for group_reach in reached]
        ),
        "ends": lambda: Table.joined(
            [_with_mode(_ends(group_reach, unit), group_reach, reached) for group_reach in reached]
        ),
        "places": Table.joined(
            [
                _with_mode(
                    group_reach.group.context.place_table(group_reach.group.places, group_reach.snapped),
                    group_reach,
                    reached,
                )
                for group_reach in reached
            ]
        ),
        "by_limit": Table(None, totals),
    }
    summary: Json = {
        "places": count,
        "places_used": sum(int(group_reach.snapped.is_snapped.sum()) for group_reach in reached),
        f"limits_{unit}": inputs.limits,
        "area_km2": [round(km2, 4) for km2 in area_km2],
    }
    if street_km is not None:
        summary["street_km"] = [round(km, 3) for km in street_km]
        for name, column in _over_window(reached[0]).items():
            summary[name] = column.shown()
    if inputs.differs:
        summary["groups"] = rule_summary(inputs, groups)
    if hours and group_reach is not None:
        by_hour = reach_at(context, hours, group_reach.snapped, inputs.direction, inputs.limits, group_reach.units)
        tables["by_hour"] = by_hour
        last = by_hour.columns[hour_field(inputs.limits[-1])].shown()
        summary["street_km_by_hour"] = dict(zip(by_hour.columns["hour"], last, strict=True))
    if inputs.compare_straight_line:
        places = groups[0].places if group_reach is not None else context.places(inputs.places)
        tables["straight"] = straight_areas(context, places, inputs.limits, inputs.measure)
    context.progress.step(0.95, "Summing up")
    return IsochroneResult(
        summary=summary,
        parts=tables,
        doubts=_doubts(reached),
        method=_method(inputs, reached),
        modes=list(dict.fromkeys(group.context.mode.title for group in groups)),
        words=context.places(inputs.places).words if group_reach is None else groups[0].places.words,
        kind=groups[0].places.kind,
        area_km2=area_km2,
        street_km=street_km,
        curve=None if group_reach is None else _curve(group_reach, inputs),
        departures=None if group_reach is None else _stops_by_departure(group_reach),
    )


def _reached(inputs: IsochroneInputs, group: Group) -> Reached:
    context = group.context
    snapped = context.snap(group.places)
    units = [limit_units(value, inputs.measure) for value in group.limits]
    calm = CALM_MS if inputs.measure == "time" else CALM_MM
    context.progress.step(0.1, "Searching")
    start = np.rint(group.head_start_min * 60_000).astype(np.int32) if group.head_start_min.any() else None
    limit, spread = units[-1] + int(calm), None
    if context.transit is None:
        arrivals, found = context.street_router.reach(snapped, inputs.measure, inputs.direction, limit, start)
    else:
        context.transit.check_measure(inputs.measure)
        spread = context.transit.reach_spread(snapped, inputs.direction, limit, start)
        arrivals, found = spread.arrivals, spread.asked
    context.progress.step(0.3, "Drawing areas")
    draw = AreaDrawer(context, calm, context.progress.part(0.3, 0.4))
    reach = found.take(found.is_reached)
    return Reached(group, snapped, arrivals, reach, units, calm, [draw.area(reach, unit) for unit in units], spread)


def _together(reached: list[Reached], levels: int) -> list[shapely.Geometry]:
    """The areas of all groups within each limit."""
    return [
        shapely.union_all(
            np.array([group_reach.merged[level] for group_reach in reached], dtype=object), grid_size=GRID_M
        )
        for level in range(levels)
    ]


def _areas(
    inputs: IsochroneInputs, context: Context, reached: list[Reached], merged: list[shapely.Geometry]
) -> tuple[Table, list[shapely.Geometry], list[float]]:
    """The areas as asked for, and their shapes in the plane with the limit of each."""
    limits = inputs.limits
    if inputs.merge in ("each", "nearest"):
        separate = [_separate(inputs, group_reach, reached) for group_reach in reached]
        shapes = [shape for areas, _ in separate for shape in areas]
        whole_table = Table.joined([table for _, table in separate])
        at, low = (whole_table.columns[name].tolist() for name in ("limit", "from_limit"))
        columns: dict[str, Values] = dict(whole_table.columns)
    elif inputs.merge == "bands":
        shapes = [
            merged[0],
            *(_without(shape, inner, reached) for inner, shape in zip(merged, merged[1:], strict=False)),
        ]
        at, low, columns = limits, [0.0, *limits[:-1]], {}
    else:
        shapes = merged
        at, low, columns = limits, [0.0] * len(limits), {}
    unit = limit_unit(inputs.measure)
    ends = {
        "limit": Column.of(np.array(at, np.float64), unit),
        "from_limit": Column.of(np.array(low, np.float64), unit),
    }
    columns = {**ends, **{name: values for name, values in columns.items() if name not in ends}}
    columns["area_km2"] = Column.of([shape.area / 1e6 for shape in shapes], "km²", 5)
    return Table(context.network.graph.plane.unproject(np.array(shapes, dtype=object)), columns), shapes, at


def _without(shape: shapely.Geometry, inner: shapely.Geometry, reached: list[Reached]) -> shapely.Geometry:
    return shapely.difference(shape, inner, grid_size=GRID_M if len(reached) > 1 else None)


def _separate(
    inputs: IsochroneInputs, group_reach: Reached, reached: list[Reached]
) -> tuple[list[shapely.Geometry], Table]:
    """Areas of each place of a group by itself, or where it is the nearest, and their columns."""
    context, places, draw = (
        group_reach.group.context,
        group_reach.group.places,
        AreaDrawer(group_reach.group.context, group_reach.calm),
    )
    rows, shapes = np.flatnonzero(group_reach.snapped.is_snapped), []
    for done, row in enumerate(rows.tolist()):
        context.progress.step(0.4 + 0.5 * done / len(rows), f"Area of {places.names[row]}")
        reach, owner = group_reach.reach, row
        if inputs.merge == "each":
            alone = np.array([row])
            start = np.rint(group_reach.group.head_start_min[alone] * 60_000).astype(np.int32)
            limit = group_reach.units[-1] + int(group_reach.calm)
            _, reach = context.router.reach(
                group_reach.snapped.take(alone), inputs.measure, inputs.direction, limit, start
            )
        shapes += [draw.area(reach, unit, owner if inputs.merge == "nearest" else None) for unit in group_reach.units]
    levels = np.tile(inputs.limits, len(rows))
    columns: dict[str, Values] = {
        "limit": levels,
        "from_limit": np.zeros(len(levels)),
        "place_id": [places.ids[row] for row in rows for _ in group_reach.units],
        "place": [places.names[row] for row in rows for _ in group_reach.units],
    }
    return shapes, _with_mode(Table(None, columns), group_reach, reached)


def _with_mode(table: Table, group_reach: Reached, reached: list[Reached]) -> Table:
    """A table of a group with its mode, where there are several."""
    return (
        table if len(reached) == 1 else table.with_columns({"mode": [group_reach.group.context.mode.id] * len(table)})
    )


def _street_km(group_reach: Reached) -> list[float]:
    length = group_reach.group.context.network.graph.link_length
    return [group_reach.reach.length_within(unit, length) / 1000 for unit in group_reach.units]


def _over_window(group_reach: Reached) -> dict[str, Column]:
    """By public transport, street within each limit at the best, the middle and the worst departure of the window."""
    spread = group_reach.spread
    if spread is None:
        return {}
    length = group_reach.group.context.network.graph.link_length
    reaches = {"best": spread.best, "median": spread.median, "worst": spread.worst}
    return {
        f"street_km_{name}": Column.of(
            [reach.length_within(unit, length) / 1000 for unit in group_reach.units], "km", 3
        )
        for name, reach in reaches.items()
    }


def _stops_by_departure(group_reach: Reached) -> tuple[list[str], list[int]] | None:
    """By public transport, how many stops are within the last limit at each departure."""
    context, spread = group_reach.group.context, group_reach.spread
    if spread is None or context.transit is None or context.when is None:
        return None
    within = spread.of_stop < (group_reach.units[-1] + 1) << OWNER_BITS
    return by_transit.clocks(context.transit, context.when), within.sum(axis=0).tolist()


def _served(group_reach: Reached, link: NDArray[np.int32]) -> dict[str, Values]:
    """By public transport, the share of the departures at which the end of each link that is reached more often is reached."""
    if group_reach.spread is None:
        return {}
    network = group_reach.group.context.network
    of_node = np.zeros(network.graph.node_count)
    np.maximum.at(of_node, network.states.node, group_reach.spread.served)
    share = np.maximum(of_node[network.graph.link_from[link]], of_node[network.graph.link_to[link]])
    return {"departures_percent": Column.of(100 * share, "%", 1)}


def _doubts(reached: list[Reached]) -> list[Doubt]:
    """Doubts of all groups, each text once."""
    doubts: list[Doubt] = []
    for group_reach in reached:
        context = group_reach.group.context
        doubts += context.doubts_of(group_reach.group.places, group_reach.snapped)
        doubts += context.doubts_of_reach(group_reach.arrivals, group_reach.units[-1])
        doubts += error_doubts(group_reach.error)
    return list({doubt.text: doubt for doubt in doubts}.values())


def _method(inputs: IsochroneInputs, reached: list[Reached]) -> list[str]:
    notes: list[str] = []
    for group_reach in reached:
        notes += group_reach.group.context.notes
        notes += static_speeds.of_reach(
            group_reach.group.context, inputs.measure, group_reach.snapped, group_reach.arrivals, group_reach.units[-1]
        )
    notes.append(
        "Streets are split exactly where a limit falls. An area holds the reached streets and ends at most about"
        f" {OFF_STREET_M / 2:.0f} m beside them; water is left out but for the bridges that are reached."
    )
    return list(dict.fromkeys(notes))


def _streets(group_reach: Reached, inputs: IsochroneInputs) -> Table:
    """Reached streets, one row for each part between two limits."""
    graph, parts = group_reach.group.context.network.graph, reached_parts(group_reach.reach, group_reach.units[-1])
    rows, level, begin, end = split_at_limits(parts, group_reach.units)
    link = parts.link[rows]
    span = np.maximum(parts.end[rows] - parts.begin[rows], 1e-15)
    rise = parts.arrival_end[rows] - parts.arrival_begin[rows]
    unit = "s" if inputs.measure == "time" else "m"

    def arrival(at: NDArray[np.float64]) -> Column:
        share = (at - parts.begin[rows]) / span
        return Column.of((parts.arrival_begin[rows] + share * rise) / 1000, unit, 1, Meaning("arrival"))

    columns: dict[str, Values] = {
        "link_id": graph.link_id[link],
        "name": graph.tag("name").take(link),
        "limit": Column.of(np.array(group_reach.group.limits, np.float64)[level], limit_unit(inputs.measure)),
        f"arrival_begin_{unit}": arrival(begin),
        f"arrival_end_{unit}": arrival(end),
        "length_m": Column.of((end - begin) * graph.link_length[link], "m", 1),
        "place_row": parts.owner[rows],
        **_served(group_reach, link),
    }
    return Table(cut_lines(graph, link, begin, end), columns)


def _ends(group_reach: Reached, unit: str) -> Table:
    """Points at which a limit falls within a street."""
    graph, reach = group_reach.group.context.network.graph, group_reach.reach
    lon, lat, which, link = [], [], [], []
    for limit, units in zip(group_reach.group.limits, group_reach.units, strict=True):
        to, fro = reach.within(units)
        open_middle = fro > to
        for at, keep in ((to, open_middle & (to > reach.begin)), (fro, open_middle & (fro < reach.end))):
            x, y = point_at(graph, reach.link[keep], at[keep])
            lon.append(x)
            lat.append(y)
            which.append(np.full(int(keep.sum()), limit, np.float64))
            link.append(graph.link_id[reach.link[keep]])
    points = np.atleast_1d(shapely.points(np.concatenate(lon), np.concatenate(lat)))
    return Table(points, {"limit": Column.of(np.concatenate(which), unit), "link_id": np.concatenate(link)})


def _curve(group_reach: Reached, inputs: IsochroneInputs) -> tuple[list[float], list[float]]:
    """Street length by minute (or by twentieth of the distance), up to the last limit."""
    last = group_reach.group.limits[-1]
    steps = min(max(int(last), 10), 60) if inputs.measure == "time" else 20
    x = np.linspace(0, last, steps + 1)
    length = group_reach.group.context.network.graph.link_length
    km = [group_reach.reach.length_within(int(group_reach.units[-1] * value / last), length) / 1000 for value in x]
    return [round(float(v), 2) for v in x], [round(v, 2) for v in km]
