"""An independent encoder of OSM PBF: Google's protobuf library and the format's published message definitions."""

from __future__ import annotations

import zlib
from typing import Any

from google.protobuf import descriptor_pb2, descriptor_pool, message_factory

MESSAGES = {
    "BlobHeader": "1 type string, 2 indexdata bytes, 3 datasize int32",
    "Blob": "1 raw bytes, 2 raw_size int32, 3 zlib_data bytes, 4 lzma_data bytes",
    "HeaderBBox": "1 left sint64, 2 right sint64, 3 top sint64, 4 bottom sint64",
    "HeaderBlock": "1 bbox HeaderBBox, 4 required_features string*, 5 optional_features string*, 16 writingprogram string",
    "StringTable": "1 s bytes*",
    "Info": "1 version int32",
    "DenseInfo": "1 version int32*",
    "Node": "1 id sint64, 2 keys uint32*, 3 vals uint32*, 4 info Info, 8 lat sint64, 9 lon sint64",
    "DenseNodes": "1 id sint64*, 5 denseinfo DenseInfo, 8 lat sint64*, 9 lon sint64*, 10 keys_vals int32*",
    "Way": "1 id int64, 2 keys uint32*, 3 vals uint32*, 4 info Info, 8 refs sint64*",
    "Relation": "1 id int64, 2 keys uint32*, 3 vals uint32*, 4 info Info, 8 roles_sid int32*, 9 memids sint64*, 10 types int32*",
    "PrimitiveGroup": "1 nodes Node*, 2 dense DenseNodes, 3 ways Way*, 4 relations Relation*",
    "PrimitiveBlock": "1 stringtable StringTable, 2 primitivegroup PrimitiveGroup*, 17 granularity int32,"
    " 19 lat_offset int64, 20 lon_offset int64",
}  # fmt: skip


def _classes() -> dict[str, Any]:
    file = descriptor_pb2.FileDescriptorProto(name="osm.proto", package="osm", syntax="proto2")
    for name, text in MESSAGES.items():
        message = file.message_type.add(name=name)
        for part in text.split(","):
            number, field, kind = part.split()
            many, kind = kind.endswith("*"), kind.rstrip("*")
            entry = message.field.add(name=field, number=int(number), label=3 if many else 1)
            if kind in MESSAGES:
                entry.type, entry.type_name = 11, f".osm.{kind}"
            else:
                entry.type = getattr(entry, f"TYPE_{kind.upper()}")
                if many and kind not in ("string", "bytes"):
                    entry.options.packed = True
    pool = descriptor_pool.DescriptorPool()
    pool.Add(file)
    return {n: message_factory.GetMessageClass(pool.FindMessageTypeByName(f"osm.{n}")) for n in MESSAGES}


PB = _classes()


def blob(kind: str, content: bytes, packed: bool = True, **more: Any) -> bytes:
    """A framed blob; `more` overrides fields of the Blob message."""
    fields = {"raw_size": len(content), "zlib_data": zlib.compress(content)} if packed else {"raw": content}
    body = PB["Blob"](**(fields | more)).SerializeToString()
    head = PB["BlobHeader"](type=kind, datasize=len(body)).SerializeToString()
    return len(head).to_bytes(4, "big") + head + body


def header(*optional: str, required: tuple[str, ...] = ("OsmSchema-V0.6", "DenseNodes")) -> bytes:
    """The header blob."""
    block = PB["HeaderBlock"](required_features=required, optional_features=optional)
    return blob("OSMHeader", block.SerializeToString())


def deltas(values: list[int]) -> list[int]:
    """Each number less the one before."""
    return [b - a for a, b in zip([0, *values], values, strict=False)]


def block(texts: list[str], *groups: Any, **more: int) -> bytes:
    """A primitive block."""
    table = PB["StringTable"](s=[text.encode() for text in texts])
    return PB["PrimitiveBlock"](stringtable=table, primitivegroup=groups, **more).SerializeToString()


def unframed(data: bytes) -> list[tuple[str, bytes]]:
    """Kind and unpacked content of each blob of a file."""
    found, at = [], 0
    while at < len(data):
        length = int.from_bytes(data[at : at + 4], "big")
        head = PB["BlobHeader"].FromString(data[at + 4 : at + 4 + length])
        at += 4 + length
        body = PB["Blob"].FromString(data[at : at + head.datasize])
        at += head.datasize
        found.append((head.type, zlib.decompress(body.zlib_data) if body.zlib_data else body.raw))
    return found
