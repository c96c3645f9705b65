"""The framing of a PBF file: blob headers, the kind and size of each blob, and its unpacked bytes.

The file is hostile until read. Sizes are checked against the limits of the format before anything is allocated, and an
unpacked blob may not be larger than it declares.
"""

from __future__ import annotations

import os
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.io.osm_pbf import kernels

Bytes = NDArray[np.uint8]
MAX_HEADER = 64 << 10
MAX_BLOB = 32 << 20
"""Limits of the format for a blob header and an unpacked blob."""
KNOWN_FEATURES = ("OsmSchema-V0.6", "DenseNodes")
SORTED = "Sort.Type_then_ID"
PEEK = 4 << 10
USUAL_HEADER = 60


@dataclass(frozen=True)
class Blob:
    """Where the bytes of a blob stand in the file."""

    kind: str
    offset: int
    begin: int
    size: int


def broken(name: str, offset: int, what: str, remedy: str = "Fetch the extract again") -> AwlError:
    """The error for a damaged file, with the place.

    Parameters:
        name: the name of the file.
        offset: where in the file it stands, in bytes.
        what: what is wrong.
        remedy: what to do.
    """
    return AwlError(what, where=f"{name}, byte {offset:,}", remedy=remedy, kind="broken-pbf")


def fields(data: Bytes) -> Iterator[tuple[int, int, int, int]]:
    """(number, begin, end, value) of each field of a small message; raises ValueError where it is malformed.

    Parameters:
        data: the bytes of the message.
    """
    pos = 0
    while pos < len(data):
        number, begin, end, value, pos = kernels.field(data, pos, len(data))
        if pos < 0:
            raise ValueError("a field runs past its end")
        yield number, begin, end, value


def index(stream: BinaryIO, size: int, name: str) -> list[Blob]:
    """All blobs of the file, found by skipping from header to header.

    Parameters:
        stream: the open file.
        size: the size of the file in bytes.
        name: the name of the file.

    Raises:
        AwlError: the file is no OSM PBF, cut short or damaged; the byte is named.
    """
    index_of_blobs: list[Blob] = []
    at = 0
    while at < size:
        start = os.pread(stream.fileno(), 4 + USUAL_HEADER, at)
        length = int.from_bytes(start[:4], "big")
        if not 0 < length <= MAX_HEADER:
            what = "The file is no OSM PBF" if at == 0 else f"A blob header declares {length:,} bytes"
            raise broken(name, at, what, "Give a map extract in OSM PBF" if at == 0 else "Fetch the extract again")
        rest = os.pread(stream.fileno(), max(length - USUAL_HEADER, 0), at + 4 + USUAL_HEADER)
        head = np.frombuffer((start[4:] + rest)[:length], np.uint8)
        if len(head) < length:
            raise broken(name, at, "The file is cut short within a blob header")
        kind, data_size = "", -1
        try:
            for number, begin, end, value in fields(head):
                if number == 1:
                    kind = head[begin:end].tobytes().decode("latin-1")
                elif number == 3:
                    data_size = value
        except ValueError as error:
            what = "The file is no OSM PBF" if at == 0 else "A blob header is malformed"
            raise broken(name, at, what) from error
        if at == 0 and kind != "OSMHeader":
            raise broken(name, at, "The file is no OSM PBF: it does not begin with a header", "Give a map extract")
        if not 0 <= data_size <= MAX_BLOB + MAX_HEADER:
            raise broken(name, at, f"A blob declares {data_size:,} bytes, more than the {MAX_BLOB:,} the format allows")
        begin = at + 4 + length
        if begin + data_size > size:
            missing = begin + data_size - size
            raise broken(name, at, f"The file is cut short: the last blob lacks {missing:,} bytes")
        index_of_blobs.append(Blob(kind, at, begin, data_size))
        at = begin + data_size
    return index_of_blobs


def packed_bytes(stream: BinaryIO, blob: Blob) -> bytes:
    """The bytes of a blob as they stand in the file; threads may ask at once.

    Parameters:
        stream: the open file.
        blob: the blob.
    """
    return os.pread(stream.fileno(), blob.size, blob.begin)


