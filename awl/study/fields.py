"""The fields on which areas are drawn, kept beside a study tile by tile: triangulating takes longer than reading."""

from __future__ import annotations

import contextlib
import os
import uuid
import zlib
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.field import Field, Place, Tile, TiledField
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.study import kept
from awl.study.litter import SCRATCH

LAYOUT = 3
KINDS = (np.int64, np.float64, np.float64, np.float64, np.int32, np.int32)
"""What a file of a tile holds: numbers of points, x, y, fractions, links, corners of triangles."""
HEAD = 4
"""Before it stand the sum of all that, and how many points, samples and triangles there are, 8 bytes each."""
MOST_TILES_AHEAD = 100
"""Fields of more tiles, those of regions, are made where areas are asked for, not ahead."""


class TileFolder:
    """Tiles as files of a folder, one for each; they appear whole or not at all.

    Parameters:
        folder: where they lie.
        is_lasting: whether tiles are stored; they are read in any case.
    """

    def __init__(self, folder: Path, is_lasting: bool) -> None:
        self._folder, self._is_lasting = folder, is_lasting

    def has(self, place: Place) -> bool:
        """Whether a tile is there."""
        return self._file(place).exists()

    def read(self, place: Place) -> Tile | None:
        """A tile; None where it is not there or damaged."""
        try:
            stored = self._file(place).read_bytes()
            head, data = np.frombuffer(stored, np.int64, HEAD), memoryview(stored)[HEAD * 8 :]
            if zlib.crc32(data) != head[0]:
                return None
            points, samples, triangles = head[1:].tolist()
            counts = (points, points, points, samples, samples, 3 * triangles)
            arrays, at = [], 0
            for kind, count in zip(KINDS, counts, strict=True):
                arrays.append(np.frombuffer(data, kind, count, at).copy())
                at += arrays[-1].nbytes
            number, x, y, fraction, link, corners = arrays
            return Tile(Field(x, y, link, fraction, corners.reshape(-1, 3)), number)
        except (OSError, ValueError):
            return None

    def write(self, place: Place, tile: Tile) -> None:
        """Store a tile where that is wanted and the disk takes it."""
        if not self._is_lasting:
            return
        field = tile.field
        arrays: tuple[NDArray[Any], ...] = (tile.place, field.x, field.y, field.fraction, field.link, field.triangles)
        data = b"".join(array.astype(kind).tobytes() for array, kind in zip(arrays, KINDS, strict=True))
        head = np.array([zlib.crc32(data), len(field.x), field.samples, len(field.triangles)], np.int64)
        scratch = self._folder.parent / f"{SCRATCH}{os.getpid()}-{uuid.uuid4().hex}"
        with contextlib.suppress(OSError):
            if not self._folder.exists():
                self._folder.mkdir(parents=True, exist_ok=True)
                kept.leave_newest(self._folder)
            try:
                scratch.write_bytes(head.tobytes() + data)
                scratch.replace(self._file(place))
            finally:
                scratch.unlink(missing_ok=True)

    def keep(self, tiles: dict[Place, Tile]) -> None:
        """Store tiles that are not there yet, and all that come from now on."""
        self._is_lasting = True
        for place, tile in tiles.items():
            if not self.has(place):
                self.write(place, tile)

    def _file(self, place: Place) -> Path:
        return self._folder / f"{place[0]}_{place[1]}.tile"


def kept_field(study: Path, network: Network, former: TiledField | None = None) -> TiledField:
    """The field of a network, whose tiles are read from the folder beside the study, or made.

    Those made anew are stored there; those made of a `former` one wait until `draw_ahead` says that it lasts.

    Parameters:
        study: the study file.
        network: the streets of a mode.
        former: the field before some of the streets were edited.
    """
    graph = network.graph
    made_of = (network.usable, graph.shape_start, graph.shape_m, *graph.shape_xy)
    folder = TileFolder(kept.place_of(study, "field", made_of, LAYOUT), is_lasting=former is None)
    return TiledField(network, folder, former)


def draw_ahead(field: TiledField, progress: Progress | None = None) -> None:
    """Make all tiles of the field of a town, and store those of any, now and as they come.

    Parameters:
        field: the field of a network of a study.
        progress: is told how far the work is, and stops it.
    """
    if isinstance(field.store, TileFolder):
        field.store.keep(field.cached())
    if field.tile_count <= MOST_TILES_AHEAD:
        field.complete(progress)
