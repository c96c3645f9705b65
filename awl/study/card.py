"""A study at a glance: its streets as a small picture, and a few figures."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
import shapely

from awl.core.graph.street_graph import StreetGraph
from awl.study import records
from awl.study.study import Study

WIDTH, HEIGHT = 240, 150
"""Size of the picture, in its own units."""
MAX_LINES = 1500
RANKS = ("motorway", "trunk", "primary", "secondary", "tertiary", "residential", "unclassified", "living_street")
"""Classes of street drawn first; others follow by length."""
OWN_ROLES = ("places", "zones", "parcels", "buildings", "lines")


@dataclass(frozen=True)
class Card:
    """What is shown of a study on the shelf.

    Attributes:
        streets: SVG path data of its main streets, within `WIDTH` by `HEIGHT`; empty where it has none.
        street_km: length of all its streets.
        layers: number of layers of the user's own.
        used: when it was changed last, RFC 3339.
        asked: title of the answer made last; None where there is none.
    """

    streets: str
    street_km: float
    layers: int
    used: str
    asked: str | None


def card_of(study: Study) -> Card:
    """The card of a study."""
    build = study.fact("build") or {}
    path: str = study.cached("card", lambda: streets_path(study.graph)) if study.revision else ""
    changed = datetime.fromtimestamp(study.path.stat().st_mtime, UTC).isoformat(timespec="seconds")
    return Card(
        path,
        round(float(build.get("length_m", 0.0)) / 1000, 1),
        sum(layer["role"] in OWN_ROLES for layer in study.layers()),
        changed.replace("+00:00", "Z"),
        _last_answer(study),
    )


def streets_path(graph: StreetGraph) -> str:
    """The main streets of a graph as SVG path data."""
    highway = graph.tag("highway")
    rank = highway.lookup(
        [float(RANKS.index(name)) if name in RANKS else len(RANKS) for name in highway.values], len(RANKS)
    )
    rows = np.lexsort((-graph.link_length, rank))[:MAX_LINES]
    lines = graph.lines_xy[rows]
    west, south, east, north = shapely.total_bounds(lines)
    scale = min(WIDTH / max(east - west, 1e-9), HEIGHT / max(north - south, 1e-9)) * 0.96
    middle = np.array([(west + east) / 2, (south + north) / 2])
    drawn = shapely.transform(lines, lambda xy: (xy - middle) * [scale, -scale] + [WIDTH / 2, HEIGHT / 2])
    drawn = shapely.simplify(drawn, 0.4)
    return "".join(_path(shapely.get_coordinates(line)) for line in drawn)


def _path(xy: Any) -> str:
    points = np.rint(xy * 10) / 10
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in points.tolist())


def _last_answer(study: Study) -> str | None:
    row = study.reading.execute("SELECT question FROM awl_answers ORDER BY made DESC LIMIT 1").fetchone()
    document = records.answer(study.reading, row[0]) if row else None
    return None if document is None else str(document["result"].get("title", ""))
