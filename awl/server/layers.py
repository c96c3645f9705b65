"""The user's own layers in the browser: roles, selections, computed fields, single values, undo. Awl's own routes."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import shapely
from flask import Blueprint, Response, request
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.polygons import repaired
from awl.server.web import body, check_version, checked, expected_version, reply, study_of
from awl.study import editing, feeds, records
from awl.study.editing import Selection
from awl.study.study import Study, slug

api = Blueprint("layers", __name__)


class SelectionBody(BaseModel):
    """Which features: a CQL2 filter, a GeoJSON polygon they meet, their numbers."""

    model_config = ConfigDict(extra="forbid")

    filter: str | None = Field(None, max_length=4000)
    within: dict[str, Any] | None = None
    fids: list[int] | None = None

    def selection(self) -> Selection:
        """As the study takes it."""
        return Selection(self.filter, None if self.within is None else polygon(self.within), self.fids)


class KeepBody(SelectionBody):
    """A selection and the title of the layer it becomes."""

    title: str = Field(min_length=1, max_length=200)


class FieldBody(BaseModel):
    """A field and the expression of its values."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=60)
    expression: str = Field(min_length=1, max_length=4000)
    filter: str | None = Field(None, max_length=4000)


class ValueBody(BaseModel):
    """One value of one feature."""

    model_config = ConfigDict(extra="forbid")

    fid: int
    field: str
    value: str | float | int | bool | None


class ChangeBody(BaseModel):
    """What a layer is used as, called, and identified by; what is left out stays."""

    model_config = ConfigDict(extra="forbid")

    role: str | None = None
    title: str | None = None
    key: str | None = None


def polygon(document: dict[str, Any]) -> shapely.Geometry:
    """A polygon from GeoJSON: a geometry or a feature."""
    inner = document.get("geometry", document)
    try:
        shape = shapely.from_geojson(json.dumps(inner)) if isinstance(inner, dict) else None
    except shapely.errors.GEOSException:
        shape = None
    if shape is None or shapely.get_dimensions(shape) != 2 or shapely.is_empty(shape):
        raise AwlError("The area is no polygon in GeoJSON", remedy="Draw it again", inputs=("area",))
    sound: shapely.Geometry | None = repaired(np.array([shape], dtype=object)).shapes[0]
    if sound is None:
        raise AwlError("The area encloses nothing", remedy="Draw it again", inputs=("area",))
    return sound


def _changed(study: Study, layer_id: str, **more: Any) -> Response:
    entry = next(entry for entry in study.layers() if entry["id"] == layer_id)
    return reply({"layer": entry, "undo": editing.undoable(study, layer_id), **more}, ETag=f'"{entry["added"]}"')


def _version(study: Study, layer_id: str) -> str:
    """What tells a layer from what it was before a change; empty for rasters and timetables, which are replaced whole."""
    return next((entry["added"] for entry in records.layers(study.reading) if entry["id"] == layer_id), "")


@api.get("/studies/<study_id>/layers/<layer_id>")
def layer(study_id: str, layer_id: str) -> Response:
    """A layer with its fields, and how many changes can be undone."""
    study = study_of(study_id)
    study.require_layer(layer_id)
    return _changed(study, layer_id)


@api.patch("/studies/<study_id>/layers/<layer_id>")
def change(study_id: str, layer_id: str) -> Response:
    """Use a layer or raster as something else, call it something else, or let another field identify its features."""
    study, wanted = study_of(study_id), checked(ChangeBody, body())
    check_version(_version(study, layer_id), "layer")
    if wanted.role is not None:
        study.set_layer_role(layer_id, wanted.role)
    if wanted.key is not None:
        study.set_layer_key(layer_id, wanted.key)
    if wanted.title is not None:
        study.set_layer_title(layer_id, wanted.title)
    return reply({"id": layer_id})


@api.delete("/studies/<study_id>/layers/<layer_id>")
def drop(study_id: str, layer_id: str) -> Response:
    """Remove a layer, raster or timetable."""
    study = study_of(study_id)
    check_version(_version(study, layer_id), "layer")
    if any(entry.id == layer_id for entry in feeds.listed(study.reading)):
        feeds.drop(study, layer_id)
    else:
        study.drop_layer(layer_id)
    return reply({"id": layer_id})


@api.post("/studies/<study_id>/layers/<layer_id>/select")
def select(study_id: str, layer_id: str) -> Response:
    """Numbers of the features selected."""
    selection = editing.select(study_of(study_id), layer_id, checked(SelectionBody, body()).selection())
    return reply({"count": len(selection), "fids": selection})


@api.post("/studies/<study_id>/layers/<layer_id>/keep")
def keep(study_id: str, layer_id: str) -> Response:
    """Keep a selection as a layer."""
    study, wanted = study_of(study_id), checked(KeepBody, body())
    ident = slug(wanted.title)
    count = editing.keep_selection(study, layer_id, wanted.selection(), ident, wanted.title)
    return _changed(study, ident, count=count)


@api.post("/studies/<study_id>/layers/<layer_id>/fields")
def compute(study_id: str, layer_id: str) -> Response:
    """Compute a field."""
    study, wanted = study_of(study_id), checked(FieldBody, body())
    done = editing.compute_field(study, layer_id, wanted.name, wanted.expression, wanted.filter, expected_version())
    return _changed(study, layer_id, **done)


@api.put("/studies/<study_id>/layers/<layer_id>/values")
def put_value(study_id: str, layer_id: str) -> Response:
    """Change a value."""
    study, wanted = study_of(study_id), checked(ValueBody, body())
    editing.set_value(study, layer_id, wanted.fid, wanted.field, wanted.value, expected_version())
    return _changed(study, layer_id)


@api.post("/studies/<study_id>/layers/<layer_id>/undo")
def undo(study_id: str, layer_id: str) -> Response:
    """Take the last change back."""
    study = study_of(study_id)
    body()
    return _changed(study, layer_id, undone=editing.undo(study, layer_id, expected_version()))


@api.get("/studies/<study_id>/layers/<layer_id>/table")
def table(study_id: str, layer_id: str) -> Response:
    """Attributes of the features of a layer without their shapes, for the table beside the map."""
    study = study_of(study_id)
    layer = study.read_layer(layer_id, request.args.get("filter") or None, limit=20_000)
    return reply({"columns": layer.lists(), "count": len(layer)})
