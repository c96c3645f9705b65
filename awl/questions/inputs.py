"""What questions take: sets of features, limits, times, and the inputs that all of them share."""

from __future__ import annotations

import math
import re
from datetime import datetime
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, field_validator, model_validator
from pydantic.fields import FieldInfo

from awl.core.errors import AwlError
from awl.questions.slots import Clause, Offer, Points, number_word, slot

Json = dict[str, Any]
MAX_MINUTES = 24 * 60
MAX_METRES = 1_000_000
MAX_LIMITS = 12


class LayerSet(BaseModel):
    """A set of features by layer, filtered by CQL2 text."""

    model_config = ConfigDict(extra="forbid")
    layer: str
    where: str | None = None
    inside: str | None = Field(
        None,
        description="Id of a question of the sheet: only features whose middle lies inside the areas of its answer.",
    )


class AnswerSet(BaseModel):
    """Features of a kept answer: a result of a question of the sheet, filtered by CQL2 text."""

    model_config = ConfigDict(extra="forbid")
    answer: str
    part: str | None = Field(None, description="Which result; the first with geometry where left out.")
    where: str | None = None


class GeoJson(BaseModel):
    """A GeoJSON object given outright; its content is read by `awl.io.geojson`."""

    model_config = ConfigDict(extra="allow")
    type: Literal[
        "FeatureCollection",
        "Feature",
        "Point",
        "MultiPoint",
        "LineString",
        "MultiLineString",
        "Polygon",
        "MultiPolygon",
    ]


class NamedPlace(BaseModel):
    """A place by name, address or coordinates in any common notation, found in the study."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=200)


Position = Annotated[list[float], Field(min_length=2, max_length=3)]


def _as_features(value: Any) -> Any:
    """Short forms of a set of features: lon,lat points as GeoJSON, a text as a layer or a name."""
    if isinstance(value, str):
        return {"layer": value} if LAYER_ID.match(value) else {"name": value}
    if not isinstance(value, list) or not value:
        return value
    points = [value] if _is_position(value) else value
    if all(_is_position(point) for point in points):
        return {"type": "MultiPoint", "coordinates": points} if len(points) == 1 else _collection(points)
    return value


def _is_position(value: Any) -> bool:
    numbers = isinstance(value, list | tuple) and len(value) in (2, 3)
    return numbers and all(isinstance(v, int | float) and not isinstance(v, bool) for v in value)


def _collection(points: list[Any]) -> Json:
    geometries = ({"type": "Point", "coordinates": point} for point in points)
    features = [{"type": "Feature", "properties": {}, "geometry": geometry} for geometry in geometries]
    return {"type": "FeatureCollection", "features": features}


FeatureSet = Annotated[LayerSet | AnswerSet | NamedPlace | GeoJson, BeforeValidator(_as_features)]
LAYER_ID = re.compile(r"[A-Za-z_][A-Za-z0-9_]*$")
FEATURE_WORDS = (
    'a layer ({"layer": "cool_rooms"}), points ([[lon, lat], ...]), a name or address ({"name": "Heron Lane 5"}),'
    " or GeoJSON"
)
"""What a set of features may be, as an error says it."""


DIRECTION_WORDS = {"from": "leaving", "to": "bound for"}
USUAL_LIMITS = {"time": [5, 10, 15], "distance": [400, 800, 1200]}
"""Limits that most questions use, by what they count."""
MEASURE_WORDS = {"time": "quickest", "distance": "shortest"}


class SharedInputs(BaseModel):
    """Inputs that every question has."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)

    mode: str = Field(
        "walk", description="Who moves: the id of a mode.", json_schema_extra=slot("mode", "Mode", "mode")
    )
    at: str | None = Field(
        None,
        description="Local date and time such as 2026-06-05T08:00: speeds, gates and turns of that hour hold for the whole "
        "trip; null means free flow.",
        json_schema_extra=slot(
            "time",
            "Hour",
            "moment",
            text="on {}",
            nothing="in free flow",
            clause=Clause(text="{at}", rank=0, always=True),
        ),
    )
    snap: float = Field(
        100.0,
        gt=0,
        le=5000,
        description="How far, in metres, a place may lie from a usable street.",
        json_schema_extra=number_word(
            "Snapping",
            "{} m",
            "m at most between a place and a usable street",
            clause=Clause(text="up to {snap} from a street", rank=4),
            offer=Offer(label="Snapping", hint="How far a place may lie from a usable street", always=True, rank=9),
        ),
    )
    closures: GeoJson | None = Field(
        None,
        description="Points, lines or polygons in GeoJSON: the street nearest to a point, and every street that a line or "
        "polygon touches, is closed for this question. A property `factor` of a feature leaves that share of the speed instead.",
        json_schema_extra=slot(
            "place",
            "Closed streets",
            "closures",
            points=Points(empty="a street", hints=["close the street there"]),
            clause=Clause(text="with {closures}", rank=5),
            offer=Offer(
                label="Close a street",
                hint="The street that is clicked is closed for this question",
                by="map",
                always=True,
                rank=0,
            ),
        ),
    )
    what_if: list[str] | None = Field(
        None,
        max_length=5,
        description="What-ifs of the study, by id: the question is asked of the study as it would be with them, in this order.",
        json_schema_extra=slot(
            "way",
            "What if",
            "what-ifs",
            nothing="as it is",
            clause=Clause(text="with {what_if}", rank=6),
            offer=Offer(label="What if", hint="Ask of the study as it would be with changes", rank=8),
        ),
    )

    window: int = Field(
        60,
        ge=1,
        le=240,
        description="By public transport: for so many minutes from `at`, one departure in each; of trips to places, arrivals.",
        json_schema_extra=number_word(
            "Window",
            "{} min",
            "minutes of departures",
            clause=Clause(text="over {window} from then", rank=1, always=True),
            transit=True,
        ),
    )
    percentile: float = Field(
        50.0,
        ge=0,
        le=100,
        description="By public transport: the percentage of departures that keep a time, for it to count; 50 for the median.",
        json_schema_extra=number_word(
            "Share of journeys",
            "{}%",
            "% of journeys keep the time",
            clause=Clause(text="for {percentile} of journeys", rank=2, always=True),
            transit=True,
        ),
    )
    max_changes: int | None = Field(
        None,
        ge=0,
        le=7,
        description="By public transport: the most changes; any number where left out.",
        json_schema_extra=number_word(
            "Changes",
            "{}",
            "changes at most",
            nothing="any number",
            clause=Clause(text="with changes limited to {max_changes}", rank=3),
            offer=Offer(label="Limit changes", hint="How often one changes at most", rank=2),
            transit=True,
        ),
    )
    max_walk: float = Field(
        15.0,
        gt=0,
        le=120,
        description="By public transport: the longest walk to, between and from stops, in minutes.",
        json_schema_extra=number_word(
            "Walk",
            "{} min",
            "minutes of walking at most, each time",
            clause=Clause(text="walking at most {max_walk} at a time", rank=3),
            offer=Offer(label="Longest walk", hint="How far one walks to, between and from stops", always=True, rank=3),
            transit=True,
        ),
    )
    max_wait: float | None = Field(
        None,
        ge=0,
        le=240,
        description="By public transport: the longest wait at a change, in minutes beyond what it needs; any where left out.",
        json_schema_extra=number_word(
            "Wait",
            "{} min",
            "minutes of waiting at most, at each change",
            nothing="any time",
            clause=Clause(text="waiting at most {max_wait} at a change", rank=3),
            offer=Offer(label="Longest wait", hint="How long one waits at a change at most", always=True, rank=3),
            transit=True,
        ),
    )

    @model_validator(mode="before")
    @classmethod
    def _one_stands_for_a_list(cls, given: Any) -> Any:
        if not isinstance(given, dict):
            return given
        infos = {name: info for field, info in cls.model_fields.items() for name in (field, info.alias)}
        return {name: _as_list(value, infos[name]) if name in infos else value for name, value in given.items()}

    @field_validator("at")
    @classmethod
    def _a_local_time(cls, value: str | None) -> str | None:
        if value is None or value == "":
            return None
        try:
            when = datetime.fromisoformat(value)
        except ValueError:
            raise ValueError(f"'{value}' is no date and time; write 2026-06-05T08:00") from None
        if when.tzinfo is not None:
            raise ValueError("it is local time: leave the time zone out")
        return when.isoformat(timespec="minutes")

    @property
    def when(self) -> datetime | None:
        """The hour, None for free flow."""
        return None if self.at is None else datetime.fromisoformat(self.at)

    @field_validator("what_if", mode="before")
    @classmethod
    def _one_what_if(cls, value: Any) -> Any:
        return [value] if isinstance(value, str) and value else value or None

    @property
    def what_ifs(self) -> list[str]:
        """Ids of the what-ifs, in the order in which they stand on each other."""
        return self.what_if or []


