"""Search by name or address: places, features of layers and streets of a study."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from flask import Blueprint, Response, request
from numpy.typing import NDArray

from awl.core.streets.shapes import point_at
from awl.formats.table import LABEL_NAMES
from awl.server.web import known_parameters, reply, study_of
from awl.study.study import Study

api = Blueprint("search", __name__)
MOST = 12
"""Hits in one reply."""
LEAST_LETTERS = 2
ROLES = ("places", "base", "zones")
ADDRESS_FIELDS = ("address", "addr_full", "addr:full")
"""Fields of any layer that hold a whole address; else street and house number make one."""
STREET_FIELDS, NUMBER_FIELDS = ("addr_street", "addr:street"), ("addr_housenumber", "addr:housenumber")
MOST_ADDRESSES = 500_000


@api.get("/studies/<study_id>/search")
def search(study_id: str) -> Response:
    """Names and addresses that hold the words of `q`, those that begin with it first: features, streets, then addresses."""
    known_parameters("q")
    study, wanted = study_of(study_id), request.args.get("q", "").strip().lower()
    if len(wanted) < LEAST_LETTERS:
        return reply({"hits": []})
    hits = [hit for hit in _known(study) if all(word in hit["name"].lower() for word in wanted.split())]
    hits.sort(key=lambda hit: (not hit["name"].lower().startswith(wanted), hit["rank"], hit["name"]))
    if len(hits) < MOST:
        hits += _at_addresses(study, wanted)
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
        if not any(field.lower() in LABEL_NAMES for field in info["fields"]):
            continue
        layer = study.read_layer(info["id"])
        names = layer.columns[str(layer.label_field)]
        sound = [i for i, name in enumerate(names) if name and layer.geometry[i] is not None]
        points = shapely.point_on_surface(layer.geometry[sound])
        for i, x, y in zip(sound, shapely.get_x(points), shapely.get_y(points), strict=True):
            what = info["title"].lower().removesuffix("s")
            hits.append({"name": str(names[i]), "what": what, "lon": float(x), "lat": float(y), "rank": rank})
    return hits


def _at_addresses(study: Study, wanted: str) -> list[dict[str, Any]]:
    """Features at addresses that hold all words, a number being the whole number of a house; the shortest first."""
    book = _address_book(study)
    kept = np.ones(len(book.written), bool)
    for word in wanted.split():
        kept &= np.char.find(book.searched, f" {word} " if word.isdigit() else word) >= 0
    rows = np.flatnonzero(kept)
    rows = rows[np.lexsort((book.written[rows], np.char.str_len(book.written[rows])))][:MOST]
    return [
        {
            "name": str(book.written[row]),
            "what": str(book.what[row]),
            "lon": float(book.lon[row]),
            "lat": float(book.lat[row]),
        }
        for row in rows
    ]


@dataclass(frozen=True)
class _AddressBook:
    """Addresses (n,) as written and as searched, what stands there, and where."""

    written: NDArray[np.str_]
    searched: NDArray[np.str_]
    what: NDArray[np.str_]
    lon: NDArray[np.float64]
    lat: NDArray[np.float64]


def _address_book(study: Study) -> _AddressBook:
    """All addresses of a study; kept until its layers change."""
    key = ("addresses", *sorted((layer["id"], str(layer["added"])) for layer in study.layers()))
    book: _AddressBook = study.cached(key, lambda: _read_addresses(study))
    return book


def _read_addresses(study: Study) -> _AddressBook:
    written, what, points = [""][:0], [""][:0], []
    for info in study.layers():
        if not {*ADDRESS_FIELDS, *STREET_FIELDS} & set(info["fields"]) or len(written) > MOST_ADDRESSES:
            continue
        layer = study.read_layer(info["id"])
        known = [_address(layer.columns, row) for row in range(len(layer))]
        sound = [row for row, address in enumerate(known) if address and layer.geometry[row] is not None]
        written += [known[row] for row in sound]
        what += [info["title"].lower().removesuffix("s")] * len(sound)
        points.append(shapely.get_coordinates(shapely.point_on_surface(layer.geometry[sound])))
    at = np.concatenate([np.zeros((0, 2)), *points])
    names = np.array(written, dtype=np.str_)
    spaced = np.char.add(np.char.add(" ", np.char.lower(names)), " ") if len(names) else names
    return _AddressBook(names, spaced, np.array(what, dtype=np.str_), at[:, 0], at[:, 1])


def _address(columns: dict[str, list[Any]], row: int) -> str:
    """The address of a feature, empty where it has none."""

    def first(fields: tuple[str, ...]) -> str:
        return next((str(columns[field][row]) for field in fields if field in columns and columns[field][row]), "")

    return first(ADDRESS_FIELDS) or f"{first(STREET_FIELDS)} {first(NUMBER_FIELDS)}".strip()


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
