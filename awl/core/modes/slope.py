"""Slope: heights along every link, and how much slower or faster they make a mode in each direction.

Heights are taken along the link, not at its ends alone. On bridges and in tunnels the ground says nothing about the street: there
the height runs evenly from end to end.

Sources: W. Tobler, *Three presentations on geographical analysis and modeling*, NCGIA Report 93-1 (1993), hiking function; J. C.
Martin and others, *Validation of a mathematical model for road cycling power*, J. Appl. Biomech. 14 (1998), without wind,
acceleration and losses in the drive.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph, ragged_rows
from awl.core.modes.mode import Slope

Floats = NDArray[np.float64]
SAMPLE_M = 20.0
"""Greatest distance between two heights along a link."""
STEEPEST = 0.4
"""Steeper steps count as this steep: they are faults of the raster more often than streets."""
GRAVITY, AIR_DENSITY = 9.81, 1.2
ROLLING, DRAG_AREA = 0.008, 0.6
"""Rolling resistance on town streets, and drag area in m2 of an upright rider."""
PUSHING = 1.0
"""Speed in m/s below which a rider gets off and pushes."""


@dataclass(frozen=True)
class Heights:
    """Heights along links: those of link i are rows `start[i]` to `start[i + 1]`, evenly spaced from its start to its end.

    NaN where the raster says nothing. `length_m` (m,) is that of each link.
    """

    start: NDArray[np.int64]
    height_m: Floats
    length_m: Floats

    @cached_property
    def steps(self) -> NDArray[np.int64]:
        """Number of steps between heights of each link (m,)."""
        return np.diff(self.start) - 1

    @cached_property
    def first_step(self) -> NDArray[np.int64]:
        """Row of each link's first step (m,)."""
        return np.cumsum(self.steps) - self.steps

    @cached_property
    def grade(self) -> Floats:
        """Rise over run, as drawn, of all steps; 0 where unknown."""
        row = np.arange(self.steps.sum()) + np.repeat(np.arange(len(self.steps)), self.steps)
        run = np.repeat(self.length_m / self.steps, self.steps)
        with np.errstate(invalid="ignore", divide="ignore"):
            grade = (self.height_m[row + 1] - self.height_m[row]) / run
        return np.clip(np.where(np.isfinite(grade), grade, 0.0), -STEEPEST, STEEPEST)

    @cached_property
    def steepest(self) -> Floats:
        """Grade of the steepest step of each link (m,), up or down."""
        return np.asarray(np.maximum.reduceat(np.abs(self.grade), self.first_step))

    def climb(self) -> Floats:
        """Metres up (m, 2) along and against each link's drawn direction."""
        rise = self.grade * np.repeat(self.length_m / self.steps, self.steps)
        return np.stack([np.add.reduceat(np.maximum(way * rise, 0.0), self.first_step) for way in (1.0, -1.0)], axis=1)


def heights_of(
    graph: StreetGraph,
    height_at: Callable[[Floats, Floats], Floats],
    former: tuple[StreetGraph, Heights] | None = None,
) -> Heights:
    """Heights along all links; `height_at` gives metres for longitudes and latitudes, NaN where it knows none.

    Each link is sampled by itself, so that it has the same heights to the last bit in whatever graph it lies.

    Parameters:
        graph: the street graph.
        height_at: gives metres for longitudes and latitudes, NaN where it knows none.
        former: the graph before some links were changed, with its heights: those of links that are the same are taken over.
    """
    count = np.maximum(np.ceil(graph.link_length / SAMPLE_M).astype(np.int64), 1) + 1
    start = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
    height = np.empty(start[-1])
    fresh = np.arange(graph.link_count)
    if former is not None:
        known, old = _unchanged(graph, *former)
        here, there = ragged_rows(start, known)[0], ragged_rows(former[1].start, old)[0]
        height[here] = former[1].height_m[there]
        fresh = np.setdiff1d(fresh, known, assume_unique=True)
    height[ragged_rows(start, fresh)[0]] = _sampled(graph, fresh, count[fresh], height_at)
    return Heights(start, height, graph.link_length)


