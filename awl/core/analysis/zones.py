"""People of zones spread along the streets they live on, and the share of them within a limit.

People of a zone are taken to live evenly along the streets of the zone that the mode may use and that carry homes
(`LIVED_ON`). A zone without such a street has no known homes; its people are counted as not placed. Shares are exact:
streets are split at zone boundaries and where the limit falls.
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.graph.shapes import cut_lines
from awl.core.network.network import Network
from awl.core.routing.reach import Parts, Reach

LIVED_ON = (
    "primary", "secondary", "tertiary", "unclassified", "residential", "living_street", "pedestrian", "road",
)  # fmt: skip
"""Street classes taken to carry homes."""
STEP_M = 20.0
"""Arrivals are sampled this far apart along streets."""
ZONE_EDGE_M = 5.0
"""Zones are often bounded by the middle of a street. A street within this distance of a zone's edge counts for the zone,
so that a street between two zones houses people of both."""


@dataclass(frozen=True)
class ZoneStreets:
    """Pieces (p,) of streets with residential frontage inside zones: fractions `begin` to `end` of `link` lie in `zone`.

    `length_m` is the length of each piece, `zone_length_m` (z,) their total per zone.
    """

    link: NDArray[np.int32]
    begin: NDArray[np.float64]
    end: NDArray[np.float64]
    zone: NDArray[np.int32]
    length_m: NDArray[np.float64]
    zone_length_m: NDArray[np.float64]


def zone_streets(network: Network, zones: NDArray[np.object_]) -> ZoneStreets:
    """Split streets with residential frontage at the boundaries of zones (polygons in the metric plane).

    Parameters:
        network: the streets of a mode, at a time and with closures.
        zones: polygons (z,) in the metric plane.
    """
    graph = network.graph
    links = np.flatnonzero(network.usable & graph.tag("highway").isin(LIVED_ON)).astype(np.int32)
    lines = graph.lines_xy[links]
    zones = shapely.buffer(zones, ZONE_EDGE_M, join_style="mitre")
    shapely.prepare(zones)
    zone, row = shapely.STRtree(lines).query(zones, predicate="intersects")
    inside = shapely.contains_properly(zones[zone], lines[row])
    count = int(inside.sum())
    cut_link, cut_begin, cut_end, cut_zone = _pieces(links, lines, zones, row[~inside], zone[~inside])
    link = np.concatenate([links[row[inside]], cut_link])
    begin = np.concatenate([np.zeros(count), cut_begin])
    end = np.concatenate([np.ones(count), cut_end])
    zone = np.concatenate([zone[inside], cut_zone])
    length = (end - begin) * graph.link_length[link]
    return ZoneStreets(
        link.astype(np.int32),
        begin,
        end,
        zone.astype(np.int32),
        length,
        np.bincount(zone, weights=length, minlength=len(zones)).astype(np.float64),
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
    line = lines[row[owner]]
    # An intersection keeps the vertices of the line; its middle tells which way round a closed street it runs.
    first = shapely.line_locate_point(line, shapely.get_point(parts, 0), normalized=True)
    last = shapely.line_locate_point(line, shapely.get_point(parts, -1), normalized=True)
    middle = shapely.line_locate_point(
        line, shapely.line_interpolate_point(parts, 0.5, normalized=True), normalized=True
    )
    begin, end = np.minimum(first, last), np.maximum(first, last)
    begin = np.where(middle < begin, 0.0, begin)
    end = np.where(middle > end, 1.0, end)
    solid = end > begin
    return links[row[owner]][solid], begin[solid], end[solid], zone[owner][solid]


class ZoneReach:
    """The people of zones against one reach; street pieces and reach pieces are joined once for all limits."""

    def __init__(self, streets: ZoneStreets, reach: Reach) -> None:
        self._streets, self._reach = streets, reach
        street, row = _overlapping(streets.link, reach.link)
        low = np.maximum(streets.begin[street], reach.begin[row])
        high = np.minimum(streets.end[street], reach.end[row])
        real = high > low
        self._street, self._row, self._low, self._high = street[real], row[real], low[real], high[real]
        # Metres of zone street per unit of link fraction.
        self._metres = (streets.length_m / np.maximum(streets.end - streets.begin, 1e-15))[self._street]
        self._zone = streets.zone[self._street]

    def near(self, limit: float) -> ZoneReach:
        """The same for limits up to `limit`, without what lies beyond it: quicker where many are asked for.

        Parameters:
            limit: the limit, in the unit of the arrivals.
        """
        subset = copy(self)
        first = np.minimum(self._reach.at_begin, self._reach.at_end) <= limit
        first_rows = np.flatnonzero(first[self._row])
        for name in ("_street", "_row", "_low", "_high", "_metres", "_zone"):
            setattr(subset, name, getattr(self, name)[first_rows])
        rows, subset._row = np.unique(subset._row, return_inverse=True)
        subset._reach = self._reach.take(rows)
        return subset

    def share_within(self, limit: float) -> NDArray[np.float64]:
        """Share (z,) of each zone's people within `limit`; NaN for a zone without streets with residential frontage.

        Parameters:
            limit: the limit, in the unit of the arrivals.
        """
        to, fro = self._reach.within(limit)
        ahead = np.clip(np.minimum(self._high, to[self._row]) - self._low, 0.0, None)
        behind = np.clip(self._high - np.maximum(self._low, fro[self._row]), 0.0, None)
        share = np.minimum(ahead + behind, self._high - self._low)
        return per_zone(self._streets, share * self._metres, self._zone)

    @cached_property
    def _samples(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int32]]:
        return _sampled(self._streets, self._reach, STEP_M)

    def mean_arrival(self) -> NDArray[np.float64]:
        """Mean arrival (z,) over the reached residential frontage of each zone, sampled every `STEP_M`."""
        arrival, weight, piece, _ = self._samples
        known = np.isfinite(arrival)
        zone = self._streets.zone[piece[known]]
        zones = len(self._streets.zone_length_m)
        total = np.bincount(zone, weights=weight[known], minlength=zones)
        summed = np.bincount(zone, weights=weight[known] * arrival[known], minlength=zones)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(total > 0, summed / total, np.nan)

    def nearest_owner(self, places: int) -> NDArray[np.int32]:
        """The place (z,) that is nearest for the largest share of each zone's people; -1 where none is reached.

        Parameters:
            places: how many places there are.
        """
        arrival, weight, piece, owner = self._samples
        known = np.isfinite(arrival) & (owner >= 0)
        zones = len(self._streets.zone_length_m)
        flat = self._streets.zone[piece[known]].astype(np.int64) * places + owner[known]
        share = np.bincount(flat, weights=weight[known], minlength=zones * places).reshape(zones, places)
        return np.where(share.max(axis=1, initial=0.0) > 0, share.argmax(axis=1), -1).astype(np.int32)


def per_zone(streets: ZoneStreets, amount: NDArray[np.float64], zone: NDArray[np.int32]) -> NDArray[np.float64]:
    """Amounts in metres summed by zone, as a share (z,) of the zone's length of residential frontage; NaN where it has none.

    Parameters:
        streets: the pieces of street with residential frontage, by zone.
        amount: metres (q,).
        zone: the zone (q,) of each.
    """
    total = streets.zone_length_m
    summed = np.bincount(zone, weights=amount, minlength=len(total))
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(total > 0, np.minimum(summed / total, 1.0), np.nan)


def _sampled(
    streets: ZoneStreets, reach: Reach, step_m: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], NDArray[np.int32]]:
    """Arrival, length stood for, street piece and owner at evenly spaced points of the street pieces."""
    piece, fraction, metres = _spaced(streets, step_m)
    key = reach.link + np.minimum(reach.begin, 1.0 - 1e-12)
    row = np.searchsorted(key, streets.link[piece] + np.minimum(fraction, 1 - 1e-9), side="right") - 1
    owner = np.where(fraction <= reach.meeting()[row], reach.owner_begin[row], reach.owner_end[row])
    return reach.at(row, fraction), metres, piece, owner.astype(np.int32)


def _spaced(streets: ZoneStreets, step_m: float) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Street piece, fraction of its link and length stood for of evenly spaced points."""
    counts = np.maximum(np.ceil(streets.length_m / step_m).astype(np.int64), 1)
    piece = np.repeat(np.arange(len(counts)), counts)
    nth = np.arange(len(piece)) - np.repeat(np.cumsum(counts) - counts, counts)
    span = (streets.end - streets.begin)[piece]
    return piece, streets.begin[piece] + (nth + 0.5) / counts[piece] * span, (streets.length_m / counts)[piece]


