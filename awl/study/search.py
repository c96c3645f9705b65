"""Search by name, address or coordinates: places, features of layers, streets and house numbers of a study, offline."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.shapes import point_at
from awl.core.positions import Box, parse_position
from awl.io.table import LABEL_NAMES, Column
from awl.study.study import Study

MOST = 12
"""Hits of one search."""
LEAST_LETTERS, LEAST_FUZZY = 2, 4
LIKENESS = 75
"""How like a name a mistyped one must be, of 100."""
ROLES = ("places", "base", "zones")
ADDRESS_FIELDS = ("address", "addr_full", "addr:full")
"""Fields of any layer that hold a whole address; else street and house number make one."""
STREET_FIELDS = ("addr_street", "addr:street", "street", "addr_place", "addr:place")
NUMBER_FIELDS = ("addr_housenumber", "addr:housenumber", "housenumber")
MOST_ADDRESSES = 500_000


class Hit(NamedTuple):
    """Something found: its name, what it is, where, and how far down the list it belongs."""

    name: str
    what: str
    lon: float
    lat: float
    rank: int


def find(study: Study, text: str) -> list[Hit]:
    """What a text may mean: coordinates in any common notation, names that hold its words, then streets and addresses.

    Where nothing holds them, the nearest name is taken for a mistyped one.
    """
    at = parse_position(text, _box(study))
    if at is not None:
        return [Hit(f"{at[1]:.6f}, {at[0]:.6f}", "coordinates", *at, 0)]
    wanted = text.strip().lower()
    if len(wanted) < LEAST_LETTERS:
        return []
    hits = _hits_of(study, wanted)
    if not hits and (meant := _mistyped(study, wanted)) is not None:
        hits = _hits_of(study, meant)
        if not hits and (street := " ".join(word for word in meant.split() if not word[0].isdigit())) != meant:
            hits = _hits_of(study, street)
    return hits


def place_of(study: Study, text: str, name: str) -> Hit:
    """The one place that a text names, for an input `name`.

    Raises:
        AwlError: there is none, or the address has no such number; the likeliest are named.
    """
    hits = find(study, text)
    if not hits:
        raise AwlError(
            f"Nothing in the study is called '{text[:80]}'",
            remedy="Write a street with its number, a name, or coordinates",
            inputs=(name,),
            kind="no-such-place",
        )
    number = next((word for word in text.lower().split() if word[0].isdigit()), None)
    if hits[0].what != "coordinates" and number is not None and number not in hits[0].name.lower().split():
        raise AwlError(
            f"The study knows no address '{text[:80]}'",
            remedy=f"The nearest it knows: {', '.join(hit.name for hit in hits[:3])}",
            inputs=(name,),
            kind="no-such-place",
        )
    return hits[0]


def _hits_of(study: Study, wanted: str) -> list[Hit]:
    hits = [hit for hit in _known(study) if all(word in hit.name.lower() for word in wanted.split())]
    hits.sort(key=lambda hit: (not hit.name.lower().startswith(wanted), hit.rank, hit.name))
    if len(hits) < MOST:
        hits += _at_addresses(study, wanted)
    return hits[:MOST]


def _box(study: Study) -> Box | None:
    if not study.revision:
        return None
    lon, lat = study.graph.node_lon, study.graph.node_lat
    return float(lon.min()), float(lat.min()), float(lon.max()), float(lat.max())


def _known(study: Study) -> list[Hit]:
    """All names of a study; kept until its layers change."""
    layers = [layer for layer in study.layers() if layer["role"] in ROLES]
    key = ("names", *sorted((layer["id"], str(layer["added"])) for layer in layers))
    names: list[Hit] = study.cached(key, lambda: [*_features(study, layers), *_streets(study)])
    return names


def _features(study: Study, layers: list[dict[str, Any]]) -> list[Hit]:
    hits = []
    for rank, info in enumerate(sorted(layers, key=lambda one: ROLES.index(one["role"]))):
        if info["id"] == "address" or not any(field.lower() in LABEL_NAMES for field in info["fields"]):
            continue
        layer = study.read_layer(info["id"])
        names = layer.columns[str(layer.label_field)]
        sound = [i for i, name in enumerate(names) if name and layer.geometry[i] is not None]
        points = shapely.point_on_surface(layer.geometry[sound])
        for i, x, y in zip(sound, shapely.get_x(points), shapely.get_y(points), strict=True):
            what = info["title"].lower().removesuffix("s")
            hits.append(Hit(str(names[i]), what, float(x), float(y), rank))
    return hits


def _at_addresses(study: Study, wanted: str) -> list[Hit]:
    """Features at addresses that hold all words, a number being the whole number of a house; the shortest first."""
    book = _address_book(study)
    holds_all = np.ones(len(book.written), bool)
    for word in wanted.split():
        holds_all &= np.char.find(book.searched, f" {word} " if word[:1].isdigit() else word) >= 0
    rows = np.flatnonzero(holds_all)
    rows = rows[np.lexsort((book.written[rows], np.char.str_len(book.written[rows])))][:MOST]
    return [
        Hit(str(book.written[row]), str(book.what[row]), float(book.lon[row]), float(book.lat[row]), 98) for row in rows
    ]


def _mistyped(study: Study, wanted: str) -> str | None:
    """The name in the study most like a mistyped one, with the house number that was asked for; None where none is like it."""
    from rapidfuzz import fuzz, process

    words = [word for word in wanted.split() if not word[0].isdigit()]
    numbers = [word for word in wanted.split() if word[0].isdigit()]
    if sum(map(len, words)) < LEAST_FUZZY:
        return None
    key = ("distinct names", *sorted((layer["id"], str(layer["added"])) for layer in study.layers()))
    names: list[str] = study.cached(key, lambda: _distinct_names(study))
    best = process.extractOne(" ".join(words), names, scorer=fuzz.ratio, score_cutoff=LIKENESS)
    return None if best is None else " ".join([best[0], *numbers])


def _distinct_names(study: Study) -> list[str]:
    """Every name and every street of an address once, in small letters."""
    streets = (
        " ".join(word for word in text.split() if not word[0].isdigit()) for text in _address_book(study).searched
    )
    return list(dict.fromkeys([*(hit.name.lower() for hit in _known(study)), *streets]))


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
        of_extract = info["id"] == "address" and info["role"] == "base"
        has_fields = {*ADDRESS_FIELDS, *STREET_FIELDS} & set(info["fields"])
        if not (of_extract or has_fields) or len(written) > MOST_ADDRESSES:
            continue
        layer = study.read_layer(info["id"])
        known = layer.columns["name"] if of_extract else [_address(layer.columns, row) for row in range(len(layer))]
        sound = [row for row, address in enumerate(known) if address and layer.geometry[row] is not None]
        written += [known[row] for row in sound]
        what += ["address" if of_extract else info["title"].lower().removesuffix("s")] * len(sound)
        points.append(shapely.get_coordinates(shapely.point_on_surface(layer.geometry[sound])))
    at = np.concatenate([np.zeros((0, 2)), *points])
    names = np.array(written, dtype=np.str_)
    spaced = np.char.add(np.char.add(" ", np.char.lower(names)), " ") if len(names) else names
    return _AddressBook(names, spaced, np.array(what, dtype=np.str_), at[:, 0], at[:, 1])


def _address(columns: Mapping[str, Column], row: int) -> str:
    """The address of a feature, empty where it has none."""

    def first(fields: tuple[str, ...]) -> str:
        return next((str(columns[field][row]) for field in fields if field in columns and columns[field][row]), "")

    return first(ADDRESS_FIELDS) or f"{first(STREET_FIELDS)} {first(NUMBER_FIELDS)}".strip()


def _streets(study: Study) -> list[Hit]:
    """Streets of a name, each at the middle of its longest link."""
    if not study.revision:
        return []
    graph = study.graph
    names = np.array([name or "" for name in graph.tag("name").decode()])
    order = np.lexsort((-graph.link_length, names))
    first = np.concatenate([[True], names[order][1:] != names[order][:-1]]) & (names[order] != "")
    links = order[first].astype(np.int32)
    lon, lat = point_at(graph, links, np.full(len(links), 0.5)) if len(links) else (np.zeros(0), np.zeros(0))
    return [
        Hit(str(names[link]), "street", x, y, 99)
        for link, x, y in zip(links.tolist(), lon.tolist(), lat.tolist(), strict=True)
    ]
