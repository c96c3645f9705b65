"""Read OSM PBF in bounded memory: relations first, then ways, then the nodes these need.

Only what streets and the base map need is kept (`raw.WAY_SELECT`, `raw.NODE_SELECT`), about 24 bytes per vertex; the rest
passes by, blob for blob. In a file sorted by type (as nearly all are) every blob is unpacked once; otherwise once per pass.
Unpacking and decoding run ahead in threads; only the merging is done in order.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO, TypeVar

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import MISSING, Categorical
from awl.core.errors import AwlError
from awl.core.graph.cleaning import cleaned
from awl.core.graph.raw import (
    NODE_KEYS,
    NODE_SELECT,
    RELATION_KEYS,
    RELATION_SELECT,
    WAY_KEYS,
    WAY_SELECT,
    RawExtract,
    Relation,
    Restriction,
    relation_of,
)
from awl.core.progress import Progress
from awl.io.osm_pbf import blobs, kernels
from awl.io.osm_pbf.blobs import Blob, Bytes
from awl.io.osm_pbf.kernel_arrays import Group, MemberRoom, TagRoom

T = TypeVar("T")
Ints = NDArray[np.int64]
TagRows = tuple[Ints, NDArray[np.int16], Ints]
KeyedTags = tuple[Ints, Ints, NDArray[np.int32], Ints, Ints]
AHEAD = 3
"""Blobs unpacked and decoded ahead of their use: both threads stay busy, and little lies in memory."""
NANO = 1e9
"""Coordinates are whole nanodegrees; dividing gives the same float as reading the decimal."""
MEMBER_KINDS = ("node", "way", "relation")


def read(path: Path, progress: Progress | None = None) -> RawExtract:
    """The nodes, ways and multipolygons of an extract.

    Raises `AwlError` with the byte offset when the file is no OSM PBF, cut short, damaged, or needs an unknown feature.

    Parameters:
        path: the file.
        progress: is told how far the work is, and stops it.
    """
    progress = progress or Progress()
    size = path.stat().st_size
    if size == 0:
        raise AwlError("The file is empty", where=path.name, remedy="Give a map extract in OSM PBF")
    with path.open("rb") as stream, ThreadPoolExecutor(2) as pool:
        blob_index = blobs.index(stream, size, path.name)
        of_nodes, of_ways, of_relations = blobs.by_kind(stream, blob_index, path.name)
        steps = len(of_nodes) + len(of_ways) + len(of_relations)
        reader = _Reader(stream, pool, path.name, progress, steps)
        relations, restrictions = reader.relations(of_relations)
        members = np.unique(np.array([ref for r in relations for ref in r.outer + r.inner], np.int64))
        ways = reader.ways(of_ways, members)
        nodes = reader.nodes(of_nodes, _distinct(ways[2]))
        return cleaned(
            RawExtract(*nodes, *ways, relations=relations, restrictions=restrictions, ways_seen=reader.ways_seen)
        )


def _distinct(ids: NDArray[np.int64]) -> NDArray[np.int64]:
    """The distinct ids in ascending order; sorting beats hashing here by far."""
    ordered = np.sort(ids)
    first = np.ones(len(ordered), bool)
    first[1:] = ordered[1:] != ordered[:-1]
    return ordered[first]


class _Tags:
    """Known tags of the elements kept so far; becomes one column per key."""

    def __init__(self, keys: Sequence[str]) -> None:
        self._keys = keys
        self._index: list[dict[str, int]] = [{} for _ in keys]
        self._found: list[list[tuple[NDArray[np.int64], NDArray[np.int32]]]] = [[] for _ in keys]

    def add(self, block: _Block, first_row: int, tags: KeyedTags) -> None:
        """Tags of one group, from `kernels.by_key`; its elements are numbered from `first_row` on.

        Parameters:
            block: the block it is of.
            first_row: the number of its first element.
            tags: tags sorted by key.
        """
        start, rows, code, distinct_start, distinct = tags
        for number in np.flatnonzero(np.diff(start)).tolist():
            index = self._index[number]
            texts = distinct[distinct_start[number] : distinct_start[number + 1]].tolist()
            codes = np.array([index.setdefault(block.text(text), len(index)) for text in texts], np.int32)
            tag_range = slice(start[number], start[number + 1])
            self._found[number].append((rows[tag_range] + first_row, codes[code[tag_range]]))

    def columns(self, count: int) -> dict[str, Categorical]:
        """A column of length `count` for each key that occurs.

        Parameters:
            count: how many elements there are.
        """
        by_key = {}
        for key, index, texts in zip(self._keys, self._index, self._found, strict=True):
            if texts:
                codes = np.full(count, MISSING, np.int32)
                for rows, values in texts:
                    codes[rows] = values
                by_key[key] = Categorical(codes, tuple(index))
        return by_key


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
        """Raise when a kernel found the bytes malformed.

        Parameters:
            counts: what the kernel returned.
        """
        if (counts if isinstance(counts, int) else counts[0]) < 0:
            raise blobs.broken(self._name, self._offset, "A blob is malformed")

    def group(self, keys: _Keys, begin: int, end: int) -> Group:
        """Some of its bytes, as kernels take them.

        Parameters:
            keys: the keys that matter.
            begin: where they begin.
            end: where they end.
        """
        return Group(self.content, begin, end, self.key_of, keys.selects)

    def keyed(self, keys: _Keys, tags: TagRows) -> KeyedTags:
        """Tags sorted by key, values numbered.

        Parameters:
            keys: the keys that matter.
            tags: rows, keys and values of the tags.
        """
        keyed: KeyedTags = kernels.by_key(*tags, len(keys.keys), len(self.strings))
        return keyed

    def text(self, number: int) -> str:
        """A string by its number.

        Parameters:
            number: the number of the string.
        """
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

    def numbers(self, content: Bytes, strings: Ints) -> NDArray[np.int16]:
        """The number of the key that each string (s,) spells, -1 for other strings.

        Parameters:
            content: the bytes of the block.
            strings: spans (s, 2) of the strings.
        """
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

    def __init__(self, stream: BinaryIO, pool: ThreadPoolExecutor, name: str, progress: Progress, steps: int) -> None:
        self._stream, self._pool, self._name = stream, pool, name
        self._progress, self._steps, self._done = progress, max(steps, 1), 0
        self.ways_seen = 0

    def _decoded(
        self, data: Sequence[Blob], keys: _Keys, what: str, decode: Callable[[_Block, int, int], T]
    ) -> Iterator[tuple[_Block, T]]:
        """Each group of each blob, decoded; in file order. Unpacking and decoding run ahead, in threads."""
        pending: deque[Future[tuple[_Block, list[T]]]] = deque()
        rest = iter(data)

        def work(blob: Blob) -> tuple[_Block, list[T]]:
            content = blobs.unpack(blobs.packed_bytes(self._stream, blob), blob.offset, self._name)
            block = _Block(content, blob.offset, self._name, keys)
            return block, [decode(block, begin, end) for begin, end in block.groups.tolist()]

        while True:
            while len(pending) < AHEAD and (blob := next(rest, None)) is not None:
                pending.append(self._pool.submit(work, blob))
            if not pending:
                return
            block, groups = pending.popleft().result()
            yield from ((block, group) for group in groups)
            self._done += 1
            self._progress.step(self._done / self._steps, f"Reading {self._name}: {what}")

    def relations(self, data: Sequence[Blob]) -> tuple[tuple[Relation, ...], tuple[Restriction, ...]]:
        """Multipolygons with a tag the base map draws, and turn restrictions.

        Parameters:
            data: the blobs that may hold relations.
        """
        keys = _Keys(RELATION_KEYS, RELATION_SELECT)

        def decode(block: _Block, begin: int, end: int) -> list[Relation | Restriction]:
            room = end - begin
            ids, listed = np.empty(room, np.int64), MemberRoom(*(np.empty(room, np.int64) for _ in range(4)))
            tag = _room_for_tags(room)
            counts = kernels.relations(block.group(keys, begin, end), ids, listed, tag)
            block.whole(counts)
            tags: list[dict[str, str]] = [{} for _ in range(counts[0])]
            for row, key, value in zip(*(column[: counts[2]].tolist() for column in tag), strict=True):
                tags[row][keys.keys[key]] = block.text(value)
            relations, start = [], 0
            for row in range(counts[0]):
                rows = range(start, listed.end[row])
                start = int(listed.end[row])
                members = [(block.text(listed.role[i]), _kind(listed.kind[i]), int(listed.id[i])) for i in rows]
                relation = relation_of(int(ids[row]), tags[row], members)
                if relation is not None:
                    relations.append(relation)
            return relations

        every = [r for _, group in self._decoded(data, keys, "relations", decode) for r in group]
        return (
            tuple(r for r in every if isinstance(r, Relation)),
            tuple(r for r in every if isinstance(r, Restriction)),
        )

    def ways(self, data: Sequence[Blob], members: Ints) -> tuple[Ints, Ints, Ints, dict[str, Categorical]]:
        """Ids, offsets, references and tags of the ways that are streets, drawn, or members of a multipolygon.

        Parameters:
            data: the blobs that may hold ways.
            members: sorted ids of the ways that multipolygons need.
        """
        keys = _Keys(WAY_KEYS, WAY_SELECT)

        def decode(block: _Block, begin: int, end: int) -> tuple[Ints, Ints, Ints, KeyedTags, int]:
            room = end - begin
            ids, ends, refs = (np.empty(room, np.int64) for _ in range(3))
            tag = _room_for_tags(room)
            counts = kernels.ways(block.group(keys, begin, end), members, ids, ends, refs, tag)
            block.whole(counts)
            n_ways, n_refs, n_tags, seen = counts
            keyed = block.keyed(keys, _first(tag, n_tags))
            return ids[:n_ways].copy(), ends[:n_ways].copy(), refs[:n_refs].copy(), keyed, seen

        tags = _Tags(keys.keys)
        all_ids, all_ends, all_refs = [], [], []
        count, total = 0, 0
        for block, (ids, ends, refs, keyed, seen) in self._decoded(data, keys, "ways", decode):
            self.ways_seen += seen
            tags.add(block, count, keyed)
            all_ids.append(ids)
            all_ends.append(ends + total)
            all_refs.append(refs)
            count, total = count + len(ids), total + len(refs)
        nothing = np.zeros(0, np.int64)
        start = np.concatenate([[0], *all_ends]).astype(np.int64)
        return np.concatenate([nothing, *all_ids]), start, np.concatenate([nothing, *all_refs]), tags.columns(count)

    def nodes(
        self, data: Sequence[Blob], needed: Ints
    ) -> tuple[Ints, NDArray[np.float64], NDArray[np.float64], Ints, dict[str, Categorical]]:
        """Ids and degrees of the nodes among the sorted `needed` and of those with a tag that counts; tags of these.

        Parameters:
            data: the blobs that may hold nodes.
            needed: sorted ids of the nodes that ways need.
        """
        keys = _Keys(NODE_KEYS, NODE_SELECT)
        lat, lon, is_found = np.empty(len(needed)), np.empty(len(needed)), np.zeros(len(needed), bool)

        def decode(block: _Block, begin: int, end: int) -> _Tagged:
            ids, raw_lat, raw_lon, rows, key, value = _nodes_of_group(block, begin, end, keys)
            scale, lat_offset, lon_offset = block.numbers.tolist()
            here_lat, here_lon = (lat_offset + scale * raw_lat) / NANO, (lon_offset + scale * raw_lon) / NANO
            where = np.empty(len(ids), np.int64)
            # Blobs hold different nodes, so threads write to different places.
            kernels.place_nodes(ids, here_lat, here_lon, needed, lat, lon, is_found, where)
            owner, nth = np.unique(rows, return_inverse=True)
            return _Tagged(
                ids[owner], here_lat[owner], here_lon[owner], where[owner], block.keyed(keys, (nth, key, value))
            )

        tags = _Tags(keys.keys)
        more_id, more_lat, more_lon, places = [], [], [], []
        extra, count = 0, 0
        for block, one in self._decoded(data, keys, "nodes", decode):
            # Tagged nodes that no way needs come after the needed ones.
            alone = one.where < 0
            places.append(np.where(alone, len(needed) + extra + np.cumsum(alone) - 1, one.where))
            more_id.append(one.ids[alone])
            more_lat.append(one.lat[alone])
            more_lon.append(one.lon[alone])
            tags.add(block, count, one.tags)
            extra, count = extra + int(alone.sum()), count + len(one.ids)
        nothing = np.zeros(0, np.int64)
        row_of = np.cumsum(np.concatenate([is_found, np.ones(extra, bool)])) - 1
        return (
            np.concatenate([needed[is_found], nothing, *more_id]),
            np.concatenate([lon[is_found], *more_lon]),
            np.concatenate([lat[is_found], *more_lat]),
            row_of[np.concatenate([nothing, *places])],
            tags.columns(count),
        )


@dataclass(frozen=True)
class _Tagged:
    """Nodes of a group with tags that count: ids, degrees, place among the needed nodes (or -1), and the tags."""

    ids: Ints
    lat: NDArray[np.float64]
    lon: NDArray[np.float64]
    where: Ints
    tags: KeyedTags


def _nodes_of_group(block: _Block, begin: int, end: int, keys: _Keys) -> tuple[Ints, Ints, Ints, Ints, Any, Ints]:
    """Nodes of a group, dense or plain: ids, raw latitudes and longitudes, and row, key and value of their tags."""
    number, first, last, _, after = kernels.field(block.content, begin, end)
    block.whole(int(after))
    ids, lats, lons = (np.empty(end - begin, np.int64) for _ in range(3))
    tag = _room_for_tags(end - begin)
    count, n_tags = 0, 0
    if number == kernels.DENSE:
        span = np.empty(2, np.int64)
        count = kernels.dense_nodes(block.content, first, last, ids, lats, lons, span)
        block.whole(count)
        n_tags = kernels.dense_tags(block.group(keys, span[0], span[1]), tag)
    elif number == kernels.NODES:
        count, n_tags = kernels.plain_nodes(block.group(keys, begin, end), ids, lats, lons, tag)
        block.whole(count)
    block.whole(n_tags)
    rows, key, value = _first(tag, n_tags)
    if n_tags and rows[-1] >= count:
        block.whole(kernels.BROKEN)
    return ids[:count], lats[:count], lons[:count], rows, key, value


def _kind(number: int) -> str:
    """What kind of element a member is; an unknown number is none we look for."""
    return MEMBER_KINDS[number] if 0 <= number < len(MEMBER_KINDS) else "unknown"


def _room_for_tags(room: int) -> TagRoom:
    """Element row, number of the key and string number of the value, for as many tags as `room` bytes can hold."""
    most = room // 2 + 1
    return TagRoom(np.empty(most, np.int64), np.empty(most, np.int16), np.empty(most, np.int64))


def _first(tag: TagRows, count: int) -> TagRows:
    return tag[0][:count], tag[1][:count], tag[2][:count]
