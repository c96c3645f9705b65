"""Read some elements of an OSM PBF file in full: every tag, every reference, the version. All others pass by undecoded."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.osm_change.elements import Elements, OsmNode, OsmRelation, OsmWay, Tags, Wanted
from awl.core.graph.raw import Member
from awl.core.progress import Progress
from awl.io.osm_pbf import blobs, kernels
from awl.io.osm_pbf.blobs import Blob, Bytes
from awl.io.osm_pbf.spans import spans_of

Ints = NDArray[np.int64]
NANO = 1e9
MEMBER_KINDS = ("node", "way", "relation")
Fields = dict[int, tuple[int, int, int]]


def read_elements(path: Path, wanted: Wanted, progress: Progress | None = None) -> Elements:
    """Elements of a file by their ids, with the nodes of the ways among them.

    Parameters:
        path: the file.
        wanted: which.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: the file is no OSM PBF, cut short or damaged; the byte is named.
    """
    progress = progress or Progress()
    with path.open("rb") as stream:
        index = blobs.index(stream, path.stat().st_size, path.name)
        of_nodes, of_ways, of_relations = blobs.by_kind(stream, index, path.name)
        reader = _Reader(stream, path.name, progress, len(of_nodes) + len(of_ways) + len(of_relations))
        relations = {r.id: r for r in reader.relations(of_relations, _sorted(wanted.relations))}
        ways = {way.id: way for way in reader.ways(of_ways, _sorted(wanted.ways))}
        ids = _sorted([*wanted.nodes, *(ref for way in ways.values() for ref in way.refs)])
        return Elements({node.id: node for node in reader.nodes(of_nodes, ids)}, ways, relations)


def _sorted(ids: Iterable[int]) -> Ints:
    return np.unique(np.array(list(ids), np.int64))


class _Block:
    """An unpacked block: its strings, groups and numbers."""

    def __init__(self, content: Bytes, offset: int, name: str) -> None:
        self.content, self._offset, self._name = content, offset, name
        nothing = np.empty((0, 2), np.int64)
        self.numbers = np.array([100, 0, 0], np.int64)
        counts = kernels.layout(content, nothing, nothing, self.numbers)
        self.check(counts[0])
        self._strings, self.groups = np.empty((counts[0], 2), np.int64), np.empty((counts[1], 2), np.int64)
        kernels.layout(content, self._strings, self.groups, self.numbers)

    def check(self, count: int) -> None:
        """Raise when a kernel found the bytes malformed."""
        if count < 0:
            raise blobs.broken(self._name, self._offset, "A blob is malformed")

    def fields(self, begin: int, end: int) -> Fields:
        """Begin, end and value of each field of a message."""
        found: Fields = {}
        while begin < end:
            number, first, last, value, begin = kernels.field(self.content, begin, end)
            self.check(begin)
            found[number] = int(first), int(last), int(value)
        return found

    def packed(self, fields: Fields, number: int, delta: bool = False) -> list[int]:
        """A packed list of a message."""
        begin, end, _ = fields.get(number, (0, 0, 0))
        out = np.empty(end - begin, np.int64)
        count = kernels.numbers_of(self.content, begin, end, out, delta)
        self.check(count)
        return [int(value) for value in out[:count]]

    def text(self, number: int) -> str:
        """A string by its number."""
        self.check(0 if 0 <= number < len(self._strings) else kernels.BROKEN)
        begin, end = self._strings[number]
        return self.content[begin:end].tobytes().decode("utf-8", "replace")

    def tags(self, fields: Fields) -> Tags:
        """The tags of an element."""
        keys, values = self.packed(fields, 2), self.packed(fields, 3)
        self.check(0 if len(keys) == len(values) else kernels.BROKEN)
        return {self.text(key): self.text(value) for key, value in zip(keys, values, strict=True)}

    def version(self, fields: Fields) -> int:
        """The version of an element, 0 where none is told."""
        if 4 not in fields:
            return 0
        return max(self.fields(*fields[4][:2]).get(1, (0, 0, 0))[2], 0)

    def place(self, lon: int, lat: int) -> tuple[float, float]:
        """Degrees of a raw place."""
        scale, lat_offset, lon_offset = self.numbers.tolist()
        return (lon_offset + scale * lon) / NANO, (lat_offset + scale * lat) / NANO


class _Reader:
    """The three passes over the blobs."""

    def __init__(self, stream: BinaryIO, name: str, progress: Progress, steps: int) -> None:
        self._stream, self._name, self._progress = stream, name, progress
        self._steps, self._done = max(steps, 1), 0

    def _blocks(self, data: Sequence[Blob], what: str) -> Iterator[_Block]:
        for blob in data:
            content = blobs.unpack(blobs.packed_bytes(self._stream, blob), blob.offset, self._name)
            yield _Block(content, blob.offset, self._name)
            self._done += 1
            self._progress.step(self._done / self._steps, f"Reading {self._name}: {what}")

    def _messages(self, data: Sequence[Blob], what: str, number: int, wanted: Ints) -> Iterator[tuple[_Block, Fields]]:
        for block in self._blocks(data if len(wanted) else (), what):
            for begin, end in block.groups.tolist():
                spans = np.empty((len(wanted), 2), np.int64)
                count = spans_of(block.content, begin, end, number, wanted, spans)
                block.check(count)
                yield from ((block, block.fields(*span)) for span in spans[:count].tolist())

    def ways(self, data: Sequence[Blob], wanted: Ints) -> Iterator[OsmWay]:
        """The wanted ways."""
        for block, fields in self._messages(data, "ways", kernels.WAYS, wanted):
            yield OsmWay(fields[1][2], block.version(fields), tuple(block.packed(fields, 8, True)), block.tags(fields))

    def relations(self, data: Sequence[Blob], wanted: Ints) -> Iterator[OsmRelation]:
        """The wanted relations."""
        for block, fields in self._messages(data, "relations", kernels.RELATIONS, wanted):
            roles, refs, kinds = block.packed(fields, 8), block.packed(fields, 9, True), block.packed(fields, 10)
            block.check(0 if len(roles) == len(refs) == len(kinds) and max(kinds, default=0) < 3 else kernels.BROKEN)
            members: tuple[Member, ...] = tuple(
                (block.text(role), MEMBER_KINDS[kind], ref) for role, kind, ref in zip(roles, kinds, refs, strict=True)
            )
            yield OsmRelation(fields[1][2], block.version(fields), members, block.tags(fields))

    def nodes(self, data: Sequence[Blob], wanted: Ints) -> Iterator[OsmNode]:
        """The wanted nodes, dense or plain."""
        for block in self._blocks(data if len(wanted) else (), "nodes"):
            for begin, end in block.groups.tolist():
                number, first, last, _, after = kernels.field(block.content, begin, end)
                block.check(after)
                if number == kernels.DENSE:
                    yield from self._dense(block, block.fields(first, last), wanted)
                    continue
                spans = np.empty((len(wanted), 2), np.int64)
                count = spans_of(block.content, begin, end, kernels.NODES, wanted, spans)
                block.check(count)
                for span in spans[:count].tolist():
                    fields = block.fields(*span)
                    ident, lon, lat = (_unzigzag(fields[field][2]) for field in (1, 9, 8))
                    yield OsmNode(ident, block.version(fields), *block.place(lon, lat), block.tags(fields))

    @staticmethod
    def _dense(block: _Block, fields: Fields, wanted: Ints) -> Iterator[OsmNode]:
        ids = np.array(block.packed(fields, 1, True), np.int64)
        rows = np.flatnonzero(np.isin(ids, wanted))
        if len(rows) == 0:
            return
        lats, lons = block.packed(fields, 8, True), block.packed(fields, 9, True)
        block.check(0 if len(lats) == len(lons) == len(ids) else kernels.BROKEN)
        versions = block.packed(block.fields(*fields[5][:2]), 1) if 5 in fields else []
        tags = _dense_tags(block, block.packed(fields, 10), len(ids))
        for row in rows.tolist():
            version = versions[row] if len(versions) == len(ids) else 0
            yield OsmNode(int(ids[row]), max(version, 0), *block.place(lons[row], lats[row]), tags[row])


def _dense_tags(block: _Block, numbers: list[int], count: int) -> list[Tags]:
    """The tags of dense nodes: keys and values one after another, 0 at the end of each node."""
    found: list[Tags] = [{}]
    at = iter(numbers)
    for key in at:
        if key == 0:
            found.append({})
        else:
            found[-1][block.text(key)] = block.text(next(at, -1))
    return found[:count] + [{}] * max(count - len(found), 0)


def _unzigzag(value: int) -> int:
    return (value >> 1) ^ -(value & 1)
