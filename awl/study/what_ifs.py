"""What-ifs: named changes of a study that questions may be asked with, without changing the study.

A what-if holds edits of streets (in the ledger), changes of modes, places opened and closed, lines by public transport, and a
time. A question asked with one works on a copy of the study, beside it in the folder of derived things, with the changes applied:
all that a study does, a what-if does the same way. Dropping that folder loses nothing but time.
"""

from __future__ import annotations

import json
import os
import sqlite3
import threading
import uuid
import weakref
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from hashlib import blake2b
from pathlib import Path
from typing import Any

import numpy as np
import orjson

from awl.core.errors import AwlError, nearest
from awl.core.graph.edits.apply import Applied, apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.records import LinkRecord
from awl.cql2.sql import to_sql
from awl.io import geojson, geopackage
from awl.io.table import Column, Table
from awl.study import drawn_lines, ledger, litter, modes, records
from awl.study.once import Once
from awl.study.study import CHANGEABLE, Study, slug

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_what_ifs (id TEXT PRIMARY KEY, body TEXT NOT NULL, made TEXT NOT NULL,
  changed TEXT NOT NULL) STRICT
"""
MOST_AT_ONCE = 5
"""So many what-ifs may stand on each other."""
MOST_OPEN = 8
"""So many studies with what-ifs stay open; of more the one that was used longest ago is closed."""
MEMBERS = ("title", "description", "date", "at", "modes", "places", "lines")


@dataclass(frozen=True)
class WhatIf:
    """A what-if as it is kept.

    Attributes:
        id: by which questions name it.
        title: what it is called.
        description: what it is about.
        date: from when it would hold, as text; empty where nothing is said.
        at: the local date and time of questions that say none; empty for none.
        modes: changed members of modes by the id of the mode.
        places: layers in which places are opened (GeoJSON features) or closed (CQL2 text).
        made: when it was made.
        changed: when it, or one of its edits, was changed last.
        lines: lines by public transport that it adds; see `awl.study.drawn_lines`.
    """

    id: str
    title: str
    description: str
    date: str
    at: str
    modes: dict[str, dict[str, Any]]
    places: list[dict[str, Any]]
    made: str
    changed: str
    lines: list[dict[str, Any]] = field(default_factory=list)

    def document(self) -> dict[str, Any]:
        """As JSON."""
        return vars(self)


def listed(connection: sqlite3.Connection) -> list[WhatIf]:
    """All what-ifs, the first made first."""
    if not _there(connection):
        return []
    rows = connection.execute("SELECT id, body, made, changed FROM awl_what_ifs ORDER BY rowid").fetchall()
    return [WhatIf(ident, **json.loads(body), made=made, changed=changed) for ident, body, made, changed in rows]


def what_if(study: Study, ident: str) -> WhatIf:
    """A what-if by id or title; raises `AwlError` (404) naming those that exist."""
    known = listed(study.reading)
    for idea in known:
        if ident in (idea.id, idea.title):
            return idea
    raise AwlError(
        f"The study has no what-if '{ident[:80]}'.{nearest(ident, (one.id for one in known))}",
        remedy=f"What-ifs are: {', '.join(one.id for one in known) or 'none yet'}",
        inputs=("what_if",),
        status=404,
        kind="no-such-what-if",
    )


def save(study: Study, given: dict[str, Any], ident: str | None = None) -> WhatIf:
    """Keep a new what-if, or another state of one; returns it as it is kept. Raises `AwlError` naming what is wrong."""
    body = _checked(study, given)
    with study.writing() as connection:
        connection.execute(SCHEMA)
        if ident is None:
            ident = _free_id(connection, body["title"])
            values = (ident, orjson.dumps(body).decode(), records.now(), records.now())
            connection.execute("INSERT INTO awl_what_ifs VALUES (?, ?, ?, ?)", values)
        else:
            values_now = (orjson.dumps(body).decode(), records.now(), ident)
            connection.execute("UPDATE awl_what_ifs SET body = ?, changed = ? WHERE id = ?", values_now)
    return what_if(study, ident)


def copy(study: Study, ident: str, title: str) -> WhatIf:
    """Another what-if with all that one holds."""
    idea = what_if(study, ident)
    other = save(study, {name: getattr(idea, name) for name in MEMBERS} | {"title": title})
    with study.writing() as connection:
        for step in ledger.steps(connection, idea.id):
            if not step.undone:
                ledger.add_step(connection, step.edits, other.id)
    return other


def drop(study: Study, ident: str) -> None:
    """Remove a what-if with its edits."""
    idea = what_if(study, ident)
    with study.writing() as connection:
        remove(connection, idea.id)


def remove(connection: sqlite3.Connection, ident: str) -> None:
    """Remove a what-if with its edits. Runs inside the caller's transaction."""
    connection.execute("DELETE FROM awl_what_ifs WHERE id = ?", (ident,))
    ledger.create(connection)
    connection.execute("DELETE FROM awl_edits WHERE what_if = ?", (ident,))