def sampled_points(
    streets: ZoneStreets, step_m: float
) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.float64], NDArray[np.float64]]:
    """Zone, link, fraction and length represented in metres of points every `step_m` along the residential frontage.

    Parameters:
        streets: the pieces of street with residential frontage, by zone.
        step_m: the distance between points along a street, in metres.
    """
    piece, fraction, metres = _spaced(streets, step_m)
    return streets.zone[piece].astype(np.int64), streets.link[piece], fraction, metres


class StraightShare:
    """The people of zones against straight lines; the lines of their streets are cut once for all radii."""

    def __init__(self, network: Network, streets: ZoneStreets) -> None:
        self._network, self._streets = network, streets

    @cached_property
    def _lines(self) -> tuple[NDArray[np.object_], NDArray[np.float64]]:
        streets, graph = self._streets, self._network.graph
        lines = graph.lines_xy[streets.link]
        part = np.flatnonzero((streets.begin > 0) | (streets.end < 1))
        lines[part] = cut_lines(graph, streets.link[part], streets.begin[part], streets.end[part], in_plane=True)
        return lines, np.asarray(shapely.length(lines))

    def within(self, x: NDArray[np.float64], y: NDArray[np.float64], radius_m: float) -> NDArray[np.float64]:
        """Share (z,) of each zone's people within a straight-line `radius_m` of the places at (x, y) in the plane.

        Parameters:
            x: metres (k,) to the east in the plane.
            y: metres (k,) to the north in the plane.
            radius_m: the radius, in metres.
        """
        lines, length = self._lines
        # Discs that overlap make one area; areas are apart, so what lies in each adds up, and each is small.
        discs = shapely.get_parts(shapely.union_all(shapely.buffer(shapely.points(x, y), radius_m, quad_segs=32)))
        shapely.prepare(discs)
        disc, row = shapely.STRtree(lines).query(discs, predicate="intersects")
        covered = shapely.covers(discs[disc], lines[row])
        held = np.where(covered, length[row], 0.0)
        held[~covered] = shapely.length(shapely.intersection(lines[row[~covered]], discs[disc[~covered]]))
        inside = np.bincount(row, held, len(lines))
        share = np.divide(inside, length, out=np.zeros(len(lines)), where=length > 0)
        return per_zone(self._streets, share * self._streets.length_m, self._streets.zone)


