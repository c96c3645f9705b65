"""Read OSM PBF in bounded memory: relations first, then ways, then the nodes these need.

Only what streets and the base map need is kept (`raw.WAY_SELECT`, `raw.NODE_SELECT`), about 24 bytes per vertex; the rest
passes by, blob for blob. In a file sorted by type (as nearly all are) every blob is unpacked once; otherwise once per pass.
Unpacking runs one step ahead in threads of its own.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import MISSING, Categorical
from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.streets.raw import (
    NODE_KEYS,
    NODE_SELECT,
    RELATION_KEYS,
    RELATION_SELECT,
    WAY_KEYS,
    WAY_SELECT,
    RawExtract,
    Relation,
)
from awl.formats.osm_pbf import blobs, kernels
from awl.formats.osm_pbf.blobs import Blob, Bytes

Spans = NDArray[np.int64]
AHEAD = 4
NANO = 1e9
"""Coordinates are whole nanodegrees; dividing gives the same float as reading the decimal."""
MEMBER_WAY = 1


def read(path: Path, progress: Progress | None = None) -> RawExtract:
    """The nodes, ways and multipolygons of an extract.

    Raises `AwlError` with the byte offset when the file is no OSM PBF, cut short, damaged, or needs an unknown feature.
    """
    progress = progress or Progress()
    size = path.stat().st_size
    if size == 0:
        raise AwlError("The file is empty", where=path.name, remedy="Give a map extract in OSM PBF")
    with path.open("rb") as stream, ThreadPoolExecutor(2) as pool:
        found = blobs.index(stream, size, path.name)
        head, data = found[0], [blob for blob in found if blob.kind == "OSMData"]
        content = blobs.unpack(blobs.packed_bytes(stream, head), head.offset, path.name)
        nodes_until, ways_until = len(data), len(data)
        ways_from, relations_from = 0, 0
        if blobs.check_header(content, head.offset, path.name):
            nodes_until = blobs.boundary(stream, data, kernels.WAYS, path.name)
            ways_until = blobs.boundary(stream, data, kernels.RELATIONS, path.name)
            # The blob before a boundary may hold both kinds.
            ways_from, relations_from = max(nodes_until - 1, 0), max(ways_until - 1, 0)
        reader = _Reader(stream, pool, path.name, progress, len(data) * 2)
        relations = reader.relations(data[relations_from:])
        members = np.unique(np.array([ref for r in relations for ref in r.outer + r.inner], np.int64))
        ways = reader.ways(data[ways_from:ways_until], members)
        nodes = reader.nodes(data[:nodes_until], np.unique(ways[2]))
        return RawExtract(*nodes, *ways, relations=relations)


class _Tags:
    """Known tags of the elements kept so far; becomes one column per key."""

    def __init__(self, keys: Sequence[str]) -> None:
        self._keys = keys
        self._index: list[dict[str, int]] = [{} for _ in keys]
        self._found: list[list[tuple[NDArray[np.int64], NDArray[np.int32]]]] = [[] for _ in keys]

    def add(self, block: _Block, rows: NDArray[np.int64], key: NDArray[np.int16], value: NDArray[np.int64]) -> None:
        """Tags of one block: element row, number of the key, string number of the value."""
        if not len(rows):
            return
        pair = key.astype(np.int64) << 32 | value
        distinct, inverse = np.unique(pair, return_inverse=True)
        code = np.empty(len(distinct), np.int32)
        for i, both in enumerate(distinct.tolist()):
            index = self._index[both >> 32]
            code[i] = index.setdefault(block.text(both & 0xFFFFFFFF), len(index))
        codes = code[inverse]
        for number in np.unique(key).tolist():
            mine = key == number
            self._found[number].append((rows[mine], codes[mine]))

    def columns(self, count: int) -> dict[str, Categorical]:
        """A column of length `count` for each key that occurs."""
        made = {}
        for key, index, found in zip(self._keys, self._index, self._found, strict=True):
            if found:
                codes = np.full(count, MISSING, np.int32)
                for rows, values in found:
                    codes[rows] = values
                made[key] = Categorical(codes, tuple(index))
        return made


class _Block:
    """An unpacked block: its strings and groups."""

    def __init__(self, content: Bytes, offset: int, name: str, keys: _Keys) -> None:
        self.content, self._offset, self._name = content, offset, name
        nothing = np.empty((0, 2), np.int64)
        self.numbers = np.array([100, 0, 0], np.int64)
        counts = kernels.layout(content, nothing, nothing, self.numbers)
        self.whole(counts)
        self.strings, self.groups = np.empty((counts[0], 2), np.int64), np.empty((counts[1], 2), np.int64)
        kernels.layout(content, self.strings, self.groups, self.numbers)
        self.key_of = keys.numbers(content, self.strings)

    def whole(self, counts: Sequence[int] | int) -> None:
        """Raise when a kernel found the bytes malformed."""
        if (counts if isinstance(counts, int) else counts[0]) < 0:
            raise blobs.broken(self._name, self._offset, "A blob is malformed")

    def text(self, number: int) -> str:
        """A string by its number."""
        begin, end = self.strings[number]
        return self.content[begin:end].tobytes().decode("utf-8", "replace")


class _Keys:
    """Finds known keys among the strings of a block by their hash."""

    def __init__(self, keys: Sequence[str], selects: Sequence[str]) -> None:
        self.keys = tuple(keys)
        self.selects = np.array([key in selects for key in keys])
        self._longest = max(len(key) for key in keys)
        text = "".join(keys).encode()
        ends = np.cumsum([len(key) for key in keys])
        spans = np.column_stack([ends - [len(key) for key in keys], ends]).astype(np.int64)
        hashed = kernels.hashes(np.frombuffer(text, np.uint8), spans, self._longest)
        self._order = np.argsort(hashed)
        self._hashed = hashed[self._order]

    def numbers(self, content: Bytes, strings: Spans) -> NDArray[np.int16]:
        """The number of the key that each string (s,) spells, -1 for other strings."""
        out = np.full(len(strings), -1, np.int16)
        if len(strings) == 0:
            return out
        hashed = kernels.hashes(content, strings, self._longest)
        place = np.minimum(np.searchsorted(self._hashed, hashed), len(self._hashed) - 1)
        for row in np.flatnonzero(self._hashed[place] == hashed).tolist():
            number = int(self._order[place[row]])
            begin, end = strings[row]
            if content[begin:end].tobytes() == self.keys[number].encode():
                out[row] = number
        return out


class _Reader:
    """The three passes over the blobs."""

    def __init__(
        self, stream: BinaryIO, pool: ThreadPoolExecutor, name: str, progress: Progress, steps: int
    ) -> None:
        self._stream, self._pool, self._name = stream, pool, name
        self._progress, self._steps, self._done = progress, max(steps, 1), 0

    def _blocks(self, data: Sequence[Blob], keys: _Keys, what: str) -> Iterator[_Block]:
        """Unpacked blocks in file order; unpacking runs ahead."""
        waiting: deque[tuple[Blob, Future[Bytes]]] = deque()
        rest = iter(data)
        while True:
            while len(waiting) < AHEAD and (blob := next(rest, None)) is not None:
                packed = blobs.packed_bytes(self._stream, blob)
                waiting.append((blob, self._pool.submit(blobs.unpack, packed, blob.offset, self._name)))
            if not waiting:
                return
            blob, content = waiting.popleft()
            yield _Block(content.result(), blob.offset, self._name, keys)
            self._done += 1
            self._progress.step(self._done / self._steps, f"Reading {self._name}: {what}")

    def relations(self, data: Sequence[Blob]) -> tuple[Relation, ...]:
        """Multipolygons with a tag the base map draws."""
        keys = _Keys(RELATION_KEYS, RELATION_SELECT)
        found: list[Relation] = []
        for block in self._blocks(data, keys, "relations"):
            for begin, end in block.groups.tolist():
                room = end - begin
                ids, member_end = np.empty(room, np.int64), np.empty(room, np.int64)
                member_id, member_type, member_role = (np.empty(room, np.int64) for _ in range(3))
                tag = np.empty(room, np.int64), np.empty(room, np.int16), np.empty(room, np.int64)
                counts = kernels.relations(
                    block.content, begin, end, block.key_of, keys.selects, ids, member_end, member_id, member_type,
                    member_role, *tag,
                )  # fmt: skip
                block.whole(counts)
                tags: list[dict[str, str]] = [{} for _ in range(counts[0])]
                for row, key, value in zip(*(column[: counts[2]].tolist() for column in tag), strict=True):
                    tags[row][keys.keys[key]] = block.text(value)
                start = 0
                for row in range(counts[0]):
                    rows = [i for i in range(start, member_end[row]) if member_type[i] == MEMBER_WAY]
                    start = int(member_end[row])
                    if tags[row].get("type") != "multipolygon":
                        continue
                    inner = {i for i in rows if block.text(member_role[i]) == "inner"}
                    found.append(
                        Relation(
                            int(ids[row]),
                            tags[row],
                            tuple(int(member_id[i]) for i in rows if i not in inner),
                            tuple(int(member_id[i]) for i in rows if i in inner),
                        )
                    )
        return tuple(found)

    def ways(
        self, data: Sequence[Blob], members: NDArray[np.int64]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], dict[str, Categorical]]:
        """Ids, offsets, references and tags of the ways that are streets, drawn, or members of a multipolygon."""
        keys = _Keys(WAY_KEYS, WAY_SELECT)
        tags = _Tags(keys.keys)
        all_ids, all_ends, all_refs = [], [], []
        count, total = 0, 0
        for block in self._blocks(data, keys, f"{count:,} ways kept"):
            for begin, end in block.groups.tolist():
                room = end - begin
                ids, ends, refs = (np.empty(room, np.int64) for _ in range(3))
                tag = np.empty(room, np.int64), np.empty(room, np.int16), np.empty(room, np.int64)
                counts = kernels.ways(
                    block.content, begin, end, block.key_of, keys.selects, members, ids, ends, refs, *tag
                )
                block.whole(counts)
                kept, n_refs, n_tags, _ = counts
                rows, key, value = (column[:n_tags] for column in tag)
                tags.add(block, rows + count, key, value)
                all_ids.append(ids[:kept].copy())
                all_ends.append(ends[:kept] + total)
                all_refs.append(refs[:n_refs].copy())
                count, total = count + kept, total + n_refs
        nothing = np.zeros(0, np.int64)
        start = np.concatenate([[0], *all_ends]).astype(np.int64)
        return np.concatenate([nothing, *all_ids]), start, np.concatenate([nothing, *all_refs]), tags.columns(count)

    def nodes(
        self, data: Sequence[Blob], needed: NDArray[np.int64]
    ) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64], NDArray[np.int64], dict[str, Categorical]]:
        """Ids and degrees of the nodes among the sorted `needed` and of those with a tag that counts; tags of these."""
        keys = _Keys(NODE_KEYS, NODE_SELECT)
        tags = _Tags(keys.keys)
        lat, lon, found = np.empty(len(needed)), np.empty(len(needed)), np.zeros(len(needed), bool)
        more_id, more_lat, more_lon, tagged = [], [], [], []
        extra, count = 0, 0
        for block in self._blocks(data, keys, "nodes"):
            scale, lat_offset, lon_offset = block.numbers.tolist()
            for begin, end in block.groups.tolist():
                ids, raw_lat, raw_lon, rows, key, value = self._group(block, begin, end, keys)
                here_lat, here_lon = (lat_offset + scale * raw_lat) / NANO, (lon_offset + scale * raw_lon) / NANO
                self._on_earth(ids, here_lat, here_lon)
                where = np.empty(len(ids), np.int64)
                kernels.place_nodes(ids, here_lat, here_lon, needed, lat, lon, found, where)
                owner, nth = np.unique(rows, return_inverse=True)
                # Tagged nodes that no way needs come after the needed ones.
                alone = where[owner] < 0
                place = np.where(alone, len(needed) + extra + np.cumsum(alone) - 1, where[owner])
                tagged.append(place)
                more_id.append(ids[owner[alone]])
                more_lat.append(here_lat[owner[alone]])
                more_lon.append(here_lon[owner[alone]])
                tags.add(block, nth + count, key, value)
                extra, count = extra + int(alone.sum()), count + len(owner)
        nothing, rows_kept = np.zeros(0, np.int64), np.concatenate([found, np.ones(extra, bool)])
        row_of = np.cumsum(rows_kept) - 1
        return (
            np.concatenate([needed[found], nothing, *more_id]),
            np.concatenate([lon[found], *more_lon]),
            np.concatenate([lat[found], *more_lat]),
            row_of[np.concatenate([nothing, *tagged])],
            tags.columns(count),
        )

    def _group(self, block: _Block, begin: int, end: int, keys: _Keys) -> tuple[NDArray[np.int64], ...]:
        """Nodes of a group, dense or plain: ids, raw latitudes and longitudes, and row, key and value of their tags."""
        number, first, last, _, after = kernels.field(block.content, begin, end)
        block.whole(after)
        room = end - begin
        ids, lats, lons = (np.empty(room, np.int64) for _ in range(3))
        tag = np.empty(room, np.int64), np.empty(room, np.int16), np.empty(room, np.int64)
        if number == kernels.DENSE:
            span = np.empty(2, np.int64)
            count = kernels.dense_nodes(block.content, first, last, ids, lats, lons, span)
            block.whole(count)
            n_tags = kernels.dense_tags(block.content, span[0], span[1], block.key_of, keys.selects, *tag)
        elif number == kernels.NODES:
            count, n_tags = kernels.plain_nodes(
                block.content, begin, end, block.key_of, keys.selects, ids, lats, lons, *tag
            )
        else:
            count, n_tags = 0, 0
        block.whole(count)
        block.whole(n_tags)
        rows, key, value = (column[:n_tags] for column in tag)
        if n_tags and rows[-1] >= count:
            block.whole(kernels.BROKEN)
        return ids[:count], lats[:count], lons[:count], rows, key, value

    def _on_earth(
        self, ids: NDArray[np.int64], lat: NDArray[np.float64], lon: NDArray[np.float64]
    ) -> None:
        off = np.flatnonzero((np.abs(lat) > 90) | (np.abs(lon) > 180))
        if len(off):
            i = int(off[0])
            raise AwlError(
                f"Node {ids[i]} lies at lon {lon[i]:.4f}, lat {lat[i]:.4f}, which is not on Earth", where=self._name
            )