def _unchanged(
    graph: StreetGraph, before: StreetGraph, heights: Heights
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows of the links that have the same course and bridges as before, and their rows then."""
    old = before.link_rows(graph.link_id)
    rows = np.flatnonzero(old >= 0)
    size, old_size = np.diff(graph.shape_start), np.diff(before.shape_start)
    bridged, old_bridged = _bridged(graph), _bridged(before)
    rows = rows[(size[rows] == old_size[old[rows]]) & (bridged[rows] == old_bridged[old[rows]])]
    if len(rows) == 0:
        return rows, rows
    (vertex, begin), (old_vertex, _) = ragged_rows(graph.shape_start, rows), ragged_rows(before.shape_start, old[rows])
    differs = graph.shape_lon[vertex] != before.shape_lon[old_vertex]
    differs |= graph.shape_lat[vertex] != before.shape_lat[old_vertex]
    rows = rows[~np.logical_or.reduceat(differs, begin[:-1])]
    return rows, old[rows]


def _bridged(graph: StreetGraph) -> NDArray[np.bool_]:
    bridged = np.zeros(graph.link_count, bool)
    for key in ("bridge", "tunnel"):
        bridged |= graph.tag(key).present() & ~graph.tag(key).equals("no")
    return bridged


def _sampled(
    graph: StreetGraph,
    rows: NDArray[np.int64],
    count: NDArray[np.int64],
    height_at: Callable[[Floats, Floats], Floats],
) -> Floats:
    """Heights of some links, `count` (k,) of each, one link after another."""
    if len(rows) == 0:
        return np.zeros(0)
    vertex, first_vertex = ragged_rows(graph.shape_start, rows)
    metres, lon, lat = graph.shape_m[vertex], graph.shape_lon[vertex], graph.shape_lat[vertex]
    length = graph.link_length[rows]
    start = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
    nth = np.arange(start[-1]) - np.repeat(start[:-1], count)
    share = nth / np.repeat(count - 1, count)
    at = share * np.repeat(length, count)
    # All links laid end to end, a metre apart, are one line to look along; what is found is put right by each link's own metres.
    laid = np.cumsum(np.concatenate([[0.0], length[:-1] + 1.0]))
    along = np.repeat(laid, np.diff(first_vertex)) + metres
    low, high = np.repeat(first_vertex[:-1], count), np.repeat(first_vertex[1:] - 2, count)
    segment = np.clip(np.searchsorted(along, np.repeat(laid, count) + at, side="right") - 1, low, high)
    segment += (segment < high) & (at >= metres[segment + 1])
    segment -= (segment > low) & (at < metres[segment])
    run = np.maximum(metres[segment + 1] - metres[segment], 1e-9)
    within = np.clip((at - metres[segment]) / run, 0.0, 1.0)
    height = height_at(*(axis[segment] + within * (axis[segment + 1] - axis[segment]) for axis in (lon, lat)))
    first, last = np.repeat(height[start[:-1]], count), np.repeat(height[start[1:] - 1], count)
    return np.where(np.repeat(_bridged(graph)[rows], count), first + share * (last - first), height)


def slope_pace(slope: Slope, heights: Heights, speed_kmh: Floats, top_kmh: float) -> Floats:
    """How many times longer than on the flat each link (m, 2) takes along and against its drawn direction.

    Riders brake downhill: they pass no link faster than at `top_kmh`.

    Parameters:
        slope: what the mode makes of slope.
        heights: heights along the links.
        speed_kmh: speed (m,) on the flat, in km/h.
        top_kmh: the speed that riders do not pass downhill, in km/h.
    """
    if slope.by == "none":
        return np.ones((len(speed_kmh), 2))
    fastest = np.repeat(speed_kmh / top_kmh, heights.steps) if slope.by == "power" else np.float64(0.0)
    factor = np.empty((len(heights.steps), 2))
    for side, way in enumerate((1.0, -1.0)):
        pace = np.maximum(step_pace(slope, way * heights.grade), fastest)
        factor[:, side] = np.add.reduceat(pace, heights.first_step) / heights.steps
    return factor


def step_pace(slope: Slope, grade: Floats) -> Floats:
    """Time over a stretch of this grade as a multiple of the time on the flat.

    Parameters:
        slope: what the mode makes of slope.
        grade: rise over run.
    """
    if slope.by == "hiking":
        return np.asarray(np.exp(3.5 * (np.abs(grade + 0.05) - 0.05)))
    if slope.by == "power":
        table = np.linspace(-STEEPEST, STEEPEST, 401)
        speed = riding_speed(table, slope.power_w, slope.mass_kg)
        return np.asarray(np.interp(grade, table, riding_speed(np.zeros(1), slope.power_w, slope.mass_kg) / speed))
    return np.ones(len(grade))


def riding_speed(grade: Floats, power_w: float, mass_kg: float) -> Floats:
    """Steady speed in m/s of a rider of constant power on grades: the root of power = (rolling + weight + air) * speed.

    Parameters:
        grade: rise over run.
        power_w: power in watts.
        mass_kg: mass of rider and bicycle in kg.
    """
    angle = np.arctan(grade)
    force = mass_kg * GRAVITY * (ROLLING * np.cos(angle) + np.sin(angle))
    low, high = np.full(len(grade), PUSHING), np.full(len(grade), 40.0)
    for _ in range(40):
        middle = (low + high) / 2
        needed = (force + 0.5 * AIR_DENSITY * DRAG_AREA * middle**2) * middle
        low, high = np.where(needed < power_w, middle, low), np.where(needed < power_w, high, middle)
    return low
