"""OSM change files (`.osc`), read and written, and single elements of OSM XML in full.

Format: OpenStreetMap wiki, *OsmChange* and *OSM XML*, version 0.6. A file from outside is hostile until read: no document types,
no entities, bounds on what it unpacks to and on how many elements it has.
"""

from __future__ import annotations

import bz2
import gzip
import math
from collections.abc import Callable, Iterator
from itertools import groupby
from pathlib import Path
from typing import Any
from xml.parsers import expat
from xml.sax.saxutils import quoteattr

import numpy as np

from awl.core.errors import AwlError
from awl.core.graph.osm_change.elements import (
    Element,
    Elements,
    OsmChange,
    OsmNode,
    OsmRelation,
    OsmWay,
    Wanted,
)
from awl.core.graph.raw import Member
from awl.core.progress import Progress
from awl.io import osm_pbf
from awl.io.limits import check_size
from awl.io.osm_xml import unpacked_chunks

ACTIONS = ("create", "modify", "delete")
MOST_ELEMENTS = 20_000
"""So many elements a change may have: one by hand has hundreds, and each that is a street is an edit of its own."""


def is_change(name: str) -> bool:
    """Whether a file name is that of a change file.

    Parameters:
        name: the name of the file.
    """
    return name.lower().endswith((".osc", ".osc.gz", ".osc.bz2"))


def refuse_change_file(name: str) -> None:
    """Refuse a change file where streets or features are wanted.

    Parameters:
        name: the name of the file.
    """
    if is_change(name):
        raise AwlError(
            "A change file holds edits of streets, none of its own",
            where=name,
            remedy="Take it in where its streets are: stage Streets, or awl edit FILE --study STUDY --extract EXTRACT",
            kind="change-file",
        )


def read(path: Path) -> OsmChange:
    """A change file.

    Parameters:
        path: the file.

    Raises:
        AwlError: it is none, damaged or too large; the line is named.
    """
    check_size(path)
    collected: dict[str, list[Element]] = {action: [] for action in ACTIONS}

    def take(action: str, element: Element) -> None:
        if sum(map(len, collected.values())) >= MOST_ELEMENTS:
            raise AwlError(
                f"The change has more than {MOST_ELEMENTS:,} elements",
                where=path.name,
                remedy="Build the streets from a newer extract instead",
            )
        collected[action].append(element)

    _parse(path, "osmChange", take)
    create, modify, delete = (tuple(collected[action]) for action in ACTIONS)
    return OsmChange(create, modify, delete)


def read_elements(path: Path, wanted: Wanted, progress: Progress | None = None) -> Elements:
    """Elements of an extract by their ids, with the nodes of the ways among them.

    Parameters:
        path: the extract, PBF or XML.
        wanted: which.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: it is no extract, or damaged.
    """
    check_size(path)
    if path.name.lower().endswith(".pbf"):
        return osm_pbf.read_elements(path, wanted, progress)
    found = Elements()

    def take(_: str, element: Element) -> None:
        if isinstance(element, OsmWay) and element.id in wanted.ways:
            found.ways[element.id] = element
        elif isinstance(element, OsmRelation) and element.id in wanted.relations:
            found.relations[element.id] = element

    _parse(path, "osm", take)
    ids = {*wanted.nodes, *(ref for way in found.ways.values() for ref in way.refs)}

    def take_node(_: str, element: Element) -> None:
        if isinstance(element, OsmNode) and element.id in ids:
            found.nodes[element.id] = element

    _parse(path, "osm", take_node)  # nodes stand before the ways that name them
    return found


def _parse(path: Path, root: str, take: Callable[[str, Element], None]) -> None:
    parser = expat.ParserCreate()
    parser.buffer_text = True
    handlers = _Handlers(parser, path.name, root, take)
    try:
        with path.open("rb") as packed:
            for chunk, _ in unpacked_chunks(packed, path):
                parser.Parse(chunk, False)
        parser.Parse(b"", True)
    except expat.ExpatError as error:
        raise AwlError(
            f"The file is not well-formed XML ({expat.ErrorString(error.code)})",
            where=f"{path.name}, line {error.lineno}",
            remedy="Fetch or save it again",
        ) from error
    handlers.check_found()


