"""People of zones spread along the streets they live on, and the share of them within a limit.

People of a zone are taken to live evenly along the streets of the zone that the mode may use and that carry homes
(`LIVED_ON`). A zone without such a street has no known homes; its people are counted as not placed. Shares are exact:
streets are split at zone boundaries and where the limit falls.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.engine.reach import Reach
from awl.core.modes.network import Network
from awl.core.streets.shapes import cut_lines

LIVED_ON = (
    "primary", "secondary", "tertiary", "unclassified", "residential", "living_street", "pedestrian", "road",
)  # fmt: skip
"""Street classes taken to carry homes."""


@dataclass(frozen=True)
class ZoneStreets:
    """Pieces (p,) of lived-on streets inside zones: fractions `begin` to `end` of `link` lie in `zone`.

    `length_m` is the length of each piece, `zone_length_m` (z,) their total per zone.
    """

    link: NDArray[np.int32]
    begin: NDArray[np.float64]
    end: NDArray[np.float64]
    zone: NDArray[np.int32]
    length_m: NDArray[np.float64]
    zone_length_m: NDArray[np.float64]


def zone_streets(network: Network, zones: NDArray[np.object_]) -> ZoneStreets:
    """Split lived-on streets at the boundaries of zones (polygons in the metric plane)."""
    graph = network.graph
    links = np.flatnonzero(network.usable & graph.tag("highway").isin(LIVED_ON)).astype(np.int32)
    lines = graph.lines_xy[links]
    shapely.prepare(zones)
    zone, row = shapely.STRtree(lines).query(zones, predicate="intersects")
    inside = shapely.contains_properly(zones[zone], lines[row])
    begin, end = np.zeros(len(row)), np.ones(len(row))
    whole = (links[row[inside]], begin[inside], end[inside], zone[inside])
    cut = _pieces(links, lines, zones, row[~inside], zone[~inside])
    link, begin, end, zone = (np.concatenate(pair) for pair in zip(whole, cut, strict=True))
    length = (end - begin) * graph.link_length[link]
    return ZoneStreets(
        link.astype(np.int32),
        begin,
        end,
        zone.astype(np.int32),
        length,
        np.bincount(zone, weights=length, minlength=len(zones)),
    )


def _pieces(
    links: NDArray[np.int32],
    lines: NDArray[np.object_],
    zones: NDArray[np.object_],
    row: NDArray[np.int64],
    zone: NDArray[np.int64],
) -> tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.float64], NDArray[np.int64]]:
    """Parts of the lines that lie in the zones, as fractions of the line."""
    parts, owner = shapely.get_parts(shapely.intersection(lines[row], zones[zone]), return_index=True)
    linear = shapely.get_type_id(parts) == shapely.GeometryType.LINESTRING
    parts, owner = parts[linear], owner[linear]
    whole = lines[row[owner]]
    # An intersection keeps the vertices of the line; its middle tells which way round a closed street it runs.
    first = shapely.line_locate_point(whole, shapely.get_point(parts, 0), normalized=True)
    last = shapely.line_locate_point(whole, shapely.get_point(parts, -1), normalized=True)
    middle = shapely.line_locate_point(
        whole, shapely.line_interpolate_point(parts, 0.5, normalized=True), normalized=True
    )
    begin, end = np.minimum(first, last), np.maximum(first, last)
    begin = np.where(middle < begin, 0.0, begin)
    end = np.where(middle > end, 1.0, end)
    solid = end > begin
    return links[row[owner]][solid], begin[solid], end[solid], zone[owner][solid]


def reached_length(streets: ZoneStreets, reach: Reach, limit: float) -> NDArray[np.float64]:
    """Length in metres of each piece of `streets` that is reached within `limit`."""
    to, fro = reach.within(limit)
    # Pieces of reach tile each link; join every street piece with the reach pieces it overlaps.
    first = np.searchsorted(reach.link, streets.link, side="left")
    last = np.searchsorted(reach.link, streets.link, side="right")
    counts = last - first
    street = np.repeat(np.arange(len(streets.link)), counts)
    row = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + np.repeat(first, counts)
    low = np.maximum(streets.begin[street], reach.begin[row])
    high = np.minimum(streets.end[street], reach.end[row])
    ahead = np.clip(np.minimum(high, to[row]) - low, 0.0, None)
    behind = np.clip(high - np.maximum(low, fro[row]), 0.0, None)
    share = np.where(high > low, np.minimum(ahead + behind, np.maximum(high - low, 0.0)), 0.0)
    total = np.bincount(street, weights=share, minlength=len(streets.link))
    length: NDArray[np.float64] = total * (streets.length_m / np.maximum(streets.end - streets.begin, 1e-15))
    return np.minimum(length, streets.length_m)


def share_within(streets: ZoneStreets, reach: Reach, limit: float) -> NDArray[np.float64]:
    """Share (z,) of each zone's people within `limit`; NaN for a zone without lived-on streets."""
    reached = reached_length(streets, reach, limit)
    return _per_zone(streets, reached)