def touch(connection: sqlite3.Connection, ident: str) -> None:
    """Note that something of a what-if has changed. Runs inside the caller's transaction."""
    connection.execute("UPDATE awl_what_ifs SET changed = ? WHERE id = ?", (records.now(), ident))


def version(study: Study, ident: str) -> str:
    """Changes with every change of a what-if or its edits."""
    idea = what_if(study, ident)
    return blake2b(f"{idea.changed} {ledger.version(study.reading, idea.id)}".encode(), digest_size=8).hexdigest()


def changed_last(study: Study, idents: Sequence[str]) -> str:
    """When any of some what-ifs was changed last, as text that can be compared; the far future where one is gone."""
    known = {idea.id: idea.changed for idea in listed(study.reading)}
    return max((known.get(ident, "9") for ident in idents), default="")


# -- the study as it would be -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Variant:
    """A study with what-ifs that is open.

    Attributes:
        key: changes whenever the study or one of the what-ifs does.
        rests_on: what it rests on but for the edits.
        edits: the edits of the what-ifs, in their order.
        study: the copy of the study.
    """

    key: Any
    rests_on: Any
    edits: tuple[Edit, ...]
    study: Once[Study]


_opening = threading.Lock()
_variants: dict[tuple[Path, tuple[str, ...]], _Variant] = {}


def variant(study: Study, idents: Sequence[str]) -> Study:
    """The study as it would be with what-ifs, in this order; the study itself where there are none.

    Raises `AwlError` where one of them does not fit what is there.
    """
    chosen = [what_if(study, ident) for ident in idents]
    if not chosen:
        return study
    if len(chosen) > MOST_AT_ONCE or len({item.id for item in chosen}) < len(chosen):
        raise AwlError(
            f"{len(chosen)} what-ifs at once",
            remedy=f"Name each once, and at most {MOST_AT_ONCE}",
            inputs=("what_if",),
        )
    place, key = _place_and_key(study, chosen)
    with _opening:
        known = _variants.get(place)
    if known is None or known.key != key:
        known = _next(known, study, chosen, key)
    with _opening:
        there = _variants.pop(place, None)
        known = there if there is not None and there.key == key else known
        _variants[place] = known  # the last one used stands last
        while len(_variants) > MOST_OPEN:
            del _variants[next(iter(_variants))]
    # Made outside the lock: who needs it waits, nobody else.
    return known.study.value()


def _next(former: _Variant | None, study: Study, chosen: list[WhatIf], key: Any) -> _Variant:
    """The variant of a study that has changed; where edits were added and nothing else, the former one goes on with them."""
    rests_on, edits = _rests_on(study, chosen), _edits(study, chosen)
    if former is not None and former.rests_on == rests_on and len(chosen) == 1:
        open_study, known = former.study.known(), former.edits
        if open_study is not None and edits[: len(known)] == known:
            return _Variant(key, rests_on, edits, Once(lambda: _with_edits(open_study, edits[len(known) :])))
    return _Variant(key, rests_on, edits, Once(lambda: _made(study, chosen)))


