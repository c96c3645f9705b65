"""Search by name: places, features of layers and streets of a study."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from flask import Blueprint, Response, request

from awl.core.streets.shapes import point_at
from awl.questions.context import NAME_FIELDS
from awl.server.web import known_parameters, reply, study_of
from awl.study.study import Study

api = Blueprint("search", __name__)
MOST = 12
"""Hits in one reply."""
LEAST_LETTERS = 2
ROLES = ("places", "base", "zones")


@api.get("/studies/<study_id>/search")
def search(study_id: str) -> Response:
    """Names that hold the words of `q`, those that begin with it first: features of layers, then streets."""
    known_parameters("q")
    study, wanted = study_of(study_id), request.args.get("q", "").strip().lower()
    if len(wanted) < LEAST_LETTERS:
        return reply({"hits": []})
    hits = [hit for hit in _known(study) if all(word in hit["name"].lower() for word in wanted.split())]
    hits.sort(key=lambda hit: (not hit["name"].lower().startswith(wanted), hit["rank"], hit["name"]))
    return reply({"hits": [{key: hit[key] for key in ("name", "what", "lon", "lat")} for hit in hits[:MOST]]})


def _known(study: Study) -> list[dict[str, Any]]:
    """All names of a study; kept until its layers change."""
    layers = [layer for layer in study.layers() if layer["role"] in ROLES]
    key = ("names", *sorted((layer["id"], str(layer["added"])) for layer in layers))
    found: list[dict[str, Any]] = study.cached(key, lambda: [*_features(study, layers), *_streets(study)])
    return found


def _features(study: Study, layers: list[dict[str, Any]]) -> list[dict[str, Any]]:
    hits = []
    for rank, info in enumerate(sorted(layers, key=lambda one: ROLES.index(one["role"]))):
        if not any(field in NAME_FIELDS for field in info["fields"]):
            continue
        layer = study.read_layer(info["id"])
        names = next(layer.columns[field] for field in NAME_FIELDS if field in layer.columns)
        sound = [i for i, name in enumerate(names) if name and layer.geometry[i] is not None]
        points = shapely.point_on_surface(layer.geometry[sound])
        for i, x, y in zip(sound, shapely.get_x(points), shapely.get_y(points), strict=True):
            what = info["title"].lower().removesuffix("s")
            hits.append({"name": str(names[i]), "what": what, "lon": float(x), "lat": float(y), "rank": rank})
    return hits


def _streets(study: Study) -> list[dict[str, Any]]:
    """Streets of a name, each at the middle of its longest link."""
    if not study.stamp:
        return []
    graph = study.graph
    names = np.array([name or "" for name in graph.tag("name").decode()])
    order = np.lexsort((-graph.link_length, names))
    first = np.concatenate([[True], names[order][1:] != names[order][:-1]]) & (names[order] != "")
    links = order[first].astype(np.int32)
    lon, lat = point_at(graph, links, np.full(len(links), 0.5)) if len(links) else (np.zeros(0), np.zeros(0))
    return [
        {"name": str(names[link]), "what": "street", "lon": x, "lat": y, "rank": 99}
        for link, x, y in zip(links.tolist(), lon.tolist(), lat.tolist(), strict=True)
    ]
