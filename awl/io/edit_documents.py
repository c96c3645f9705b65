"""Edits as GeoJSON features, both ways: the form in which they are exchanged, kept and told.

The geometry of a feature is the place or line of its edit, null where it has none. Its properties: `edit` (the kind), `links` and
`node` (ids), `tags` (attributes; null takes one away), `note`, and `first_ids` with the lowest `node` and `link` it numbers from.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from awl.core.errors import AwlError
from awl.core.graph.edits.edit import KINDS, MOST_LINKS, MOST_POINTS, Edit
from awl.core.graph.street_graph import MAX_ID

MOST_EDITS = 20_000
MOST_TAGS = 60
Id = Annotated[int, Field(ge=0, lt=MAX_ID)]
Position = Annotated[list[float], Field(min_length=2, max_length=3)]
Json = dict[str, Any]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


class FirstIds(_Strict):
    """The lowest ids an edit gives."""

    node: Id = 0
    link: Id = 0


class EditProperties(_Strict):
    """What an edit says beside its place."""

    edit: str
    links: list[Id] = Field([], max_length=MOST_LINKS)
    node: Id = 0
    tags: dict[Annotated[str, Field(min_length=1, max_length=60)], Annotated[str, Field(max_length=255)] | None] = (
        Field({}, max_length=MOST_TAGS)
    )
    note: str = Field("", max_length=500)
    first_ids: FirstIds | None = None


class PointPlace(_Strict):
    """A place."""

    type: Literal["Point"]
    coordinates: Position


class LinePlace(_Strict):
    """A line."""

    type: Literal["LineString"]
    coordinates: list[Position] = Field(max_length=MOST_POINTS)


class EditFeature(BaseModel):
    """One edit as a GeoJSON feature; members that GeoJSON allows beside are passed over."""

    model_config = ConfigDict(extra="ignore")
    type: Literal["Feature"]
    geometry: PointPlace | LinePlace | None = None
    properties: EditProperties


def document(edit: Edit) -> Json:
    """An edit as a GeoJSON feature.

    Parameters:
        edit: the edit.
    """
    properties: Json = {"edit": edit.kind}
    if edit.links:
        properties["links"] = list(edit.links)
    if edit.node:
        properties["node"] = edit.node
    if edit.tags:
        properties["tags"] = dict(edit.tags)
    if edit.note:
        properties["note"] = edit.note
    if edit.first_ids != (0, 0):
        properties["first_ids"] = dict(zip(("node", "link"), edit.first_ids, strict=True))
    places = [list(point) for point in edit.points]
    geometry = None
    if len(places) == 1:
        geometry = {"type": "Point", "coordinates": places[0]}
    elif places:
        geometry = {"type": "LineString", "coordinates": places}
    return {"type": "Feature", "geometry": geometry, "properties": properties}


def collection(edits: Sequence[Edit]) -> Json:
    """Edits as a GeoJSON feature collection, in their order.

    Parameters:
        edits: the edits.
    """
    return {"type": "FeatureCollection", "features": [document(edit) for edit in edits]}


def parsed(given: Any, settled: bool = False) -> list[Edit]:
    """The edits of a feature, a collection or a list of features.

    Parameters:
        given: JSON from outside.
        settled: keep the ids that edits number from; else they are numbered anew.

    Raises:
        AwlError: naming the feature and the member that is wrong.
    """
    features = given
    if isinstance(given, dict):
        features = given.get("features") if given.get("type") == "FeatureCollection" else [given]
    if not isinstance(features, list) or not features:
        raise AwlError(
            "There is no edit in it",
            remedy=f"Give GeoJSON features with a property 'edit': {', '.join(KINDS)}",
            inputs=("edits",),
            kind="no-edits",
        )
    if len(features) > MOST_EDITS:
        raise AwlError(f"{len(features):,} edits at once", remedy=f"Give at most {MOST_EDITS:,}", inputs=("edits",))
    return [_parsed(feature, number, settled) for number, feature in enumerate(features, 1)]


def _parsed(feature: Any, number: int, settled: bool) -> Edit:
    try:
        given = EditFeature.model_validate(feature)
    except ValidationError as error:
        first = error.errors()[0]
        member = ".".join(str(part) for part in first["loc"]) or "feature"
        raise AwlError(first["msg"], where=f"edit {number}, {member}", inputs=("edits",), kind="bad-edit") from error
    properties = given.properties
    positions: list[list[float]] = []
    if isinstance(given.geometry, PointPlace):
        positions = [given.geometry.coordinates]
    elif given.geometry is not None:
        positions = given.geometry.coordinates
    first_ids = (properties.first_ids.node, properties.first_ids.link) if settled and properties.first_ids else (0, 0)
    points = tuple((round(lon, 7), round(lat, 7)) for lon, lat, *_ in positions)
    try:
        return Edit(
            properties.edit,
            tuple(properties.links),
            properties.node,
            points,
            properties.tags,
            properties.note,
            first_ids,
        )
    except AwlError as error:
        raise AwlError(
            error.what, where=f"edit {number}", remedy=error.remedy, inputs=("edits",), kind="bad-edit"
        ) from error