def _per_zone(streets: ZoneStreets, amount: NDArray[np.float64]) -> NDArray[np.float64]:
    total = streets.zone_length_m
    summed = np.bincount(streets.zone, weights=amount, minlength=len(total))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(total > 0, summed / total, np.nan)


def mean_arrival(streets: ZoneStreets, reach: Reach, step_m: float = 20.0) -> NDArray[np.float64]:
    """Mean arrival (z,) over each zone's lived-on streets that are reached at all, sampled every `step_m`."""
    arrival, weight, piece, _ = _sampled(streets, reach, step_m)
    known = np.isfinite(arrival)
    zone = streets.zone[piece[known]]
    total = np.bincount(zone, weights=weight[known], minlength=len(streets.zone_length_m))
    summed = np.bincount(zone, weights=weight[known] * arrival[known], minlength=len(total))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(total > 0, summed / total, np.nan)


def nearest_owner(streets: ZoneStreets, reach: Reach, places: int, step_m: float = 20.0) -> NDArray[np.int32]:
    """The place (z,) that is nearest for the largest share of each zone's people; -1 where none is reached."""
    arrival, weight, piece, owner = _sampled(streets, reach, step_m)
    known = np.isfinite(arrival) & (owner >= 0)
    zones = len(streets.zone_length_m)
    flat = streets.zone[piece[known]].astype(np.int64) * places + owner[known]
    share = np.bincount(flat, weights=weight[known], minlength=zones * places).reshape(zones, places)
    return np.where(share.max(axis=1, initial=0.0) > 0, share.argmax(axis=1), -1).astype(np.int32)


def _sampled(
    streets: ZoneStreets, reach: Reach, step_m: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int32]]:
    """Arrival, length stood for, street piece and owner at evenly spaced points of the street pieces."""
    counts = np.maximum(np.ceil(streets.length_m / step_m).astype(np.int64), 1)
    piece = np.repeat(np.arange(len(counts)), counts)
    nth = np.arange(len(piece)) - np.repeat(np.cumsum(counts) - counts, counts)
    span = (streets.end - streets.begin)[piece]
    fraction = streets.begin[piece] + (nth + 0.5) / counts[piece] * span
    key = reach.link + np.minimum(reach.begin, 1.0 - 1e-12)
    row = np.searchsorted(key, streets.link[piece] + np.minimum(fraction, 1 - 1e-9), side="right") - 1
    owner = np.where(fraction <= reach.meeting()[row], reach.owner_begin[row], reach.owner_end[row])
    return reach.at(row, fraction), (streets.length_m / counts)[piece], piece, owner.astype(np.int32)


def straight_share(
    network: Network, streets: ZoneStreets, x: NDArray[np.float64], y: NDArray[np.float64], radius_m: float
) -> NDArray[np.float64]:
    """Share (z,) of each zone's people within a straight-line `radius_m` of the places at (x, y) in the plane."""
    lines = cut_lines(network.graph, streets.link, streets.begin, streets.end, in_plane=True)
    disc = shapely.union_all(shapely.buffer(shapely.points(x, y), radius_m, quad_segs=32))
    inside = np.zeros(len(lines))
    shapely.prepare(disc)
    touched = shapely.intersects(disc, lines)
    length = shapely.length(lines)
    inside[touched] = shapely.length(shapely.intersection(lines[touched], disc))
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(length > 0, inside / length, 0.0)
    return _per_zone(streets, share * streets.length_m)
