"""Read OSM XML (`.osm`, `.osm.gz`, `.osm.bz2`) as a stream.

The file is hostile until read: document types and entities are refused, compressed files may not unpack without bound,
and every fault names the line. Format: OpenStreetMap wiki, *OSM XML*, version 0.6.
"""

from __future__ import annotations

import bz2
import gzip
import zlib
from array import array
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO
from xml.parsers import expat

import numpy as np

from awl.core.columns import CategoricalBuilder
from awl.core.errors import AwlError
from awl.core.graph.cleaning import cleaned
from awl.core.graph.raw import (
    NODE_KEYS,
    NODE_SELECT,
    WAY_KEYS,
    Member,
    RawExtract,
    Relation,
    Restriction,
    relation_of,
)
from awl.core.progress import Progress

CHUNK = 1 << 20
BOMB_BYTES = 64 << 20
"""Unpacked bytes after which the packing ratio is judged."""
LONGEST_TAG = 4 << 20
"""No element of a map extract comes near it."""
BOMB_RATIO = 200
"""No honest map extract packs better than this."""


def read(path: Path, progress: Progress | None = None) -> RawExtract:
    """The nodes, ways and multipolygons of an extract.

    Raises `AwlError` when the file is empty, damaged, no OSM XML, or unpacks to an absurd size.

    Parameters:
        path: the file.
        progress: is told how far the work is, and stops it.
    """
    progress = progress or Progress()
    size = path.stat().st_size
    if size == 0:
        raise AwlError("The file is empty", where=path.name, remedy="Give a map extract in OSM XML")
    reader = _Reader(path.name)
    unpacked_any = False
    with path.open("rb") as packed:
        for chunk, share in unpacked_chunks(packed, path):
            unpacked_any = True
            reader.feed(chunk)
            progress.step(share, f"Reading {path.name}: {reader.ways:,} ways")
    if not unpacked_any:
        raise AwlError("The file is empty once unpacked", where=path.name, remedy="Give a map extract in OSM XML")
    return reader.finish()


def unpacked_chunks(packed: BinaryIO, path: Path) -> Iterator[tuple[bytes, float]]:
    """The bytes of a file that may be packed, piece by piece, and the share of the file that is read.

    Parameters:
        packed: the open file.
        path: its path; the ending of its name says how it is packed.

    Raises:
        AwlError: it is damaged, cut short, or unpacks to an absurd size.
    """
    size, done = path.stat().st_size, 0
    stream = _unpacked(packed, path)
    try:
        while chunk := stream.read(CHUNK):
            done += len(chunk)
            if done > BOMB_BYTES and done > BOMB_RATIO * packed.tell():
                raise AwlError(
                    f"The file unpacks to more than {BOMB_RATIO} times its size",
                    where=path.name,
                    remedy="Give the extract unpacked if it is genuine",
                )
            yield chunk, packed.tell() / size
    except (EOFError, OSError, zlib.error) as error:
        raise AwlError(
            f"The packed file is damaged or cut short ({error})", where=path.name, remedy="Fetch the extract again"
        ) from error


def _unpacked(packed: BinaryIO, path: Path) -> BinaryIO:
    if path.name.endswith(".gz"):
        return gzip.open(packed, "rb")  # type: ignore[return-value]
    if path.name.endswith(".bz2"):
        return bz2.open(packed, "rb")  # type: ignore[return-value]
    return packed


