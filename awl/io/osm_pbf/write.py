"""Write OSM PBF: sorted by type and id, dense nodes, zlib packed, 8,000 elements to a blob.

Encoding is compiled too, so that regions of millions of nodes are written in seconds. No history, users or dates are
written: every byte follows from the data, and the same data gives the same file.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from awl.core.kernels import njit_no_refcount

BLOCK = 8000
LEVEL = 9
PROGRAM = b"Awl"
MEMBER_TYPES = {"node": 0, "way": 1, "relation": 2}


@dataclass(frozen=True)
class Tags:
    """Tags of n elements: those of element i are rows `start[i]` to `start[i + 1]` of `key` and `value`.

    Both are numbers into `texts`, whose entry 0 is the empty text.
    """

    start: NDArray[np.int64]
    key: NDArray[np.int64]
    value: NDArray[np.int64]
    texts: Sequence[str]

    @classmethod
    def of(cls, tags: Sequence[dict[str, str]]) -> Tags:
        """From a mapping per element.

        Parameters:
            tags: a mapping per element.
        """
        index = {"": 0}
        start, key, value = [0], [], []
        for one in tags:
            for k, v in one.items():
                key.append(index.setdefault(k, len(index)))
                value.append(index.setdefault(v, len(index)))
            start.append(len(key))
        return cls(np.array(start, np.int64), np.array(key, np.int64), np.array(value, np.int64), tuple(index))


@dataclass(frozen=True)
class Extract:
    """What is written. Nodes (n,) with coordinates in whole 1e-7 degrees, ways (w,), relations; ids ascend.

    The node ids of way i are `way_refs[way_start[i]:way_start[i + 1]]`. Relations are (id, members, tags), a member
    being (type, id, role).
    """

    node_id: NDArray[np.int64]
    node_lon: NDArray[np.int64]
    node_lat: NDArray[np.int64]
    node_tags: Tags
    way_id: NDArray[np.int64]
    way_start: NDArray[np.int64]
    way_refs: NDArray[np.int64]
    way_tags: Tags
    relations: Sequence[tuple[int, Sequence[tuple[str, int, str]], dict[str, str]]] = field(default=())


def write(path: Path, extract: Extract) -> None:
    """Write the file whole or not at all.

    Parameters:
        path: the file.
        extract: what is written.
    """
    scratch = path.with_name(f".{path.name}.new")
    with scratch.open("wb") as out, ThreadPoolExecutor(2) as pool:
        out.write(_framed(b"OSMHeader", _packed(_header(extract))))
        for packed in pool.map(_packed, _blocks(extract)):
            out.write(_framed(b"OSMData", packed))
    scratch.replace(path)


def _blocks(extract: Extract) -> Iterator[bytes]:
    for a in range(0, len(extract.node_id), BLOCK):
        yield _node_block(extract, a, min(a + BLOCK, len(extract.node_id)))
    for a in range(0, len(extract.way_id), BLOCK):
        yield _way_block(extract, a, min(a + BLOCK, len(extract.way_id)))
    for a in range(0, len(extract.relations), BLOCK):
        yield _relation_block(extract.relations[a : a + BLOCK])


def _framed(kind: bytes, packed: bytes) -> bytes:
    head = _bytes_field(1, kind) + _number_field(3, len(packed))
    return len(head).to_bytes(4, "big") + head + packed


def _packed(content: bytes) -> bytes:
    return _number_field(2, len(content)) + _bytes_field(3, zlib.compress(content, LEVEL))


def _header(extract: Extract) -> bytes:
    box = b""
    if len(extract.node_id):
        edges = (extract.node_lon.min(), extract.node_lon.max(), extract.node_lat.max(), extract.node_lat.min())
        box = b"".join(_number_field(i, _zigzag(int(edge) * 100)) for i, edge in enumerate(edges, 1))
    features = (
        _bytes_field(4, b"OsmSchema-V0.6") + _bytes_field(4, b"DenseNodes") + _bytes_field(5, b"Sort.Type_then_ID")
    )
    return _bytes_field(1, box) + features + _bytes_field(16, PROGRAM)


def _node_block(extract: Extract, a: int, b: int) -> bytes:
    tags = extract.node_tags
    first, last = int(tags.start[a]), int(tags.start[b])
    texts, key, value = _local_texts(tags.texts, tags.key[first:last], tags.value[first:last])
    parts = [
        _bytes_field(number, _varints(_zigzags(_deltas(column[a:b]))))
        for number, column in ((1, extract.node_id), (8, extract.node_lat), (9, extract.node_lon))
    ]
    if last > first:
        # key, value, key, value, 0 for each node: the zeros stand after the pairs of the nodes before them.
        ends = 2 * (tags.start[a + 1 : b + 1] - first) + np.arange(b - a)
        listed = np.zeros(2 * (last - first) + b - a, np.int64)
        is_end = np.zeros(len(listed), bool)
        is_end[ends] = True
        listed[~is_end] = np.column_stack([key, value]).ravel()
        parts.append(_bytes_field(10, _varints(listed)))
    return texts + _bytes_field(2, _bytes_field(2, b"".join(parts)))


def _way_block(extract: Extract, a: int, b: int) -> bytes:
    tags = extract.way_tags
    first, last = int(tags.start[a]), int(tags.start[b])
    texts, key, value = _local_texts(tags.texts, tags.key[first:last], tags.value[first:last])
    begin, end = int(extract.way_start[a]), int(extract.way_start[b])
    refs = extract.way_refs[begin:end]
    start = extract.way_start[a : b + 1] - begin
    delta = _deltas(refs)
    heads = start[:-1][np.diff(start) > 0]
    delta[heads] = refs[heads]
    buffer = np.empty(64 * (b - a) + 20 * len(key) + 10 * len(refs), np.uint8)
    size = _encode_ways(extract.way_id[a:b], start, _zigzags(delta), tags.start[a : b + 1] - first, key, value, buffer)
    return texts + _bytes_field(2, buffer[:size].tobytes())


def _relation_block(relations: Sequence[tuple[int, Sequence[tuple[str, int, str]], dict[str, str]]]) -> bytes:
    index = {"": 0}

    def number(text: str) -> int:
        return index.setdefault(text, len(index))

    group = []
    for ident, members, tags in relations:
        keys, values = [number(k) for k in tags], [number(v) for v in tags.values()]
        roles = [number(role) for _, _, role in members]
        memids = _deltas(np.array([ref for _, ref, _ in members], np.int64))
        kinds = [MEMBER_TYPES[kind] for kind, _, _ in members]
        lists = ((2, keys), (3, values), (8, roles), (9, _zigzags(memids)), (10, kinds))
        body = b"".join(_bytes_field(n, _varints(np.array(v, np.int64))) for n, v in lists if len(v))
        group.append(_bytes_field(4, _number_field(1, ident) + body))
    return _table(index) + _bytes_field(2, b"".join(group))


def _local_texts(
    texts: Sequence[str], key: NDArray[np.int64], value: NDArray[np.int64]
) -> tuple[bytes, NDArray[np.int64], NDArray[np.int64]]:
    """The string table of a block, and keys and values renumbered to it."""
    used = np.unique(np.concatenate([[0], key, value])).astype(np.int64)
    return _table(texts[i] for i in used.tolist()), np.searchsorted(used, key), np.searchsorted(used, value)


def _table(texts: Sequence[str] | Iterator[str] | dict[str, int]) -> bytes:
    return _bytes_field(1, b"".join(_bytes_field(1, text.encode()) for text in texts))


def _number_field(number: int, value: int) -> bytes:
    return _varint(number << 3) + _varint(value)


def _bytes_field(number: int, data: bytes) -> bytes:
    return _varint(number << 3 | 2) + _varint(len(data)) + data


def _varint(value: int) -> bytes:
    out = bytearray()
    while value > 127:
        out.append(value & 127 | 128)
        value >>= 7
    out.append(value)
    return bytes(out)


def _zigzag(value: int) -> int:
    return value << 1 if value >= 0 else (-value << 1) - 1


def _deltas(values: NDArray[np.int64]) -> NDArray[np.int64]:
    """Each number less the one before it; the first stays."""
    deltas = values.copy()
    deltas[1:] -= values[:-1]
    return deltas


def _zigzags(values: NDArray[np.int64]) -> NDArray[np.int64]:
    return (values << 1) ^ (values >> 63)


def _varints(values: NDArray[np.int64]) -> bytes:
    """A packed list of numbers that are not negative."""
    buffer = np.empty(max(10 * len(values), 1), np.uint8)
    return buffer[: _put_all(values, 0, len(values), buffer, 0)].tobytes()


@njit_no_refcount
def _put(value, buffer, at):
    while value > 127:
        buffer[at] = value & 127 | 128
        value >>= 7
        at += 1
    buffer[at] = value
    return at + 1


@njit_no_refcount
def _put_all(values, first, last, buffer, at):
    for i in range(first, last):
        at = _put(values[i], buffer, at)
    return at


@njit_no_refcount
def _size_of(values, first, last):
    size = 0
    for i in range(first, last):
        value = values[i]
        size += 1
        while value > 127:
            value >>= 7
            size += 1
    return size


@njit_no_refcount
def _encode_ways(ids, start, refs, tag_start, key, value, buffer):
    """Way messages of a group; returns the bytes written. `refs` are delta and zigzag coded already."""
    at = 0
    for i in range(len(ids)):
        a, b, c, d = tag_start[i], tag_start[i + 1], start[i], start[i + 1]
        body = 1 + _size_of(ids, i, i + 1)
        body += _list_size(key, a, b) + _list_size(value, a, b) + _list_size(refs, c, d)
        at = _put(body, buffer, _put(3 << 3 | 2, buffer, at))
        at = _put(ids[i], buffer, _put(1 << 3, buffer, at))
        at = _put_list(2, key, a, b, buffer, at)
        at = _put_list(3, value, a, b, buffer, at)
        at = _put_list(8, refs, c, d, buffer, at)
    return at


@njit_no_refcount
def _list_size(values, first, last):
    """Bytes of a packed list with its tag and length; an empty list is left out, as readers expect."""
    size = _size_of(values, first, last)
    lengths = 1 if size < 128 else 2 if size < 1 << 14 else 3 if size < 1 << 21 else 4
    return 1 + lengths + size if size > 0 else 0


@njit_no_refcount
def _put_list(number, values, first, last, buffer, at):
    if first == last:
        return at
    at = _put(_size_of(values, first, last), buffer, _put(number << 3 | 2, buffer, at))
    return _put_all(values, first, last, buffer, at)
