"""Where the people of zones live: the assumption that a question names, turned into homes on streets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.population_points import (
    PopulationPoints,
    PopulationReach,
    homes_at_points,
    homes_on_streets,
    points_in_zones,
    points_over_areas,
    straight_share_of_homes,
)
from awl.core.analysis.zones import StraightShare, ZoneReach, zone_streets
from awl.core.errors import AwlError
from awl.core.routing.reach import Reach
from awl.io.raster import Raster
from awl.io.table import Table
from awl.questions.context import Context
from awl.questions.inputs import FeatureSet, LayerSet
from awl.questions.results import Doubt

Floats = NDArray[np.float64]
HOME_SNAP_M = 250.0
"""A home farther than this from a usable street is not placed."""
LIVED_IN = ("residential", "apartments", "house", "detached", "terrace", "mixed", "yes", "dwelling")
"""Uses of buildings that hold homes."""


@dataclass(frozen=True)
class Population:
    """PopulationPoints of zones (z,): `placed` is the share of each zone's people that has one on a street.

    `against` sets them against a reach, `straight` gives the share within a straight line of places.
    """

    population_points: PopulationPoints
    placed: Floats
    against: Callable[[Reach], ZoneReach | PopulationReach]
    straight: Callable[[Floats, Floats, float], Floats]
    method: str
    doubts: list[Doubt] = field(default_factory=list)


def population_of(
    spread: str, buildings: FeatureSet | None, context: Context, zones: NDArray[np.object_]
) -> Population:
    """The homes of zones (polygons in the plane) by the spread that is asked for."""
    if spread == "streets":
        return _by_streets(context, zones)
    if spread == "area":
        zone, x, y = points_over_areas(zones)
        return _by_points(
            context, zones, zone, np.ones(len(zone)), (x, y), "People live evenly over the area of their zone."
        )
    return _by_buildings(buildings, context, zones) if spread == "buildings" else _by_grid(context, zones)


SQUARE_M, MOST_SQUARES = 250.0, 5000
"""Squares that stand for zones where none are given: side in metres, doubled until there are not too many."""


def squares_of(context: Context) -> Table:
    """Squares with the people of the population raster, for zones; only those with people."""
    lon, lat, people = _raster(context, "Give zones, or add a raster with people").centres()
    held = np.isfinite(people) & (people > 0)
    plane = context.network.graph.plane
    x, y = plane.xy(lon[held], lat[held])
    side = SQUARE_M
    while len(np.unique(np.floor(x / side) + 1j * np.floor(y / side))) > MOST_SQUARES:
        side *= 2
    column, row = (np.floor(at / side).astype(np.int64) for at in (x, y))
    cells, which = np.unique(np.column_stack([column, row]), axis=0, return_inverse=True)
    boxes = shapely.box(cells[:, 0] * side, cells[:, 1] * side, (cells[:, 0] + 1) * side, (cells[:, 1] + 1) * side)
    first = cells.min(axis=0) if len(cells) else np.zeros(2)
    names = [f"square {c - first[0] + 1}/{r - first[1] + 1}" for c, r in cells.tolist()]
    held_by = np.bincount(which.ravel(), people[held], len(cells))
    return Table(plane.unproject(boxes), {"name": names, "population": np.round(held_by, 2).tolist()})


def _raster(context: Context, remedy: str) -> Raster:
    ident = next((entry["id"] for entry in context.study.rasters() if entry["role"] == "population"), None)
    if ident is None:
        raise AwlError("The study has no population raster", remedy=remedy, inputs=("spread",))
    return context.study.raster(ident)


def _by_streets(context: Context, zones: NDArray[np.object_]) -> Population:
    network = context.network
    streets = zone_streets(network, zones)
    population_points = homes_on_streets(streets)
    return Population(
        population_points,
        (streets.zone_length_m > 0).astype(np.float64),
        lambda reach: ZoneReach(streets, reach),
        StraightShare(network, streets).within,
        "People live evenly along the streets with residential frontage in their zone;"
        " streets are split exactly where a limit falls.",
    )


def _by_points(
    context: Context,
    zones: NDArray[np.object_],
    zone: NDArray[np.int64],
    weight: Floats,
    xy: tuple[Floats, Floats],
    method: str,
) -> Population:
    population_points = homes_at_points(
        len(zones), zone, weight, xy, context.network.graph.plane, context.snapper, HOME_SNAP_M
    )
    lost = float(population_points.share[population_points.link < 0].sum() / max(population_points.share.sum(), 1e-9))
    doubts = []
    if lost > 0:
        share = f"{lost * 100:.1f} %" if lost >= 0.0005 else "Fewer than 0.1 %"
        text = f"{share} of the homes lie more than {HOME_SNAP_M:.0f} m from a usable street: counted as not placed."
        doubts.append(
            Doubt(
                "homes-not-placed", "warning" if lost > 0.01 else "note", int((population_points.link < 0).sum()), text
            )
        )
    return Population(
        population_points,
        np.minimum(population_points.placed_share, 1.0),
        lambda reach: PopulationReach(population_points, reach),
        lambda px, py, radius: straight_share_of_homes(population_points, px, py, radius),
        method + " Each home stands on the nearest usable street.",
        doubts,
    )


def _by_buildings(buildings: FeatureSet | None, context: Context, zones: NDArray[np.object_]) -> Population:
    """Floor area of residential buildings: ground area times floors where a field says so."""
    known = [layer["id"] for layer in context.study.layers() if layer["role"] == "buildings"]
    if buildings is None and not known:
        raise AwlError(
            "The study has no layer of buildings", remedy="Add one, or spread people by street", inputs=("spread",)
        )
    layer, _ = context.features(buildings or LayerSet.model_validate({"layer": known[0]}), "buildings")
    use = layer.columns.get("use") or layer.columns.get("building")
    lived_in = np.ones(len(layer), bool) if use is None else np.array([str(value).lower() in LIVED_IN for value in use])
    layer = layer.take(np.flatnonzero(lived_in).tolist())
    if len(layer) == 0:
        raise AwlError("No building is lived in", remedy=f"Uses that are: {', '.join(LIVED_IN)}", inputs=("buildings",))
    shapes = context.network.graph.plane.project(layer.geometry)
    floors = [float(value or 1) for value in layer.columns.get("floors", layer.columns.get("levels", [1] * len(layer)))]
    middle = shapely.point_on_surface(shapes)
    zone, row = points_in_zones(zones, shapely.get_x(middle), shapely.get_y(middle))
    area = np.maximum(shapely.area(shapes), 1.0) * np.maximum(floors, 1.0)
    xy = shapely.get_x(middle)[row], shapely.get_y(middle)[row]
    method = f"People live in the {len(row):,} residential buildings of their zone, by floor area."
    return _by_points(context, zones, zone, area[row], xy, method)


def _by_grid(context: Context, zones: NDArray[np.object_]) -> Population:
    lon, lat, people = _raster(context, "Add one, or spread people by street").centres()
    held = np.isfinite(people) & (people > 0)
    x, y = context.network.graph.plane.xy(lon[held], lat[held])
    zone, row = points_in_zones(zones, x, y)
    method = "People of a zone live where the population raster has them, cell by cell."
    return _by_points(context, zones, zone, people[held][row].astype(np.float64), (x[row], y[row]), method)