def length_by_owner(streets: ZoneStreets, parts: Parts, owners: int) -> NDArray[np.float64]:
    """Length in metres (z, owners) of each zone's streets with residential frontage that belongs to each place.

    Parameters:
        streets: the pieces of street with residential frontage, by zone.
        parts: the reached parts of the streets.
        owners: how many places there are.
    """
    street, row = _overlapping(streets.link, parts.link)
    low = np.maximum(streets.begin[street], parts.begin[row])
    high = np.minimum(streets.end[street], parts.end[row])
    share = np.clip(high - low, 0.0, None) / np.maximum(streets.end - streets.begin, 1e-15)[street]
    flat = streets.zone[street].astype(np.int64) * owners + parts.owner[row]
    zones = len(streets.zone_length_m)
    summed = np.bincount(flat, weights=share * streets.length_m[street], minlength=zones * owners).astype(np.float64)
    table: NDArray[np.float64] = summed.reshape(zones, owners)
    return table


def _overlapping(
    street_link: NDArray[np.int32], piece_link: NDArray[np.int32]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """All pairs (row of streets, row of pieces) on the same link; `piece_link` is sorted."""
    first = np.searchsorted(piece_link, street_link, side="left")
    counts = np.searchsorted(piece_link, street_link, side="right") - first
    street = np.repeat(np.arange(len(street_link)), counts)
    row = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts) + np.repeat(first, counts)
    return street, row