class _Handlers:
    """Handlers of the XML stream; gives each element that is whole to `take`, with the action it stands under."""

    def __init__(self, parser: Any, name: str, root: str, take: Callable[[str, Element], None]) -> None:
        self._parser, self._name, self._root, self._take = parser, name, root, take
        self._action, self._kind, self._seen_root = "", "", False
        self._attributes: dict[str, str] = {}
        self._tags: dict[str, str] = {}
        self._refs: list[int] = []
        self._members: list[Member] = []
        parser.StartElementHandler = self._start
        parser.EndElementHandler = self._end
        parser.StartDoctypeDeclHandler = self._refuse
        parser.EntityDeclHandler = self._refuse

    def check_found(self) -> None:
        """Refuse a file without its root element."""
        if not self._seen_root:
            raise AwlError(f"The file holds no <{self._root}>", where=self._name)

    def _where(self) -> str:
        return f"{self._name}, line {self._parser.CurrentLineNumber}"

    def _refuse(self, *_: object) -> None:
        raise AwlError(
            "The file declares a document type or entities, which it never needs",
            where=self._where(),
            remedy="Remove the declaration if you trust the file",
        )

    def _start(self, name: str, attributes: dict[str, str]) -> None:
        if not self._seen_root:
            if name != self._root:
                raise AwlError(
                    f"The file's first element is <{name[:40]}> instead of <{self._root}>",
                    where=self._where(),
                    remedy="Give an OSM change file" if self._root == "osmChange" else "Give a map extract in OSM XML",
                )
            self._seen_root = True
        elif name in ACTIONS and self._root == "osmChange":
            self._action = name
        elif name in ("node", "way", "relation"):
            if self._root == "osmChange" and not self._action:
                raise AwlError(
                    f"The <{name}> stands under none of {', '.join(ACTIONS)}", where=self._where(), kind="bad-change"
                )
            self._kind, self._attributes = name, attributes
            self._tags, self._refs, self._members = {}, [], []
        elif self._kind:
            self._part(name, attributes)

    def _part(self, name: str, attributes: dict[str, str]) -> None:
        try:
            if name == "tag":
                self._tags[attributes["k"]] = attributes["v"]
            elif name == "nd":
                self._refs.append(int(attributes["ref"]))
            elif name == "member":
                self._members.append((attributes.get("role", ""), attributes["type"], int(attributes["ref"])))
        except (KeyError, ValueError) as error:
            raise self._improper(name, error) from error

    def _improper(self, name: str, error: Exception) -> AwlError:
        return AwlError(
            f"The <{name}> element lacks something, or holds what is no number ({error})",
            where=self._where(),
            remedy="Repair it, or save the file again",
            kind="bad-change",
        )

    def _end(self, name: str) -> None:
        if name in ACTIONS and self._root == "osmChange":
            self._action = ""
        if name != self._kind:
            return
        self._kind = ""
        try:
            self._take(self._action, self._element(name))
        except (KeyError, ValueError) as error:
            raise self._improper(name, error) from error

    def _element(self, name: str) -> Element:
        attributes = self._attributes
        ident, version = int(attributes["id"]), int(attributes.get("version", 0))
        if not -(2**53) < ident < 2**53:
            raise ValueError(f"id {ident}")
        if name == "way":
            return OsmWay(ident, version, tuple(self._refs), self._tags)
        if name == "relation":
            return OsmRelation(ident, version, tuple(self._members), self._tags)
        # A node that is deleted need not say where it was.
        gone = self._action == "delete"
        lon, lat = (float(attributes.get(axis, "nan") if gone else attributes[axis]) for axis in ("lon", "lat"))
        if not gone and not (math.isfinite(lon) and abs(lon) <= 180 and math.isfinite(lat) and abs(lat) <= 90):
            raise ValueError(f"lon {lon}, lat {lat}")
        return OsmNode(ident, version, lon, lat, self._tags)


def dumps(change: OsmChange) -> bytes:
    """A change file as XML.

    Parameters:
        change: the change.
    """
    return "\n".join(_lines(change)).encode()


def packed(change: OsmChange, name: str) -> bytes:
    """A change file as XML, packed as the ending of its name says.

    Parameters:
        change: the change.
        name: of the file.
    """
    data = dumps(change)
    if name.lower().endswith(".gz"):
        return gzip.compress(data)
    return bz2.compress(data) if name.lower().endswith(".bz2") else data


def _lines(change: OsmChange) -> Iterator[str]:
    yield "<?xml version='1.0' encoding='UTF-8'?>"
    yield '<osmChange version="0.6" generator="Awl">'
    for note in change.notes:
        yield f"  <!-- {note.replace('--', '- -')} -->"
    for action in ACTIONS:
        for is_node, elements in groupby(getattr(change, action), lambda element: isinstance(element, OsmNode)):
            # A node that something else still uses stays.
            yield f'  <{action} if-unused="true">' if action == "delete" and is_node else f"  <{action}>"
            for element in elements:
                yield from _element_lines(element)
            yield f"  </{action}>"
    yield "</osmChange>"
    yield ""


def _element_lines(element: Element) -> Iterator[str]:
    head = f'id="{element.id}"' + (f' version="{element.version}"' if element.version else "")
    body = [f"      <tag k={_quoted(key)} v={_quoted(text)}/>" for key, text in element.tags.items()]
    if isinstance(element, OsmNode):
        name = "node"
        head += f' lon="{_degrees(element.lon)}" lat="{_degrees(element.lat)}"'
    elif isinstance(element, OsmWay):
        name = "way"
        body = [f'      <nd ref="{ref}"/>' for ref in element.refs] + body
    else:
        name = "relation"
        members = (
            f'      <member type="{kind}" ref="{ref}" role={_quoted(role)}/>' for role, kind, ref in element.members
        )
        body = [*members, *body]
    if not body:
        yield f"    <{name} {head}/>"
        return
    yield f"    <{name} {head}>"
    yield from body
    yield f"    </{name}>"


def _quoted(text: str) -> str:
    # XML has no form for other control characters.
    return quoteattr("".join(sign for sign in text if sign >= " " or sign in "\t\n\r"))


def _degrees(value: float) -> str:
    return np.format_float_positional(round(value, 9), trim="-")
