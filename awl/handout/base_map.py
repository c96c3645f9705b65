"""The base map of a sheet: ground, water, buildings and streets of the study in ink on paper."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from matplotlib.axes import Axes
from numpy.typing import NDArray

from awl.core.graph.street_graph import StreetGraph
from awl.handout.inks import Inks
from awl.handout.lettering import Lettering
from awl.handout.letters import ITALIC, SANS, TITLE
from awl.handout.paper import Box
from awl.handout.pictures import POINTS_PER_PIXEL, clipped, fill, stroke
from awl.study.study import Study

EQUATOR_M = 40_075_016.7
BUILDINGS_TO = 20_000
"""Buildings are drawn down to this scale."""
NAMES_TO = 15_000
"""Names of streets likewise."""
WEIGHTS = {
    "motorway": 4.0, "trunk": 3.8, "primary": 3.4, "secondary": 2.8, "tertiary": 2.1, "motorway_link": 2.0, "trunk_link": 2.0,
    "primary_link": 2.0, "unclassified": 1.5, "residential": 1.3, "living_street": 1.2, "pedestrian": 1.2, "service": 0.9,
    "track": 0.9, "footway": 0.8, "path": 0.8, "cycleway": 0.8, "steps": 0.8, "connector": 0.8, "road": 2.0,
}  # fmt: skip
HIDDEN_BELOW = {
    "service": 13.5, "footway": 13.5, "path": 13.5, "steps": 13.5, "track": 12.5, "living_street": 12.5, "residential": 12.0,
    "pedestrian": 12.5, "unclassified": 12.0, "tertiary": 10.5, "secondary": 9.2,
}  # fmt: skip
"""How strong streets of a class are, and from which zoom on they are drawn, as on the screen."""
Z_GROUND, Z_AREAS, Z_BUILDING, Z_FOUND, Z_WATER, Z_STREETS, Z_LINES, Z_ROUTES, Z_MARKS, Z_NAMES = range(1, 11)
"""What lies over what, as on the screen."""


@dataclass(frozen=True)
class MapFrame:
    """The map of a sheet: where it is drawn, its scale and view in the metric plane, and what it is drawn with.

    Streets that are not `usable` (m,) are faded; None where all look alike.
    """

    axes: Axes
    study: Study
    graph: StreetGraph
    scale: int
    view: Box
    inks: Inks
    letter: float
    lettering: Lettering
    usable: NDArray[np.bool_] | None = None

    @property
    def zoom(self) -> float:
        """The zoom of the screen at which a pixel stands for as many metres."""
        latitude = math.radians(float(np.mean(self.graph.node_lat)))
        metres = self.scale * 0.0254 / 96
        return math.log2(EQUATOR_M * math.cos(latitude) / (512 * metres))

    def in_view(self, shapes: NDArray[np.object_]) -> NDArray[np.object_]:
        """Shapes in degrees, in the metric plane and cut to the view."""
        return clipped(self.graph.plane.project(shapes), self.view)

    def width(self, pixels: float) -> float:
        """A width on the screen in points on this paper."""
        return pixels * POINTS_PER_PIXEL * self.letter


def draw_base(frame: MapFrame) -> None:
    """Draw the base map."""
    axes, inks, known = frame.axes, frame.inks, {entry["id"] for entry in frame.study.layers()}
    axes.set_facecolor(inks("token:ground"))

    def shapes(layer: str) -> NDArray[np.object_]:
        return frame.in_view(frame.study.read_layer(layer).geometry)

    for layer in ("field", "sand", "green"):
        if layer in known:
            edge = "none" if layer == "sand" else inks(f"token:{layer}-edge")
            fill(axes, shapes(layer), inks(f"token:{layer}"), Z_GROUND, edge, frame.width(0.6))
    if "building" in known and frame.scale <= BUILDINGS_TO:
        fill(
            axes,
            shapes("building"),
            inks("token:building"),
            Z_BUILDING,
            inks("token:building-edge"),
            frame.width(0.5),
            0.75,
        )
    if "water" in known:
        fill(axes, shapes("water"), inks("token:water"), Z_WATER, inks("token:water-edge"), frame.width(1.0))
    if "rail" in known:
        stroke(axes, shapes("rail"), inks("token:st-sec"), frame.width(1.0), Z_WATER + 0.5, (0, (7, 3)))
    _draw_streets(frame)
    _letter_places(frame, known)


def _draw_streets(frame: MapFrame) -> None:
    graph, inks, zoom = frame.graph, frame.inks, frame.zoom
    classes = graph.tag("highway")
    names = [str(value) for value in classes.values]
    growth = max(0.62, 2 ** ((zoom - 14.4) * 0.42))
    widths = np.array(
        [0.0 if zoom < HIDDEN_BELOW.get(name, 0.0) else WEIGHTS.get(name, 1.0) * growth for name in names] + [growth]
    )
    weights = np.array([WEIGHTS.get(name, 1.0) for name in names] + [1.0])
    own = widths[classes.codes]
    rows = np.flatnonzero((own > 0) & _is_near(frame))
    usable = frame.usable
    rows = rows[
        np.lexsort((np.ones(len(rows), bool) if usable is None else usable[rows], weights[classes.codes[rows]]))
    ]
    steps = ((3.0, "st-main"), (2.0, "st-sec"), (1.0, "st-minor"), (0.0, "st-path"))
    by_class = [inks("token:" + next(ink for least, ink in steps if weight >= least)) for weight in weights]
    faded = inks("token:st-fade")
    colours = [
        faded if usable is not None and not usable[row] else by_class[code]
        for row, code in zip(rows.tolist(), classes.codes[rows].tolist(), strict=True)
    ]
    stroke(frame.axes, graph.lines_xy[rows], colours, own[rows] * frame.width(1.0), Z_STREETS)
    if frame.scale <= NAMES_TO:
        _letter_streets(frame, rows)


def _is_near(frame: MapFrame) -> NDArray[np.bool_]:
    """Links (m,) whose bounds meet the view."""
    bounds = shapely.bounds(frame.graph.lines_xy)
    west, south, east, north = frame.view
    return (bounds[:, 0] <= east) & (bounds[:, 2] >= west) & (bounds[:, 1] <= north) & (bounds[:, 3] >= south)


def _letter_streets(frame: MapFrame, rows: NDArray[np.int64]) -> None:
    """Names along the longest link of each street."""
    graph = frame.graph
    names, length = graph.tag("name").take(rows).decode(), graph.link_length[rows]
    longest: dict[str, int] = {}
    for i in np.argsort(length, kind="stable").tolist():
        if names[i]:
            longest[str(names[i])] = i
    for name, i in sorted(longest.items(), key=lambda item: -length[item[1]]):
        frame.lettering.along(name, graph.lines_xy[rows[i]], SANS, 6.2, frame.inks("token:ink-2"))


def _letter_places(frame: MapFrame, known: set[str]) -> None:
    """Names of towns, districts and water."""
    inks = frame.inks
    if "place" in known:
        places = frame.study.read_layer("place")
        xy = shapely.get_coordinates(frame.graph.plane.project(shapely.point_on_surface(places.geometry)))
        order = {"city": 0, "town": 1}
        rows = sorted(range(len(places)), key=lambda i: order.get(str(places.columns["kind"][i]), 2))
        for i in rows:
            name, kind = places.columns["name"][i], places.columns["kind"][i]
            if name and kind not in ("locality", "city"):
                frame.lettering.at(str(name), xy[i], ITALIC, 9.0, inks("token:ink"))
            elif name and kind == "city" and frame.scale > 40_000:
                frame.lettering.at(str(name), xy[i], TITLE, 12.0, inks("token:ink"))
    if "river" in known:
        rivers = frame.study.read_layer("river")
        lines = frame.graph.plane.project(rivers.geometry)
        for name, line in sorted(zip(rivers.columns["name"], lines, strict=True), key=lambda item: -item[1].length):
            if name:
                frame.lettering.along(str(name), line, ITALIC, 9.0, inks("token:water-text"), loose=True)
