"""Which field of a line layer means what: class, name, speed, direction, level. Guessed from names and content, changeable."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.graph.build import STREET_CLASSES
from awl.core.graph.lines import LineStreets
from awl.io.table import Table
from awl.io.units import Units

NAMES = {
    "street_class": ("highway", "class", "fclass", "road_class", "kind", "type", "facility_type"),
    "name": ("name", "str_name", "street", "street_name", "label"),
    "speed": ("maxspeed", "v_kmh", "speed", "speed_kmh", "kmh", "limit", "free_speed"),
    "direction": ("dir", "direction", "oneway", "one_way", "dir_travel"),
    "level": ("level", "layer", "z_level", "grade"),
}
"""Names under which a field is looked for, best first."""
FloatPairs = np.ndarray[Any, np.dtype[np.float64]]
DIRECTION_VALUES = (
    ("F", "T", "B"), ("FT", "TF", "B"), ("forward", "backward", "both"), ("yes", "-1", "no"), ("1", "-1", "0"), ("1", "2", "0"),
)  # fmt: skip
"""Usual values for: along the drawn direction, against it, both ways."""


@dataclass(frozen=True)
class LineFields:
    """Names of fields (None: there is none) and what their values mean.

    A line whose direction field holds something else than the three values is open both ways. `default_class` is the
    class of every line without one that Awl knows. `cost_forward` and `cost_backward` are number fields with a cost of the whole
    line along and against its drawing (one alone holds for both); it becomes the cost `cost`, shared out by length where a
    line is broken.
    """

    street_class: str | None = None
    name: str | None = None
    speed: str | None = None
    direction: str | None = None
    forward: str = "F"
    backward: str = "T"
    both: str = "B"
    level: str | None = None
    cost_forward: str | None = None
    cost_backward: str | None = None
    default_class: str = "residential"

    def with_choices(self, choices: dict[str, str | None]) -> LineFields:
        """These fields with some chosen by the user; a choice of None keeps the guess, "none" means there is no such field."""
        known = {item.name for item in fields(self)}
        values = {key: None if value == "none" else value for key, value in choices.items() if value is not None}
        if unknown := set(values) - known:
            raise AwlError(
                f"'{sorted(unknown)[0]}' is no setting of a line layer",
                remedy=f"Settings are: {', '.join(sorted(known))}",
            )
        return replace(self, **values)  # type: ignore[arg-type]


@dataclass(frozen=True)
class BuildOptions:
    """How streets are built, beyond the defaults. The first three concern line layers only.

    `layer` is the layer of a file that holds several, `choices` overrule the guessed `LineFields`, `tolerance_m` closes gaps
    at ends. Nodes are numbered from `first_node`, or by the points of `nodes` (a file, with its layer and number field).
    `crs` says what the coordinates of the file are, in place of what it states. Classes in `without` are left out. `weight`
    names the given length of links in a drawing without geography. Chains of like links are merged unless `merge` is off.
    `units` are those of speeds and lengths in tables.
    Lines are broken where they cross unless `break_crossings` is off. With `strict` a faulty node or row refuses the file;
    otherwise it is left out and counted.
    """

    layer: str | None = None
    choices: dict[str, str | None] = field(default_factory=dict)
    tolerance_m: float = 0.5
    first_node: int = 1
    nodes: Path | None = None
    nodes_layer: str | None = None
    nodes_field: str | None = None
    crs: str | None = None
    without: tuple[str, ...] = ()
    weight: str | None = None
    merge: bool = True
    strict: bool = False
    break_crossings: bool = True
    units: Units = field(default_factory=Units)

    @property
    def numbers_nodes(self) -> bool:
        """Whether the user says how nodes are numbered."""
        return self.nodes is not None or self.first_node != 1


@dataclass(frozen=True)
class LineNotes:
    """What was assumed where the fields say nothing, as counts of lines."""

    lines: int
    without_known_class: int
    without_speed: int
    direction_not_understood: int
    left_out: int


def guess(layer: Table) -> LineFields:
    """The fields of a line layer, from their names and, for the direction, their values."""
    lower = {name.lower(): name for name in layer.columns}
    fields = {role: next((lower[name] for name in names if name in lower), None) for role, names in NAMES.items()}
    guessed = replace(LineFields(), **fields)  # type: ignore[arg-type]
    if guessed.direction is None:
        return guessed
    seen = {_text(value) for value in layer.columns[guessed.direction]} - {""}
    for forward, backward, both in DIRECTION_VALUES:
        if seen and seen <= {forward, backward, both}:
            return replace(guessed, forward=forward, backward=backward, both=both)
    return guessed


def streets_of(layer: Table, chosen: LineFields, source: str) -> tuple[LineStreets, LineNotes]:
    """The streets of a line layer; multi-part lines are taken apart, each part keeps its feature's number."""
    kinds = Counter(np.asarray(shapely.get_type_id(layer.geometry)).tolist())
    wrong = sum(count for kind, count in kinds.items() if kind not in (-1, 1, 2, 5))
    if wrong or not (kinds[1] + kinds[2] + kinds[5]):
        raise AwlError(
            f"The layer holds {wrong or len(layer):,} features that are no lines: it cannot be taken for streets",
            where=source,
            remedy="Choose a layer of lines, or filter it first",
            kind="wrong-geometry",
        )
    for role in (*NAMES, "cost_forward", "cost_backward"):
        name = getattr(chosen, role)
        if name is not None and name not in layer.columns:
            raise AwlError(
                f"The layer has no field '{name}'", where=source, remedy=f"Fields are: {', '.join(layer.columns)}"
            )
    if chosen.default_class not in STREET_CLASSES:
        raise AwlError(
            f"'{chosen.default_class}' is no class of street", remedy=f"Classes are: {', '.join(STREET_CLASSES)}"
        )
    parts, row = shapely.get_parts(layer.geometry, return_index=True)
    drawn = ~shapely.is_empty(parts)
    parts, row = shapely.force_2d(parts[drawn]), row[drawn]

    def column(role: str) -> list[Any]:
        name = getattr(chosen, role)
        values = layer.columns[name] if name else [None] * len(layer)
        return [values[i] for i in row]

    classes = [text if text in STREET_CLASSES else None for text in map(_text, column("street_class"))]
    speeds = [_speed(value) for value in column("speed")]
    directions = {chosen.forward: "yes", chosen.backward: "-1", chosen.both: "no"}
    ways = [_text(value) for value in column("direction")]
    levels = [_level(value) for value in column("level")]
    tags: dict[str, list[str | None]] = {
        "highway": [value or chosen.default_class for value in classes],
        "name": [_text(value) or None for value in column("name")],
        "maxspeed": speeds,
        "oneway": [directions.get(way) for way in ways],
        "layer": [str(level) if level else None for level in levels],
    }
    notes = LineNotes(
        lines=len(parts),
        without_known_class=classes.count(None),
        without_speed=speeds.count(None),
        direction_not_understood=sum(way not in directions and way != "" for way in ways),
        left_out=int((~drawn).sum()) + kinds[-1],
    )
    columns = {key: Categorical.of(values) for key, values in tags.items() if any(v is not None for v in values)}
    return LineStreets(np.asarray(parts, object), columns, np.array(levels, np.int64), row.astype(np.int64) + 1), notes


