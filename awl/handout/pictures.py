"""What is drawn of shapes and lines: paths, collections and marks of the drawing library, all sizes in points."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from matplotlib.axes import Axes
from matplotlib.collections import PathCollection
from matplotlib.path import Path
from numpy.typing import NDArray

POINTS_PER_PIXEL = 0.75
"""A pixel of the screen is a 96th of an inch."""
Shapes = NDArray[np.object_]


def path_of(shape: shapely.Geometry) -> Path:
    """A polygon or several as one path, holes left open."""
    vertices, codes = [], []
    for part in shapely.get_parts(shape):
        if part.geom_type != "Polygon" or part.is_empty:
            continue
        for ring in (part.exterior, *part.interiors):
            xy = shapely.get_coordinates(ring)
            vertices.append(xy)
            code = np.full(len(xy), Path.LINETO, Path.code_type)
            code[0], code[-1] = Path.MOVETO, Path.CLOSEPOLY
            codes.append(code)
    if not vertices:
        return Path(np.zeros((0, 2)))
    return Path(np.concatenate(vertices), np.concatenate(codes))


def clipped(shapes: Shapes, view: tuple[float, float, float, float]) -> Shapes:
    """Shapes cut to what is in view, with a margin; those outside are empty."""
    west, south, east, north = view
    margin = (east - west) * 0.02
    box = (west - margin, south - margin, east + margin, north + margin)
    valid = np.where(shapely.is_valid(shapes), shapes, shapely.make_valid(shapes))
    return np.asarray(shapely.clip_by_rect(valid, *box), dtype=object)


def fill(
    axes: Axes, shapes: Shapes, colours: Sequence[str] | str, z: float, edge: str | Sequence[str] = "none",
    width: float = 0.0, opacity: float = 1.0, hatch: str | None = None,
) -> None:  # fmt: skip
    """Fill areas; `colours` and `edge` are one for all, or one each."""
    kept = [i for i, shape in enumerate(shapes) if not shapely.is_empty(shape)]
    if not kept:
        return

    def own(given: Sequence[str] | str) -> Any:
        return given if isinstance(given, str) else [given[i] for i in kept]

    axes.add_collection(
        PathCollection(
            [path_of(shapes[i]) for i in kept], facecolors=own(colours), edgecolors=own(edge), linewidths=width,
            alpha=opacity if opacity < 1 else None, zorder=z, hatch=hatch,
        ),
        autolim=False,
    )  # fmt: skip


HATCH = "/////"
"""Strokes over what grey alone does not tell apart."""
DASHED = (0, (2.2, 1.6))


MOST_POINTS = 2000
"""Lines of one look are drawn as one path, up to so many points: each path costs time of its own, however short."""


def _lines_of(shapes: Shapes) -> tuple[Shapes, NDArray[np.int64]]:
    """The lines of shapes, edges where they are areas, and the shape that each is of."""
    parts, of = shapely.get_parts(shapes, return_index=True)
    polygonal = np.isin(shapely.get_type_id(parts), (3,))
    parts = np.where(polygonal, shapely.boundary(parts), parts)
    parts, again = shapely.get_parts(parts, return_index=True)
    linear = np.isin(shapely.get_type_id(parts), (1, 2)) & ~shapely.is_empty(parts)
    return parts[linear], of[again][linear]


def _runs_of_one_look(lines: Shapes, looks: NDArray[np.integer]) -> NDArray[np.int64]:
    """Where runs of lines (r + 1,) begin and end that look alike and have some `MOST_POINTS` points in all, in their order."""
    points = np.cumsum(shapely.get_num_coordinates(lines))
    nth = points // MOST_POINTS
    new = (looks[1:] != looks[:-1]) | (nth[1:] != nth[:-1])
    return np.concatenate([[0], np.flatnonzero(new) + 1, [len(lines)]])


def _joined(lines: Shapes) -> Path:
    """Some lines as one path."""
    xy, of = shapely.get_coordinates(lines, return_index=True)
    codes = np.full(len(xy), Path.LINETO, Path.code_type)
    codes[0] = Path.MOVETO
    codes[1:][of[1:] != of[:-1]] = Path.MOVETO
    return Path(xy, codes)


def stroke(
    axes: Axes, shapes: Shapes, colours: Sequence[str] | str, widths: Any, z: float, dash: Any = "solid",
    opacity: float = 1.0,
) -> None:  # fmt: skip
    """Draw lines, or the edges of areas, in their order; `colours` and `widths` are one for all, or one each."""
    lines, of = _lines_of(shapes)
    if not len(lines):
        return
    inks = np.full(len(shapes), colours, object) if isinstance(colours, str) else np.array(colours, object)
    width = np.broadcast_to(np.asarray(widths, float), len(shapes))
    _, ink_codes = np.unique(inks.astype(str), return_inverse=True)
    _, width_codes = np.unique(width, return_inverse=True)
    runs = _runs_of_one_look(lines, (ink_codes * len(shapes) + width_codes)[of])
    begins = of[runs[:-1]]
    collection = PathCollection(
        [_joined(lines[begin:end]) for begin, end in zip(runs[:-1], runs[1:], strict=True)], facecolors="none",
        edgecolors=inks[begins].tolist(), linewidths=width[begins], zorder=z, linestyles=dash,
        capstyle="round" if dash == "solid" else "butt", joinstyle="round", alpha=opacity if opacity < 1 else None,
    )  # fmt: skip
    axes.add_collection(collection, autolim=False)


def dots(
    axes: Axes, xy: NDArray[np.float64], colours: Sequence[str] | str, radius: Any, z: float, edge: str = "none",
    width: float = 0.0,
) -> None:  # fmt: skip
    """Circles of a radius in points."""
    if len(xy):
        axes.scatter(
            xy[:, 0], xy[:, 1], s=(2 * np.asarray(radius, float)) ** 2, c=colours if isinstance(colours, str) else list(colours),
            edgecolors=edge, linewidths=width, zorder=z,
        )  # fmt: skip


def button(axes: Axes, xy: NDArray[np.float64], ink: str, paper: str, points: float, z: float, second: bool) -> None:
    """Two-holed buttons, as places are sewn on; dashed without holes where a place is left out."""
    dots(axes, xy, paper, points, z, ink, points * 0.22)
    if not second:
        for side in (-1, 1):
            axes.plot(
                xy[:, 0], xy[:, 1], linestyle="none", zorder=z + 0.1, markersize=points * 1.04, markeredgewidth=0, color=ink,
                marker=Path.circle((side * 1.75, 0.0), 1.0),
            )  # fmt: skip