class _Reader:
    """Handlers of the XML stream; collects flat arrays."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._parser = parser = expat.ParserCreate()
        parser.buffer_text = True
        parser.StartElementHandler = self._first_element
        parser.EndElementHandler = self._end
        parser.StartDoctypeDeclHandler = self._refuse_doctype
        parser.EntityDeclHandler = self._refuse_doctype
        self._node_id, self._lon, self._lat = array("q"), array("d"), array("d")
        self._tagged: list[int] = []
        self._node_tags = {key: CategoricalBuilder() for key in NODE_KEYS}
        self._way_id, self._way_start, self._refs = array("q"), array("q", [0]), array("q")
        self._way_tags = {key: CategoricalBuilder() for key in WAY_KEYS}
        self._relations: list[Relation] = []
        self._restrictions: list[Restriction] = []
        self._kind = ""
        self._id = 0
        self._tags: dict[str, str] = {}
        self._members: list[Member] = []
        self._skip = False
        self._fed = 0

    @property
    def ways(self) -> int:
        """Ways read so far."""
        return len(self._way_id)

    def feed(self, chunk: bytes) -> None:
        """Parse a piece of the file.

        Parameters:
            chunk: the bytes.

        Raises:
            AwlError: it is no XML; the line is named.
        """
        try:
            self._parser.Parse(chunk, False)
        except expat.ExpatError as error:
            raise self._not_xml(error) from error
        self._fed += len(chunk)
        # What is not finished is scanned again with each piece that comes: without a limit in the square of its length.
        if self._fed - max(self._parser.CurrentByteIndex, 0) > LONGEST_TAG:
            raise AwlError(
                f"An element is longer than {LONGEST_TAG >> 20} MB",
                where=self._where(),
                remedy="Export the extract again",
            )

    def finish(self) -> RawExtract:
        """Close the stream and hand over the arrays."""
        try:
            self._parser.Parse(b"", True)
        except expat.ExpatError as error:
            raise self._not_xml(error) from error
        ways = len(self._way_id)
        raw = RawExtract(
            node_id=np.array(self._node_id, np.int64),
            node_lon=np.array(self._lon, float),
            node_lat=np.array(self._lat, float),
            tagged_nodes=np.array(self._tagged, np.int64),
            node_tags={key: b.finish(len(self._tagged)) for key, b in self._node_tags.items() if b.rows},
            way_id=np.array(self._way_id, np.int64),
            way_start=np.array(self._way_start, np.int64),
            way_refs=np.array(self._refs, np.int64),
            way_tags={key: b.finish(ways) for key, b in self._way_tags.items() if b.rows},
            relations=tuple(self._relations),
            restrictions=tuple(self._restrictions),
            ways_seen=ways,
        )
        return cleaned(raw)

    def _where(self) -> str:
        return f"{self._name}, line {self._parser.CurrentLineNumber}"

    def _not_xml(self, error: expat.ExpatError) -> AwlError:
        cut_short = error.code in (3, 5)  # no element found, unclosed token: the end of the file came too early
        what = (
            "The file is cut short"
            if cut_short
            else f"The file is not well-formed XML ({expat.ErrorString(error.code)})"
        )
        return AwlError(what, where=f"{self._name}, line {error.lineno}", remedy="Fetch or export the extract again")

    def _refuse_doctype(self, *_: object) -> None:
        raise AwlError(
            "The file declares a document type or entities, which map extracts never need",
            where=self._where(),
            remedy="Remove the declaration if you trust the file",
        )

    def _first_element(self, name: str, attributes: dict[str, str]) -> None:
        if name != "osm":
            raise AwlError(
                f"The file is XML, but its first element is <{name[:40]}> instead of <osm>",
                where=self._where(),
                remedy="Give a map extract in OSM XML",
            )
        self._parser.StartElementHandler = self._start

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        try:
            if name == "nd":
                self._refs.append(int(attributes["ref"]))
            elif name == "tag":
                self._tags[attributes["k"]] = attributes["v"]
            elif name == "node":
                self._open(name, attributes)
                self._lon.append(float(attributes["lon"]))
                self._lat.append(float(attributes["lat"]))
                self._node_id.append(self._id)
            elif name == "way" or name == "relation":
                self._open(name, attributes)
            elif name == "member":
                self._members.append((attributes.get("role", ""), attributes["type"], int(attributes["ref"])))
        except (KeyError, ValueError) as error:
            raise AwlError(
                f"The <{name}> element lacks a proper {str(error).strip(chr(39))}"
                if isinstance(error, KeyError)
                else f"The <{name}> element holds a value that is no number ({error})",
                where=self._where(),
                remedy="Repair or export the extract again",
            ) from error

    def _open(self, kind: str, attributes: dict[str, str]) -> None:
        self._kind, self._tags, self._members = kind, {}, []
        self._id = int(attributes["id"])
        self._skip = attributes.get("visible") == "false" or attributes.get("action") == "delete"

    def _end(self, name: str) -> None:
        if name != self._kind:
            return
        self._kind = ""
        tags = self._tags
        if name == "node":
            if tags and not self._skip and any(key in tags for key in NODE_SELECT):
                row = len(self._tagged)
                self._tagged.append(len(self._node_id) - 1)
                for key in NODE_KEYS:
                    if key in tags:
                        self._node_tags[key].set(row, tags[key])
        elif name == "way":
            if self._skip:
                del self._refs[self._way_start[-1] :]
                return
            row = len(self._way_id)
            self._way_id.append(self._id)
            self._way_start.append(len(self._refs))
            for key, value in tags.items():
                builder = self._way_tags.get(key)
                if builder is not None:
                    builder.set(row, value)
        elif name == "relation" and not self._skip:
            relation = relation_of(self._id, tags, self._members)
            if isinstance(relation, Relation):
                self._relations.append(relation)
            elif relation is not None:
                self._restrictions.append(relation)