def given_costs(layer: Table, chosen: LineFields, source: str) -> FloatPairs | None:
    """Cost of each feature along and against its drawing (n, 2), NaN where none is given; None without such fields."""
    names = [chosen.cost_forward or chosen.cost_backward, chosen.cost_backward or chosen.cost_forward]
    if names[0] is None:
        return None
    pair = np.full((len(layer), 2), np.nan)
    for side, name in enumerate(names):
        if name not in layer.columns:
            raise AwlError(
                f"The layer has no field '{name}'", where=source, remedy=f"Fields are: {', '.join(layer.columns)}"
            )
        for row, value in enumerate(layer.columns[name]):
            text = _text(value)
            try:
                pair[row, side] = float(text) if text else np.nan
            except ValueError as error:
                raise AwlError(
                    f"'{text}' is no number for a cost",
                    where=f"{source}, feature {row + 1}, field {name}",
                    remedy="Choose a number field",
                    inputs=("fields",),
                ) from error
    return pair


def _text(value: Any) -> str:
    """A value as text; whole numbers without a point, absent ones empty."""
    if value is None or value != value:
        return ""
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value).strip()


def _speed(value: Any) -> str | None:
    """A posted limit as OSM writes it; 0 and less mean that none is known."""
    text = _text(value)
    try:
        return f"{float(text):g}" if float(text) > 0 else None
    except ValueError:
        return text or None


def _level(value: Any) -> int:
    try:
        return int(float(_text(value) or 0))
    except ValueError:
        return 0


def settings(pairs: Sequence[str]) -> dict[str, str | None]:
    """`role=field` pairs of the command as choices."""
    values: dict[str, str | None] = {}
    for pair in pairs:
        role, equals, name = pair.partition("=")
        if not equals or not role or not name:
            raise AwlError(f"'{pair}' is no setting", remedy="Write --field direction=dir", inputs=("field",))
        values[role] = name
    return values