def unpack(data: bytes, offset: int, name: str, most: int = MAX_BLOB) -> Bytes:
    """The content of a blob, or its first `most` bytes.

    Parameters:
        data: the bytes of the blob.
        offset: where in the file it stands, in bytes.
        name: the name of the file.
        most: how many bytes are wanted at most.

    Raises:
        AwlError: the blob is damaged or declares an absurd size; the byte is named.
    """
    view = np.frombuffer(data, np.uint8)
    raw: tuple[int, int] | None = None
    packed: tuple[int, int] | None = None
    declared = -1
    try:
        for number, begin, end, value in fields(view):
            if number == 1:
                raw = begin, end
            elif number == 2:
                declared = value
            elif number == 3:
                packed = begin, end
            elif number in (4, 5, 6, 7):
                method = {4: "lzma", 5: "bzip2", 6: "lz4", 7: "zstd"}[number]
                raise broken(name, offset, f"A blob is packed with {method}", "Export the extract with zlib packing")
    except ValueError as error:
        raise broken(name, offset, "A blob is malformed") from error
    if raw is not None:
        return view[raw[0] : raw[1]][:most]
    if packed is None:
        raise broken(name, offset, "A blob holds no data")
    if not 0 <= declared <= MAX_BLOB:
        raise broken(name, offset, f"A blob declares {declared:,} unpacked bytes, more than {MAX_BLOB:,}")
    inflate = zlib.decompressobj()
    # One byte more than wanted: what follows it would be beyond the declared size.
    wanted = min(declared, most)
    try:
        content = inflate.decompress(memoryview(data)[packed[0] : packed[1]], wanted + 1)
    except zlib.error as error:
        raise broken(name, offset, f"A blob cannot be unpacked ({error})") from error
    if len(content) < wanted or (wanted == declared and len(content) > declared):
        raise broken(name, offset, f"A blob unpacks to other than the {declared:,} bytes it declares")
    return np.frombuffer(content, np.uint8)[:wanted]


def check_header(content: Bytes, offset: int, name: str) -> bool:
    """Refuse a header that requires what Awl cannot read; says whether the file is sorted by type.

    Parameters:
        content: the bytes of the header.
        offset: where in the file it stands, in bytes.
        name: the name of the file.
    """
    is_sorted = False
    try:
        for number, begin, end, _ in fields(content):
            text = content[begin:end].tobytes().decode("latin-1")
            if number == 4 and text not in KNOWN_FEATURES:
                remedy = "Export a plain extract without history" if "Historical" in text else "Export it otherwise"
                raise broken(
                    name, offset, f"The file requires the feature '{text[:40]}', which Awl does not read", remedy
                )
            is_sorted |= number == 5 and text == SORTED
    except ValueError as error:
        raise broken(name, offset, "The file's header is malformed") from error
    return is_sorted


def first_group(stream: BinaryIO, blob: Blob, name: str) -> int:
    """Kind of the first element of a blob (NODES, DENSE, WAYS, RELATIONS), unpacking no more than needed; 0 when empty.

    Parameters:
        stream: the open file.
        blob: the blob.
        name: the name of the file.
    """
    data = packed_bytes(stream, blob)
    most = PEEK
    while True:
        head = unpack(data, blob.offset, name, most)
        kind = _kind(head)
        if kind is not None:
            return kind
        if len(head) < most:
            return 0
        most *= 8


def _kind(head: Bytes) -> int | None:
    """The kind of the first element, None when the bytes at hand do not reach it."""
    pos = 0
    while pos < len(head):
        tag, pos = kernels.varint(head, pos, len(head))
        if pos < 0:
            return None
        if tag & 7 == 0:
            _, pos = kernels.varint(head, pos, len(head))
            if pos < 0:
                return None
            continue
        if tag & 7 != 2:
            return 0
        length, pos = kernels.varint(head, pos, len(head))
        if pos < 0:
            return None
        if tag >> 3 == kernels.GROUP and length > 0:
            inner, after = kernels.varint(head, pos, len(head))
            return None if after < 0 else int(inner >> 3)
        pos += length
    return None


def boundary(stream: BinaryIO, blobs: Sequence[Blob], kind: int, name: str) -> int:
    """In a file sorted by type, the number of the first blob that begins with `kind` or a later one.

    Parameters:
        stream: the open file.
        blobs: the blobs of the file.
        kind: the kind of element.
        name: the name of the file.
    """
    low, high = 0, len(blobs)
    while low < high:
        middle = (low + high) // 2
        if first_group(stream, blobs[middle], name) >= kind:
            high = middle
        else:
            low = middle + 1
    return low


def by_kind(stream: BinaryIO, blob_index: Sequence[Blob], name: str) -> tuple[list[Blob], list[Blob], list[Blob]]:
    """The blobs that may hold nodes, ways and relations: few of each in a file sorted by type, else all.

    Parameters:
        stream: the open file.
        blob_index: all blobs of the file, its header first.
        name: the name of the file.

    Raises:
        AwlError: the header requires what Awl cannot read.
    """
    head, data = blob_index[0], [blob for blob in blob_index if blob.kind == "OSMData"]
    if not check_header(unpack(packed_bytes(stream, head), head.offset, name), head.offset, name):
        return data, data, data
    nodes_until = boundary(stream, data, kernels.WAYS, name)
    ways_until = boundary(stream, data, kernels.RELATIONS, name)
    # The blob before a boundary may hold both kinds.
    return data[:nodes_until], data[max(nodes_until - 1, 0) : ways_until], data[max(ways_until - 1, 0) :]
