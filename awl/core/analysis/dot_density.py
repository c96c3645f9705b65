"""People drawn as dots, each for so many of them, where they live."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.population_points import PopulationPoints
from awl.core.graph.street_graph import StreetGraph

MOST_DOTS = 2500


def people_per_dot(people: float) -> int:
    """A round number of people, so that there are not too many dots.

    Parameters:
        people: how many people there are.
    """
    least = max(people / MOST_DOTS, 1.0)
    power = 10 ** int(np.floor(np.log10(least)))
    return int(next(step * power for step in (1, 2, 5, 10) if step * power >= least))


def dots(people: NDArray[np.float64], per: int) -> NDArray[np.int64]:
    """Rows of homes (p,) at which a dot stands for `per` people, one after the other along the homes; the same each time.

    Where few live at each home, a dot stands at the home at which the sum of people along the way passes its half.

    Parameters:
        people: people (p,) at each home.
        per: how many people a dot stands for.
    """
    total = np.cumsum(people)
    count = int(np.floor((total[-1] if len(total) else 0.0) / per + 0.5))
    return np.searchsorted(total, (np.arange(count) + 0.5) * per)


def where_homes_are(population_points: PopulationPoints, graph: StreetGraph) -> NDArray[np.object_]:
    """Points of homes in degrees: where each lies itself, or on its street where that is not known.

    Parameters:
        population_points: the homes.
        graph: the street graph.
    """
    on_street = np.isnan(population_points.x)
    x, y = population_points.x.copy(), population_points.y.copy()
    lines = graph.lines_xy[population_points.link[on_street]]
    points = shapely.line_interpolate_point(lines, population_points.fraction[on_street], normalized=True)
    x[on_street], y[on_street] = shapely.get_x(points), shapely.get_y(points)
    lon, lat = graph.plane.lonlat(x, y)
    return np.atleast_1d(shapely.points(lon, lat))
