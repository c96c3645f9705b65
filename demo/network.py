"""From the lines of the plan to ways that share nodes, as a surveyor would have mapped them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from demo.plan import Plan, Street, warp

GRID_M = 0.05
ROUNDABOUTS = ((-820, 420), (1140, -150), (1060, -880), (-1080, -880))
"""Where main streets meet in a roundabout, plan metres."""


@dataclass
class Way:
    """A mapped way: vertices in warped metres and its tags."""

    xy: np.ndarray
    tags: dict[str, str]


def ways_of(plan: Plan) -> list[Way]:
    """Every street of the plan as ways. Streets on the ground share a node wherever they meet."""
    pieces, source = _noded([street.line for street in plan.streets])
    lines, tags = list(pieces), [plan.streets[i].tags for i in source]
    for spot in ROUNDABOUTS:
        lines, tags = _roundabout(lines, tags, spot)
    grouped = _noded_again(lines, tags)
    water = shapely.union_all([shape for shape, _ in plan.water])
    ways = [way for line, line_tags in grouped for way in _by_bridge(line, line_tags, water)]
    ways += _relief_road(plan, ways)
    return [Way(_warped(way.xy), way.tags) for way in ways]


def _noded(lines: list[shapely.LineString]) -> tuple[np.ndarray, np.ndarray]:
    """Lines cut at every crossing, and the row of the line each piece came from."""
    pieces = shapely.get_parts(shapely.node(shapely.set_precision(shapely.union_all(lines, grid_size=GRID_M), GRID_M)))
    middle = shapely.line_interpolate_point(pieces, 0.5, normalized=True)
    _, source = shapely.STRtree(lines).query_nearest(middle, all_matches=False)
    return pieces, source


def _roundabout(
    lines: list[shapely.LineString], tags: list[dict[str, str]], spot: tuple[float, float]
) -> tuple[list[shapely.LineString], list[dict[str, str]]]:
    """Replace the busiest crossing near a spot by a ring driven one way."""
    ends = np.concatenate([shapely.get_coordinates([shapely.get_point(line, k) for line in lines]) for k in (0, -1)])
    big = np.array([tag["highway"] in ("primary", "secondary") for tag in tags])
    points, count = np.unique(np.round(ends[np.concatenate([big, big])], 1), axis=0, return_counts=True)
    near = np.hypot(*(points - spot).T) - 200.0 * count
    middle = points[np.argmin(near)]
    disc = shapely.Point(middle).buffer(19.0, quad_segs=6)
    out_lines, out_tags = [], []
    for line, tag in zip(lines, tags, strict=True):
        for part in shapely.get_parts(shapely.difference(line, disc)):
            if part.length > GRID_M:
                out_lines.append(part)
                out_tags.append(tag)
    ring = shapely.LineString(shapely.reverse(disc.exterior) if disc.exterior.is_ccw else disc.exterior)
    out_lines.append(ring)
    out_tags.append({"highway": "primary", "junction": "roundabout", "maxspeed": "30", "surface": "asphalt"})
    return out_lines, out_tags


def _noded_again(
    lines: list[shapely.LineString], tags: list[dict[str, str]]
) -> list[tuple[shapely.LineString, dict[str, str]]]:
    """Node once more and join the pieces of each street to ways, keeping the direction in which it was drawn."""
    pieces, source = _noded(lines)
    groups: dict[int, list[shapely.LineString]] = {}
    for piece, row in zip(pieces, source, strict=True):
        groups.setdefault(id(tags[row]), []).append(piece)
    drawn = {id(tag): line for line, tag in zip(lines, tags, strict=True)}
    by_id = {id(tag): tag for tag in tags}
    ways = []
    for key, members in groups.items():
        guide = drawn[key]
        for line in shapely.get_parts(shapely.line_merge(shapely.union_all(members))):
            if by_id[key].get("junction") == "roundabout":
                line = (
                    shapely.LineString(line) if not shapely.is_ccw(shapely.LinearRing(line)) else shapely.reverse(line)
                )
            elif guide.project(shapely.Point(line.coords[0])) > guide.project(shapely.Point(line.coords[-1])):
                line = shapely.reverse(line)
            ways.append((line, by_id[key]))
    return ways


def _by_bridge(line: shapely.LineString, tags: dict[str, str], water: shapely.Geometry) -> list[Way]:
    """Break a way where it passes over water; that part is a bridge."""
    xy = np.asarray(line.coords)
    middles = shapely.points((xy[:-1] + xy[1:]) / 2)
    over = shapely.intersects(water, shapely.linestrings(np.stack([xy[:-1], xy[1:]], axis=1))) | shapely.within(
        middles, water
    )
    cut = np.flatnonzero(np.diff(over)) + 1
    ways = []
    for a, b in zip([0, *cut], [*cut, len(over)], strict=True):
        bridge = {"bridge": "yes", "layer": "1"} if over[a] and tags["highway"] != "track" else {}
        if bridge and tags["highway"] in ("primary", "secondary"):
            bridge["name"] = tags["name"].split()[0] + " Bridge"
        ways.append(Way(xy[a : b + 1], tags | bridge))
    return ways


def _relief_road(plan: Plan, ways: list[Way]) -> list[Way]:
    """The road above ground, with a ramp in each direction at two places, and the streets of the skerry."""
    road, *skerry = plan.apart
    vertices = np.concatenate([way.xy[[0, -1]] for way in ways if way.tags["highway"] in ("secondary", "tertiary")])
    xy = np.asarray(road.line.coords)
    made: list[Way] = []
    for share in (0.36, 0.72):
        at = int(len(xy) * share)
        nearest = vertices[np.argsort(np.hypot(*(vertices - xy[at]).T))]
        ground = nearest[np.hypot(*(nearest - xy[at]).T) > 90][0]
        for offset, oneway in ((-2, "yes"), (2, "-1")):
            # One ramp leaves the road towards the ground, the other is mapped the wrong way round on purpose.
            top = xy[at + offset]
            bow = (top + ground) / 2 + (top - ground)[::-1] * [0.12, -0.12] * np.sign(offset)
            ramp = {
                "highway": "trunk_link",
                "oneway": oneway,
                "maxspeed": "50",
                "foot": "no",
                "bicycle": "no",
                "layer": "1",
            }
            made.append(Way(np.stack([top, bow, ground]), ramp))
    made.append(Way(xy, dict(road.tags)))
    return made + [Way(np.asarray(street.line.coords), street.tags) for street in skerry]


def _warped(xy: np.ndarray) -> np.ndarray:
    """Bend a way with the plan, with enough vertices to follow the bend; given vertices stay vertices."""
    out = [xy[:1]]
    for a, b in zip(xy[:-1], xy[1:], strict=True):
        steps = max(int(np.hypot(*(b - a)) / 55.0), 1)
        out.append(a + np.linspace(0, 1, steps + 1)[1:, None] * (b - a))
    return warp(np.concatenate(out))


def warp_polygon(shape: shapely.Geometry) -> shapely.Geometry:
    """A polygon bent with the plan."""
    return shapely.transform(shapely.segmentize(shape, 55.0), warp)


__all__ = ["Street", "Way", "warp_polygon", "ways_of"]