def _rests_on(study: Study, chosen: Sequence[WhatIf]) -> Any:
    bodies = tuple(orjson.dumps([getattr(item, name) for name in MEMBERS]) for item in chosen)
    return study.content, tuple((ident, changed) for ident, (_, changed) in study.modes().items()), bodies


def _edits(study: Study, chosen: Sequence[WhatIf]) -> tuple[Edit, ...]:
    return tuple(edit for item in chosen for edit in ledger.edits_of(study.reading, item.id))


def _with_edits(known: Study, edits: Sequence[Edit]) -> Study:
    """A variant after further edits."""
    _hold(known, apply(known.graph, edits))
    return known


def _hold(known: Study, applied: Applied) -> None:
    with known.writing() as connection:
        known.change_streets(connection, applied.patch, applied.graph)
    known.hold_streets(applied.graph)


def _place_and_key(study: Study, chosen: Sequence[WhatIf]) -> tuple[tuple[Path, tuple[str, ...]], Any]:
    """Where a variant is held, and what it rests on."""
    key = (
        study.content,
        tuple((ident, changed) for ident, (_, changed) in study.modes().items()),
        tuple(version(study, item.id) for item in chosen),
    )
    return (study.path.resolve(), tuple(item.id for item in chosen)), key


def follow(study: Study, ident: str, known: Study, applied: Applied) -> None:
    """Let the variant of one what-if, which was as it was before an edit, be what the edit made of it; nothing is copied.

    Parameters:
        study: the study.
        ident: id of the what-if.
        known: its variant before.
        applied: what the edit did to the variant's streets.
    """
    _hold(known, applied)
    chosen = [what_if(study, ident)]
    place, key = _place_and_key(study, chosen)
    with _opening:
        _variants[place] = _Variant(key, _rests_on(study, chosen), _edits(study, chosen), Once(lambda: known))


def _made(study: Study, chosen: list[WhatIf]) -> Study:
    """A copy of the study with the changes of what-ifs."""
    folder = study.path.with_suffix(".awl") / "what-ifs"
    folder.mkdir(parents=True, exist_ok=True)
    litter.sweep(folder)
    path = folder / f"{litter.SCRATCH}{os.getpid()}-{uuid.uuid4().hex[:8]}.gpkg"
    target = geopackage.connect(path)
    try:
        study.reading.backup(target)
    finally:
        target.close()
    changed = Study(path)
    _ = study.graph
    changed.share(study)
    weakref.finalize(changed, litter.remove, path)
    for item in chosen:
        _apply(study, changed, item)
    return changed


def _apply(study: Study, changed: Study, idea: WhatIf) -> None:
    edits = ledger.edits_of(study.reading, idea.id)
    try:
        if edits:
            applied = apply(changed.graph, edits)
            with changed.writing() as connection:
                changed.change_streets(connection, applied.patch, applied.graph)
            changed.cached("graph", lambda: applied.graph)
        for ident, members in idea.modes.items():
            changed.save_mode(modes.parsed({**modes.document(changed.mode(ident)), **members, "id": ident}))
        for entry in idea.places:
            _change_places(changed, entry)
        if idea.lines:
            with changed.changing() as connection:
                drawn_lines.add(connection, idea.lines)
    except AwlError as error:
        raise AwlError(
            f"The what-if '{idea.title}' does not fit the study: {error.what}",
            where=error.where,
            remedy=error.remedy or "Undo what does not fit, or drop it",
            inputs=("what_if",),
            status=409,
            kind="what-if-does-not-fit",
        ) from error


