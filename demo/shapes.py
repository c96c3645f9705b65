"""Lines and blocks of the invented town: smooth curves, bent cuts and the recursive division of ground into blocks."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.random import Generator
from scipy.interpolate import CubicSpline
from shapely.ops import split


def smooth(points: Sequence[tuple[float, float]], step: float = 25.0) -> shapely.LineString:
    """A curve through the points with a vertex about every `step` metres."""
    xy = np.asarray(points, float)
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
    at = np.linspace(0, along[-1], max(int(along[-1] / step), 2))
    return shapely.LineString(CubicSpline(along, xy)(at))


def closed_curve(points: list[tuple[float, float]], step: float = 30.0) -> shapely.Polygon:
    """A polygon whose smooth outline runs through the points."""
    xy = np.asarray([*points, points[0]], float)
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(xy, axis=0).T))])
    at = np.linspace(0, along[-1], max(int(along[-1] / step), 8))
    return shapely.make_valid(shapely.Polygon(CubicSpline(along, xy, bc_type="periodic")(at)))


def bent(a: np.ndarray, b: np.ndarray, sag: float, rng: Generator) -> shapely.LineString:
    """A line from a to b that bows aside by up to `sag` of its length."""
    span = b - a
    normal = np.array([-span[1], span[0]])
    first, second = rng.normal(0, sag, 2)
    t = np.linspace(0, 1, max(int(np.hypot(*span) / 45.0), 2) + 1)[:, None]
    bow = np.sin(np.pi * t) * first + np.sin(2 * np.pi * t) * second * 0.6
    return shapely.LineString(a + t * span + bow * normal)


def divide(
    ground: shapely.Polygon, target: float, sag: float, rng: Generator, depth: int = 0, narrowest: float = 24.0
) -> tuple[list[shapely.Polygon], list[tuple[int, shapely.LineString]]]:
    """Divide ground into blocks of about `target` square metres by bent cuts across its longer side.

    Returns the blocks and the cuts, each with the depth at which it was made: early cuts are the through streets.
    """
    box = shapely.minimum_rotated_rectangle(ground)
    corner = np.asarray(box.exterior.coords)[:4]
    sides = np.hypot(*(np.roll(corner, -1, axis=0) - corner).T)
    if ground.area < target * rng.uniform(1.2, 2.2) or sides.min() < narrowest:
        return [ground], []
    longest = int(np.argmax(sides))
    a, b = corner[longest], corner[(longest + 1) % 4]
    d, c = corner[(longest + 3) % 4], corner[(longest + 2) % 4]
    # Ground of an odd shape may give slivers: then the cut is tried elsewhere.
    for _ in range(5):
        share = rng.uniform(0.38, 0.62)
        tilt = rng.normal(0, 0.03)
        first, last = a + (b - a) * (share + tilt), d + (c - d) * (share - tilt)
        reach = (last - first) * 0.15
        line = bent(first - reach, last + reach, sag, rng)
        parts = [part for part in split(ground, line).geoms if part.area > 1.0]
        if len(parts) >= 2 and min(part.area for part in parts) >= target * 0.12:
            break
    else:
        return [ground], []
    cut = shapely.intersection(line, ground)
    cuts = [(depth, piece) for piece in shapely.get_parts(shapely.line_merge(cut)) if piece.length > 5]
    blocks: list[shapely.Polygon] = []
    for part in parts:
        inner, more = divide(part, target, sag, rng, depth + 1, narrowest)
        blocks += inner
        cuts += more
    return blocks, cuts