def moment(text: str | None) -> datetime | None:
    """A local date and time such as 2026-06-05T08:00; None for free flow."""
    try:
        return SharedInputs.model_validate({"at": text}).when
    except ValueError as error:
        raise AwlError("'at' is no local date and time", remedy="Write 2026-06-05T08:00", inputs=("at",)) from error


def ordinal(n: int) -> str:
    """1st, 2nd, 3rd, 4th, 11th."""
    ending = "th" if n % 100 in (11, 12, 13) else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{ending}"


def check_limits(limits: list[float], measure: str, name: str = "limits") -> list[float]:
    """Limits must be finite, positive, ascending and sane; returns them. `name` is the input they are."""
    most, unit = (MAX_MINUTES, "minutes") if measure == "time" else (MAX_METRES, "metres")
    for value in limits:
        if not math.isfinite(value) or value <= 0:
            raise AwlError(
                f"The limit {value:g} is not above zero",
                remedy=f"Give positive {unit}, for example 5, 10, 15",
                inputs=(name,),
            )
        if value > most:
            raise AwlError(
                f"The limit {value:g} is more than {most:,} {unit}",
                remedy=f"Limits are in {unit}; give smaller ones",
                inputs=(name,),
            )
    if any(b <= a for a, b in zip(limits, limits[1:], strict=False)):
        raise AwlError(
            f"The limits {', '.join(f'{v:g}' for v in limits)} do not ascend",
            remedy="Order them from small to large, each once",
            inputs=(name,),
        )
    return limits


def _as_list(value: Any, info: FieldInfo) -> Any:
    """A list from what stands for one where an input takes a list: words with commas between, or a single thing."""
    kind = info.annotation
    kinds = [kind] if get_origin(kind) is list else [inner for inner in get_args(kind) if get_origin(inner) is list]
    if value is None or isinstance(value, list) or takes_features(info) or not kinds:
        return value
    if isinstance(value, str) and "," in value:
        return [word.strip() for word in value.split(",")]
    return [value] if get_origin(kind) is list else value


Limits = Annotated[list[float], Field(min_length=1, max_length=MAX_LIMITS)]


def takes_features(info: FieldInfo) -> bool:
    """Whether an input is a set of features."""
    return "LayerSet" in str(info.annotation)