def _change_places(study: Study, entry: dict[str, Any]) -> None:
    """Close the places of a layer that meet a condition, and open others."""
    ident = str(entry["layer"])
    layer = study.read_layer(ident)
    connection = study.reading
    if entry.get("close"):
        condition, parameters = to_sql(entry["close"], geopackage.field_names(connection, ident))
        rows = connection.execute(f'SELECT fid FROM "{ident}" WHERE {condition}', parameters)
        shut = {row[0] for row in rows}
        layer = layer.take([row for row, fid in enumerate(layer.columns["fid"]) if fid not in shut])
    columns = {name: column for name, column in layer.columns.items() if name != "fid"}
    places = Table(layer.geometry, columns)
    if entry.get("open"):
        new = geojson.from_document(entry["open"], "open")
        places = Table(
            np.concatenate([places.geometry, new.geometry]),
            {
                name: Column.of(
                    [*column.tolist(), *(new.columns[name].tolist() if name in new.columns else [None] * len(new))]
                )
                for name, column in columns.items()
            },
        )
    known = study.require_layer(ident)
    places = Table(places.geometry, places.columns, layer.notes, layer.key)
    study.add_layer(ident, places, known["title"], known["role"], known["source"])


# -- checking -----------------------------------------------------------------------------------------------------------


def _checked(study: Study, given: dict[str, Any]) -> dict[str, Any]:
    """The members of a what-if from outside."""
    unknown = sorted(set(given) - set(MEMBERS))
    if unknown:
        raise AwlError(
            f"A what-if has no member '{unknown[0]}'", remedy=f"Members: {', '.join(MEMBERS)}", inputs=(unknown[0],)
        )
    body: dict[str, Any] = {name: str(given.get(name) or "").strip() for name in ("title", "description", "date", "at")}
    if not 0 < len(body["title"]) <= 120 or len(body["description"]) > 2000 or len(body["date"]) > 40:
        raise AwlError("A what-if has a title of 1 to 120 characters", inputs=("title",))
    _check_moment(body["at"])
    body["modes"], body["places"] = given.get("modes") or {}, given.get("places") or []
    body["lines"] = drawn_lines.checked(given.get("lines") or [])
    if not isinstance(body["modes"], dict) or not all(isinstance(m, dict) for m in body["modes"].values()):
        raise AwlError(
            "'modes' names changed members by mode", remedy='Write {"walk": {"speed_kmh": 3}}', inputs=("modes",)
        )
    for ident, members in body["modes"].items():
        modes.parsed({**modes.document(study.mode(ident)), **members, "id": ident})
    if not isinstance(body["places"], list):
        raise AwlError(
            "'places' is a list", remedy='Write [{"layer": "shops", "close": "fid = 3"}]', inputs=("places",)
        )
    for entry in body["places"]:
        if not isinstance(entry, dict) or not set(entry) <= {"layer", "open", "close"} or "layer" not in entry:
            raise AwlError("An entry of 'places' has 'layer', 'open', 'close'", inputs=("places",))
        if not isinstance(entry.get("close") or "", str):
            raise AwlError("'close' is a condition in CQL2", remedy="Write it as text", inputs=("places",))
        layer = study.require_layer(str(entry["layer"]), "places")
        if layer["role"] not in CHANGEABLE:
            raise AwlError(f"'{entry['layer']}' is no layer of places", inputs=("places",))
        if entry.get("close"):
            to_sql(entry["close"], geopackage.field_names(study.reading, str(entry["layer"])))
        if entry.get("open"):
            geojson.from_document(entry["open"], "open")
    return body


def _check_moment(at: str) -> None:
    if not at:
        return
    try:
        datetime.fromisoformat(at)
    except ValueError as error:
        raise AwlError(
            f"'{at[:40]}' is no date and time", remedy="Write 2026-06-03T08:00", inputs=("at",), kind="bad-time"
        ) from error


def changes(study: Study, ident: str) -> tuple[list[LinkRecord], list[LinkRecord]]:
    """The links that a what-if changes or takes out, as the study has them, and those it changes or puts in, as it makes them.

    Raises `AwlError` where its edits do not fit what is there.
    """
    patch = apply(study.graph, ledger.edits_of(study.reading, what_if(study, ident).id)).patch
    return list(patch.links_before), list(patch.links_after)


def _free_id(connection: sqlite3.Connection, title: str) -> str:
    taken = {row[0] for row in connection.execute("SELECT id FROM awl_what_ifs")}
    base = name = slug(title)
    number = 2
    while name in taken:
        name, number = f"{base}_{number}", number + 1
    return name


def _there(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_what_ifs'").fetchone() is not None
