"""The modes of a study: those that ship with Awl, and those the analyst copied or changed, as documents that can be given away.

A mode document is JSON; its fields are those of `ModeDocument`. It is checked before it is kept: every condition must be
readable and fit the types of the street attributes.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from awl.core.errors import AwlError
from awl.core.graph.build import LINK_CLASSES, STREET_KEYS
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import SHIPPED, Cost, Curve, Delays, Mode, Rule, Slope, Transit, Vehicle
from awl.core.modes.rules import NO_RULE
from awl.core.network.costs import MOST_COST
from awl.cql2.sql import to_sql
from awl.io import geopackage
from awl.io.graph_tables import field_of
from awl.study.records import now

SCHEMA = """
CREATE TABLE IF NOT EXISTS awl_modes (id TEXT PRIMARY KEY, body TEXT NOT NULL, changed TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS awl_mode_history (number INTEGER PRIMARY KEY, mode TEXT NOT NULL, body TEXT) STRICT
"""
KEPT_CHANGES = 200
MAX_RULES = 50
NUMBERS = ("width", "maxwidth", "maxheight", "maxweight", "lanes", "maxspeed", "layer", "length")
"""Street attributes that conditions compare as numbers, though the source writes them as text such as `3.5 m`."""

Speed = Annotated[float, Field(gt=0, le=300)]
Seconds = Annotated[float, Field(ge=0, le=3600)]
Word = Annotated[str, Field(min_length=1, max_length=60)]


class RuleDocument(BaseModel):
    """A rule: a CQL2 condition, and what holds for the streets that meet it."""

    model_config = ConfigDict(extra="forbid")

    where: str = Field(min_length=1, max_length=4000)
    use: Literal["forbid", "ends", "allow", "slow"]
    factor: float = Field(1.0, gt=0, le=1, description="Of a slow street: the share of its speed that is left.")


class DelaysDocument(BaseModel):
    """Seconds lost; see `awl.core.modes.mode.Delays`."""

    model_config = ConfigDict(extra="forbid")

    signals_s: Seconds = Field(0.0, description="At each node with signals.")
    crossing_s: Seconds = Field(0.0, description="At each crossing without signals.")
    barrier_s: Seconds = Field(0.0, description="At each gate that can be passed.")
    ferry_s: Seconds = Field(0.0, description="Waiting for a ferry.")
    left_s: Seconds = Field(0.0, description="Turning left at a node with a choice.")
    right_s: Seconds = Field(0.0, description="Turning right at a node with a choice.")
    back_s: Seconds = Field(0.0, description="Turning back.")
    give_way_s: Seconds = Field(0.0, description="From a minor street to a main one without signals.")
    start_s: Seconds = Field(0.0, description="At the start of each trip.")
    end_s: Seconds = Field(0.0, description="At the end of each trip.")


class SlopeDocument(BaseModel):
    """What slope does, where the study has heights."""

    model_config = ConfigDict(extra="forbid")

    by: Literal["none", "hiking", "power"] = "none"
    limit: float = Field(0.0, ge=0, le=0.4, description="Steepest grade that is used, 0.08 for 8 %; 0 for any.")
    power_w: float = Field(100.0, ge=20, le=1000)
    mass_kg: float = Field(90.0, ge=20, le=500)


class VehicleDocument(BaseModel):
    """What the vehicle measures; 0 where it does not matter."""

    model_config = ConfigDict(extra="forbid")

    height_m: float = Field(0.0, ge=0, le=20)
    width_m: float = Field(0.0, ge=0, le=20)
    weight_t: float = Field(0.0, ge=0, le=500)


class CurveDocument(BaseModel):
    """Share of free-flow speed left at each full hour, on some days, for some classes of street (all when empty)."""

    model_config = ConfigDict(extra="forbid")

    days: Literal["weekday", "saturday", "sunday", "every day"]
    classes: list[Word] = Field(default_factory=list, max_length=60)
    share: list[Annotated[float, Field(ge=0.05, le=2)]] = Field(min_length=24, max_length=24)


class CostDocument(BaseModel):
    """A cost of one's own: CQL2 expressions on street attributes, `length` and `duration_s` among them."""

    model_config = ConfigDict(extra="forbid")

    id: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    unit: str = Field("", max_length=20)
    along: str = Field(min_length=1, max_length=4000)
    against: str = Field("", max_length=4000, description="Against the drawn direction; empty: as along it.")
    missing: float | None = Field(None, ge=0, le=MOST_COST, description="For links on which it has no value.")


class TransitDocument(BaseModel):
    """How a mode rides by public transport."""

    model_config = ConfigDict(extra="forbid")

    slack_s: float = Field(60.0, ge=0, le=1800, description="What is allowed for at each boarding, in seconds.")
    routes: str = Field(
        "", max_length=4000, description="Which routes it uses, in CQL2: kind = 'tram'; all when empty."
    )
    stops: str = Field(
        "", max_length=4000, description="At which stops it boards and alights, in CQL2; all when empty."
    )
    on_wheels: bool = Field(False, description="Leaves out what somebody in a wheelchair cannot use.")
    with_bicycle: bool = Field(False, description="Uses trips alone that take bicycles.")
    first_by: str = Field(
        "", pattern=r"^([a-z][a-z0-9_]{0,39})?$", description="The mode by which trips may begin, up to the first stop."
    )
    first_min: float = Field(20.0, gt=0, le=120, description="The longest way by it, in minutes.")
    park_at: str = Field(
        "", max_length=80, description="The layer of places where its vehicle is left; at the stop when empty."
    )
    stop_m: float = Field(100.0, gt=0, le=2000, description="How far a stop may lie from a street, in metres.")


class ModeDocument(BaseModel):
    """A mode as a document. Speeds in km/h."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["awl-mode-1"] = "awl-mode-1"
    id: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    title: Word
    traveller: Word
    speeds: dict[str, Speed] = Field(description="Classes of street it uses, each with its speed.")
    top_speed: Speed
    access: list[Word] = Field(min_length=1, max_length=12, description="Access tags, the most specific first.")
    obeys_oneway: bool
    contraflow: Word = Field(description="The tag that frees it from one-way streets.")
    reads_maxspeed: bool
    turns: list[Word] = Field(
        default_factory=list, max_length=12, description="Vehicles whose turn restrictions bind it."
    )
    barriers: list[Word] = Field(default_factory=list, max_length=60, description="Kinds of barrier it cannot pass.")
    rules: list[RuleDocument] = Field(default_factory=list, max_length=MAX_RULES)
    delays: DelaysDocument = Field(default_factory=lambda: DelaysDocument.model_validate({}))
    slope: SlopeDocument = Field(default_factory=lambda: SlopeDocument.model_validate({}))
    vehicle: VehicleDocument = Field(default_factory=lambda: VehicleDocument.model_validate({}))
    curves: list[CurveDocument] = Field(default_factory=list, max_length=20, description="The first that fits decides.")
    costs: list[CostDocument] = Field(default_factory=list, max_length=12)
    measured: str = Field("", max_length=60, description="Street attribute or given cost with measured speeds, km/h.")
    notes: list[Annotated[str, Field(max_length=400)]] = Field(default_factory=list, max_length=12)
    transit: TransitDocument | None = Field(None, description="How it rides by public transport; null: not at all.")

    def mode(self) -> Mode:
        """The mode the document describes; raises for a class of street that does not exist."""
        if unknown := set(self.speeds) - set(LINK_CLASSES):
            raise AwlError(
                f"'{sorted(unknown)[0]}' is no class of street",
                remedy=f"Classes are: {', '.join(LINK_CLASSES)}",
                inputs=("speeds",),
            )
        if unknown := {name for curve in self.curves for name in curve.classes} - set(LINK_CLASSES):
            raise AwlError(f"'{sorted(unknown)[0]}' is no class of street", inputs=("curves",))
        if self.transit is not None and (self.delays.start_s or self.delays.end_s):
            raise AwlError(
                "A mode that rides loses no time at the start and end of its walks",
                remedy="Set start_s and end_s to 0; slack_s of transit is what boarding needs",
                inputs=("delays",),
            )
        names = [cost.id for cost in self.costs]
        if taken := {"time", "distance"} & set(names) or {name for name in names if names.count(name) > 1}:
            raise AwlError(
                f"The name '{sorted(taken)[0]}' of a cost is taken", remedy="Choose another", inputs=("costs",)
            )
        return Mode(
            id=self.id,
            title=self.title,
            traveller=self.traveller,
            class_speed=dict(self.speeds),
            access_keys=tuple(self.access),
            top_speed=self.top_speed,
            obeys_oneway=self.obeys_oneway,
            reads_maxspeed=self.reads_maxspeed,
            contraflow_key=self.contraflow,
            turn_keys=tuple(self.turns),
            barriers=tuple(self.barriers),
            rules=tuple(Rule(**dict(rule)) for rule in self.rules),
            delays=Delays(**dict(self.delays)),
            slope=Slope(**dict(self.slope)),
            vehicle=Vehicle(**dict(self.vehicle)),
            curves=tuple(Curve(curve.days, tuple(curve.classes), tuple(curve.share)) for curve in self.curves),
            costs=tuple(Cost(**dict(cost)) for cost in self.costs),
            measured=self.measured,
            notes=tuple(self.notes),
            transit=None if self.transit is None else Transit(**dict(self.transit)),
        )


def document(mode: Mode) -> dict[str, Any]:
    """A mode as a document."""
    return ModeDocument(
        id=mode.id,
        title=mode.title,
        traveller=mode.traveller,
        speeds=mode.class_speed,
        top_speed=mode.top_speed,
        access=list(mode.access_keys),
        obeys_oneway=mode.obeys_oneway,
        contraflow=mode.contraflow_key,
        reads_maxspeed=mode.reads_maxspeed,
        turns=list(mode.turn_keys),
        barriers=list(mode.barriers),
        rules=[RuleDocument.model_validate(vars(rule)) for rule in mode.rules],
        delays=DelaysDocument.model_validate(vars(mode.delays)),
        slope=SlopeDocument.model_validate(vars(mode.slope)),
        vehicle=VehicleDocument.model_validate(vars(mode.vehicle)),
        curves=[CurveDocument.model_validate(vars(curve)) for curve in mode.curves],
        costs=[CostDocument.model_validate(vars(cost)) for cost in mode.costs],
        measured=mode.measured,
        notes=list(mode.notes),
        transit=None if mode.transit is None else TransitDocument.model_validate(vars(mode.transit)),
    ).model_dump()


def parsed(given: Any) -> Mode:
    """The mode of a document from outside; raises naming the field that is wrong."""
    try:
        return ModeDocument.model_validate(given).mode()
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"]) or "mode"
        raise AwlError(f"'{name}': {first['msg']}", remedy="See docs/modes.md", inputs=(name,)) from error


def listed(connection: sqlite3.Connection) -> dict[str, tuple[Mode, str]]:
    """All modes by id, with when each was changed (empty for one as shipped); shipped ones first."""
    own = {}
    if _there(connection):
        rows = connection.execute("SELECT id, body, changed FROM awl_modes ORDER BY rowid").fetchall()
        own = {ident: (parsed(json.loads(body)), changed) for ident, body, changed in rows}
    shipped = {ident: own.pop(ident, (mode, "")) for ident, mode in SHIPPED.items()}
    return {**shipped, **own}


def save(connection: sqlite3.Connection, mode: Mode) -> None:
    """Keep a mode; what was there before can be brought back. Runs inside the caller's transaction."""
    _remember(connection, mode.id)
    connection.execute(
        "INSERT OR REPLACE INTO awl_modes VALUES (?, ?, ?)", (mode.id, json.dumps(document(mode)), now())
    )


def remove(connection: sqlite3.Connection, ident: str) -> None:
    """Remove an own mode; a shipped one is as it was shipped again."""
    _remember(connection, ident)
    connection.execute("DELETE FROM awl_modes WHERE id = ?", (ident,))


def undo(connection: sqlite3.Connection) -> str | None:
    """Take the last change of any mode back; returns its id."""
    if not _there(connection):
        return None
    row = connection.execute("SELECT number, mode, body FROM awl_mode_history ORDER BY number DESC LIMIT 1").fetchone()
    if row is None:
        return None
    number, ident, body = row
    connection.execute("DELETE FROM awl_mode_history WHERE number = ?", (number,))
    connection.execute("DELETE FROM awl_modes WHERE id = ?", (ident,))
    if body is not None:
        connection.execute("INSERT INTO awl_modes VALUES (?, ?, ?)", (ident, body, now()))
    return str(ident)


def undoable(connection: sqlite3.Connection) -> int:
    """How many changes can be taken back."""
    return int(connection.execute("SELECT count(*) FROM awl_mode_history").fetchone()[0]) if _there(connection) else 0


def first_rule(connection: sqlite3.Connection, rules: Sequence[Rule], graph: StreetGraph) -> NDArray[np.int8]:
    """The number of the first rule that each link (m,) of a study's graph meets, or NO_RULE.

    Raises `AwlError` with the place in the condition that cannot be read or does not fit an attribute's type.
    """
    rule = np.full(graph.link_count, NO_RULE, np.int8)
    columns, types = street_columns(connection)
    for number in range(len(rules) - 1, -1, -1):
        try:
            condition, parameters = to_sql(rules[number].where, list(types), types)
        except AwlError as error:
            raise AwlError(
                f"Rule {number + 1}: {error.what}",
                remedy=error.remedy,
                inputs=(f"rules.{number}.where",),
                kind="bad-rule",
            ) from error
        rows = connection.execute(f"SELECT fid FROM (SELECT fid, {columns} FROM streets) WHERE {condition}", parameters)
        rule[graph.link_rows(np.fromiter((row[0] for row in rows), np.int64))] = number
    return rule


def street_columns(connection: sqlite3.Connection) -> tuple[str, dict[str, str]]:
    """SQL for the attributes of streets, and the type of each.

    An attribute that no street here carries is known all the same: it has no value.
    """
    there = geopackage.field_types(connection, "streets")
    types = dict.fromkeys(map(field_of, STREET_KEYS), "TEXT") | there
    types |= {name: "REAL" for name in NUMBERS if types.get(name) == "TEXT"}
    columns = ", ".join(
        f'NULL AS "{name}"' if name not in there else _as_number(name) if name in NUMBERS else f'"{name}"'
        for name in types
    )
    return columns, types


def _as_number(name: str) -> str:
    return f'CASE WHEN "{name}" GLOB \'[0-9.-]*\' THEN CAST("{name}" AS REAL) END AS "{name}"'


def _remember(connection: sqlite3.Connection, ident: str) -> None:
    for statement in SCHEMA.split(";"):
        connection.execute(statement)
    row = connection.execute("SELECT body FROM awl_modes WHERE id = ?", (ident,)).fetchone()
    connection.execute("INSERT INTO awl_mode_history (mode, body) VALUES (?, ?)", (ident, row[0] if row else None))
    connection.execute(
        "DELETE FROM awl_mode_history WHERE number <= (SELECT max(number) FROM awl_mode_history) - ?", (KEPT_CHANGES,)
    )


def _there(connection: sqlite3.Connection) -> bool:
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'awl_modes'").fetchone() is not None
