"""A field of points over the streets, triangulated, on which areas are drawn.

Streets are sampled at an even spacing; the samples carry arrivals that are exact on the street. Where no street is near,
blank points are strewn, so that an area ends a short way off the last street instead of leaping over empty land or
water. The triangulation (Delaunay) does not depend on arrivals: a new question only gives the points new values.

A town is triangulated in seconds, a region in minutes. So a field is made tile by tile, when an area first needs them.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from awl.core.analysis.isochrone_areas.samples import key_of_place, samples_along
from awl.core.analysis.isochrone_areas.triangles import triangulated, triangulated_again
from awl.core.analysis.isochrone_areas.under_tiles import LinksUnderTiles
from awl.core.network.network import Network
from awl.core.progress import Progress, raise_if_cancelled, threads_of

OFF_STREET_M = 90.0
"""Points farther from any street than this are blank: no area extends to them."""
WIDEST_M = 2 * OFF_STREET_M
"""No circle of that radius is free of points: lattice points left out lie near a sample."""
CALM_MS = 60_000.0
"""Arrivals this far below or above a limit count alike when a contour is placed off the street."""
TILE_M = 1500.0
"""The side of a tile."""
MARGIN_M = WIDEST_M + 1.0
"""Points so far around a tile tell its triangles."""
BLANK = 1 << 62
"""The numbers of blank points begin there, above those of samples."""
MOST_POINTS = 2_000_000
"""Points of tiles that are held at once."""
Place = tuple[int, int]
"""The column and the row of a tile."""


@dataclass(frozen=True)
class Field:
    """Points (q,) in the metric plane; the first `samples` lie on `link` at `fraction`, the others are blank.

    `triangles` (t, 3) are rows of the points.
    """

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    link: NDArray[np.int32]
    fraction: NDArray[np.float64]
    triangles: NDArray[np.int32]

    @property
    def samples(self) -> int:
        """Number of points that lie on streets."""
        return len(self.link)


class Tile(NamedTuple):
    """The field of a tile: its triangles, and their points; `place` (q,) numbers them upwards, the same in each tile."""

    field: Field
    place: NDArray[np.int64]


class TileStore(Protocol):
    """Where tiles outlast the process."""

    def has(self, place: Place) -> bool:
        """Whether a tile is there.

        Parameters:
            place: its column and row.
        """

    def read(self, place: Place) -> Tile | None:
        """A tile; None where it is not there.

        Parameters:
            place: its column and row.
        """

    def write(self, place: Place, tile: Tile) -> None:
        """Store a tile, or leave it where it cannot be stored.

        Parameters:
            place: its column and row.
            tile: the tile.
        """


class TiledField:
    """The field of a network, made tile by tile when it is asked for.

    Parameters:
        network: the streets of a mode, at a time and with closures.
        store: where tiles are read from and stored.
        former: the field before some of the streets were edited; the same comes out, sooner.
    """

    def __init__(self, network: Network, store: TileStore | None = None, former: TiledField | None = None) -> None:
        self.network, self.store = network, store
        self._under = LinksUnderTiles.of(network, TILE_M, MARGIN_M + OFF_STREET_M)
        self._lock, self._cached_points = threading.Lock(), 0
        self._cached: dict[Place, Tile] = {}
        # Those of the former one are taken over, not the former itself: it may have had a former one too.
        self._former_tiles: dict[Place, Tile] = (
            {} if former is None else _newest(former._former_tiles | former.cached())
        )
        self._former_store = None if former is None else former.store
        self._last_joined = np.zeros(0, np.int64), _joined([])

    @property
    def tile_count(self) -> int:
        """How many tiles there are."""
        return len(self._under.column)

    def full(self) -> Field:
        """All of it."""
        return self._of_tiles(np.arange(self.tile_count))

    def complete(self, progress: Progress | None = None) -> None:
        """Have all tiles made and stored, those that are there already left where they are.

        Parameters:
            progress: is told how far the work is.
        """
        tiles_by_place = self.cached()
        absent = [
            place
            for place in self._places(np.arange(self.tile_count))
            if place not in tiles_by_place and not (self.store is not None and self.store.has(place))
        ]
        for _ in self._load_in_threads(absent, progress, "drawing its field"):
            pass

    def around(self, links: NDArray[np.integer], progress: Progress | None = None) -> Field:
        """At least the triangles with a corner on some links.

        Parameters:
            links: rows (k,) of the links.
            progress: is told how far the work is.
        """
        return self._of_tiles(self._under.tiles_of(links), progress)

    def cached(self) -> dict[Place, Tile]:
        """The tiles in memory, by column and row."""
        with self._lock:
            return dict(self._cached)

    def _places(self, tiles: NDArray[np.int64]) -> list[Place]:
        return list(zip(self._under.column[tiles].tolist(), self._under.row[tiles].tolist(), strict=True))

    def _of_tiles(self, tiles: NDArray[np.int64], progress: Progress | None = None) -> Field:
        before, joined = self._last_joined
        if np.array_equal(before, tiles):
            return joined
        places, tiles_by_place = self._places(tiles), self.cached()
        absent = [place for place in places if place not in tiles_by_place]
        tiles_by_place.update(zip(absent, self._load_in_threads(absent, progress, "Drawing areas"), strict=True))
        joined = _joined([tiles_by_place[place] for place in places])
        if len(joined.x) <= MOST_POINTS:
            self._last_joined = tiles, joined
        return joined

    def _load_in_threads(self, places: list[Place], progress: Progress | None, message: str) -> Iterator[Tile]:
        """Tiles that are not in memory, one after another; `progress` is told."""
        with threads_of(None) as pool:
            try:
                for done, tile in enumerate(pool.map(self._load_tile, places), start=1):
                    raise_if_cancelled()
                    if progress is not None:
                        progress.step(done / len(places), message)
                    yield tile
            finally:
                pool.shutdown(cancel_futures=True)

    def _load_tile(self, place: Place) -> Tile:
        tile = None if self.store is None else self.store.read(place)
        if tile is None:
            tile = self._triangulate(place)
            if self.store is not None:
                self.store.write(place, tile)
        with self._lock:
            if place not in self._cached:
                self._cached[place] = tile
                self._cached_points += len(tile.place)
            while self._cached_points > MOST_POINTS:
                self._cached_points -= len(self._cached.pop(next(iter(self._cached))).place)
        return tile

    def _triangulate(self, place: Place) -> Tile:
        low = np.array(place) * TILE_M
        box = low, low + TILE_M
        samples = samples_along(self.network.graph, self._under.links_of(*place))
        blank, blank_place = _blank_points(samples.xy, low - MARGIN_M, low + TILE_M + MARGIN_M, self._under)
        in_margin = ((samples.xy >= low - MARGIN_M) & (samples.xy <= low + TILE_M + MARGIN_M)).all(axis=1)
        xy = np.concatenate([samples.xy[in_margin], blank])
        former = self._former_tile(place)
        if former is None:
            triangles = triangulated(xy, box, WIDEST_M)
        else:
            before = np.column_stack([former.field.x, former.field.y])
            triangles = triangulated_again(xy, box, WIDEST_M, before, former.field.triangles)
        field = Field(xy[:, 0].copy(), xy[:, 1].copy(), samples.link[in_margin], samples.fraction[in_margin], triangles)
        return Tile(field, np.concatenate([samples.place[in_margin], blank_place]))

    def _former_tile(self, place: Place) -> Tile | None:
        former = self._former_tiles.get(place)
        return self._former_store.read(place) if former is None and self._former_store is not None else former


def _newest(tiles: dict[Place, Tile]) -> dict[Place, Tile]:
    """The last ones of some tiles, as many as may be held."""
    points = np.cumsum([len(tile.place) for tile in reversed(tiles.values())])
    return dict(list(tiles.items())[len(tiles) - int(np.searchsorted(points, MOST_POINTS, side="right")) :])


def _joined(tiles: list[Tile]) -> Field:
    """The field of some tiles: points that several know are one, samples come first."""
    if not tiles:
        none = np.zeros(0)
        return Field(none, none, np.zeros(0, np.int32), none, np.zeros((0, 3), np.int32))
    place, first, row = np.unique(
        np.concatenate([tile.place for tile in tiles]), return_index=True, return_inverse=True
    )
    x, y = (np.concatenate([getattr(tile.field, axis) for tile in tiles])[first] for axis in ("x", "y"))
    samples = int(np.searchsorted(place, BLANK))
    link, fraction = (
        np.concatenate([_padded(getattr(tile.field, name), len(tile.place)) for tile in tiles])[first[:samples]]
        for name in ("link", "fraction")
    )
    begins = np.cumsum([0, *(len(tile.place) for tile in tiles[:-1])])
    triangles = [row[tile.field.triangles + begin] for tile, begin in zip(tiles, begins, strict=True)]
    return Field(x, y, link, fraction, np.concatenate(triangles).astype(np.int32))


def _padded(values: NDArray[np.generic], size: int) -> NDArray[np.generic]:
    return np.concatenate([values, np.zeros(size - len(values), values.dtype)])


def _blank_points(
    samples: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64], under: LinksUnderTiles
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Points of a hexagonal lattice of the plane away from all streets, between `low` and `high`, and their numbers."""
    low, high = np.maximum(low, under.low - 3 * OFF_STREET_M), np.minimum(high, under.high + 3 * OFF_STREET_M)
    across, up = OFF_STREET_M, OFF_STREET_M * 0.866
    column = np.arange(np.floor(low[0] / across), np.ceil(high[0] / across) + 1)
    row = np.arange(np.floor(low[1] / up), np.ceil(high[1] / up) + 1)
    columns, rows = (axis.ravel() for axis in np.meshgrid(column, row, indexing="ij"))
    lattice = np.column_stack([columns * across + (rows % 2) * across / 2, rows * up])
    place = BLANK + key_of_place(columns, rows)
    inside = ((lattice >= low) & (lattice <= high)).all(axis=1)
    lattice, place = lattice[inside], place[inside]
    blank = cKDTree(samples).query(lattice)[0] > OFF_STREET_M
    return lattice[blank], place[blank]
