"""The OpenAPI document of a study's API, made from the questions' models."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from pydantic.json_schema import models_json_schema

from awl import __version__
from awl.questions import QUESTIONS
from awl.questions.slots import QuestionWords
from awl.server import health
from awl.views.view import VIEW

Json = dict[str, Any]


def _object(description: str) -> Json:
    return {"description": description, "content": {"application/json": {"schema": {"type": "object"}}}}


LATER = "It takes longer than a request waits: a job, at the address in Location"


def _response(description: str, name: str, media: str = "application/json") -> Json:
    return {"description": description, "content": {media: {"schema": {"$ref": f"#/components/schemas/{name}"}}}}


def _parameter(name: str, place: str, schema: Json, description: str = "") -> Json:
    return {
        "name": name,
        "in": place,
        "required": place == "path",
        "schema": schema,
        "description": description,
    }


def _view_schemas() -> Json:
    """The schemas of views by name, made from their classes."""
    view = VIEW.json_schema(ref_template="#/components/schemas/{model}")
    schemas: Json = view.pop("$defs")
    for name in ("title", "figures", "method"):  # documents hold these beside the view
        view["properties"].pop(name)
    view["required"] = [name for name in view.get("required", []) if name in view["properties"]]
    return {**schemas, "View": view}


_TEXT: Json = {"type": "string"}
_PROBLEMS: Json = {
    "400": _response("The request is at fault", "Problem", "application/problem+json"),
    "404": _response("There is no such thing", "Problem", "application/problem+json"),
}
_SCHEMAS: Json = {
    "Problem": {
        "type": "object",
        "description": "RFC 9457 problem",
        "required": ["type", "title", "status", "detail"],
        "properties": {
            "type": _TEXT,
            "title": _TEXT,
            "status": {"type": "integer"},
            "detail": _TEXT,
            "inputs": {"type": "array", "items": _TEXT},
        },
    },
    "Link": {
        "type": "object",
        "required": ["href", "rel"],
        "properties": {"href": _TEXT, "rel": _TEXT, "type": _TEXT, "title": _TEXT},
    },
    "Doubt": {
        "type": "object",
        "required": ["code", "grade", "count", "text"],
        "properties": {
            "code": _TEXT,
            "grade": {"type": "string", "enum": ["error", "warning", "note"]},
            "count": {"type": "integer"},
            "text": _TEXT,
            "where": {"type": "array", "items": {"$ref": "#/components/schemas/Spot"}},
        },
    },
    "Spot": {
        "type": "object",
        "required": ["name", "note", "at"],
        "properties": {
            "name": _TEXT,
            "note": _TEXT,
            "at": {"type": "array", "items": {"type": "number"}, "minItems": 2, "maxItems": 2},
        },
    },
    "Results": {
        "type": "object",
        "required": ["title", "summary", "figures", "doubts", "method", "view", "schema"],
        "properties": {
            "title": _TEXT,
            "summary": {"type": "object", "additionalProperties": True},
            "figures": {"type": "array", "items": {"$ref": "#/components/schemas/Figure"}},
            "doubts": {"type": "array", "items": {"$ref": "#/components/schemas/Doubt"}},
            "method": {"type": "array", "items": _TEXT},
            "view": {"$ref": "#/components/schemas/View"},
            "parts": {
                "type": "array",
                "items": {"type": "string"},
                "description": "Names of all results there are, also of those that were not asked for.",
            },
            "schema": {
                "type": "object",
                "description": "The columns of each part",
                "additionalProperties": {"type": "array", "items": {"$ref": "#/components/schemas/ColumnSchema"}},
            },
        },
        "additionalProperties": True,
    },
    "ColumnSchema": {
        "type": "object",
        "required": ["name", "type"],
        "properties": {
            "name": _TEXT,
            "type": {"type": "string", "enum": ["integer", "number", "boolean", "text"]},
            "unit": _TEXT,
            "quantity": {**_TEXT, "description": "What it measures, such as share_within"},
            "of": {**_TEXT, "description": "The field or layer it is counted of"},
            "limit": {"type": "number", "description": "The limit it holds for"},
            "nth": {"type": "integer"},
            "run": {"type": "string", "enum": ["other", "change"]},
        },
    },
    "StatusInfo": {
        "type": "object",
        "required": ["jobID", "processID", "type", "status", "progress", "message"],
        "properties": {
            "jobID": _TEXT,
            "processID": _TEXT,
            "type": _TEXT,
            "status": {"type": "string", "enum": ["accepted", "running", "successful", "failed", "dismissed"]},
            "message": _TEXT,
            "progress": {"type": "integer", "minimum": 0, "maximum": 100},
            "secondsLeft": {"type": "number"},
            "question": _TEXT,
            "created": _TEXT,
            "started": _TEXT,
            "finished": _TEXT,
            "links": {"type": "array", "items": {"$ref": "#/components/schemas/Link"}},
        },
    },
    "Collection": {
        "type": "object",
        "required": ["id", "title", "links"],
        "properties": {
            "id": _TEXT,
            "title": _TEXT,
            "itemType": _TEXT,
            "extent": {"type": "object"},
            "crs": {"type": "array", "items": _TEXT},
            "links": {"type": "array", "items": {"$ref": "#/components/schemas/Link"}},
            "x-awl": {
                "type": "object",
                "required": ["role", "source", "added", "geometry", "count", "fields"],
                "properties": {
                    "role": _TEXT,
                    "source": _TEXT,
                    "added": _TEXT,
                    "geometry": _TEXT,
                    "count": {"type": "integer"},
                    "fields": {"type": "object", "additionalProperties": _TEXT},
                },
            },
        },
    },
    "Collections": {
        "type": "object",
        "required": ["collections", "links"],
        "properties": {
            "collections": {"type": "array", "items": {"$ref": "#/components/schemas/Collection"}},
            "links": {"type": "array", "items": {"$ref": "#/components/schemas/Link"}},
        },
    },
    "FeatureCollection": {
        "type": "object",
        "required": ["type", "features"],
        "properties": {"type": _TEXT, "features": {"type": "array", "items": {"type": "object"}}},
        "additionalProperties": True,
    },
}


@lru_cache(maxsize=1)
def _components() -> Json:
    models = [(QuestionWords, "validation"), *((q.Inputs, "validation") for q in QUESTIONS.values())]
    _, schema = models_json_schema(models, by_alias=True, ref_template="#/components/schemas/{model}")  # type: ignore[arg-type]
    schemas = {**_view_schemas(), **_SCHEMAS, **schema["$defs"]}
    for q in QUESTIONS.values():
        schemas[f"{q.Inputs.__name__.removesuffix('Inputs')}Request"] = {
            "type": "object",
            "required": ["inputs"],
            "properties": {
                "inputs": {"$ref": f"#/components/schemas/{q.Inputs.__name__}"},
                "outputs": {"type": "object", "additionalProperties": {"type": "object"}},
                "question": _TEXT,
            },
        }
    return schemas


def openapi_document(server: str = "/") -> Json:
    """OpenAPI 3.1 description of one study's API at `server`."""
    limit = _parameter("limit", "query", {"type": "integer", "minimum": 1, "maximum": 10000, "default": 100})
    offset = _parameter("offset", "query", {"type": "integer", "minimum": 0, "default": 0})
    system = _parameter("crs", "query", _TEXT, "URI of the coordinate system of the answer; CRS84 unless said")
    choosing = [
        _parameter("bbox", "query", _TEXT, "west,south,east,north in degrees, or in the system of bbox-crs"),
        _parameter("bbox-crs", "query", _TEXT, "URI of the coordinate system of bbox"),
        _parameter("filter", "query", _TEXT, "CQL2 text; a queryable may be named as a parameter too"),
        _parameter("filter-lang", "query", {"type": "string", "enum": ["cql2-text"]}),
        _parameter("filter-crs", "query", _TEXT, "URI of the coordinate system of the filter; CRS84"),
        _parameter("datetime", "query", _TEXT, "RFC 3339; layers have no time, so all features match"),
        _parameter("sortby", "query", _TEXT, "fields, each with - before it for falling order"),
        _parameter("properties", "query", _TEXT, "the fields wanted"),
    ]
    ident = _parameter("collectionId", "path", _TEXT)
    job = _parameter("jobId", "path", _TEXT)
    paths: Json = {
        "/": {"get": {"summary": "Landing page", "responses": {"200": _object("Links")}}},
        "/conformance": {"get": {"summary": "Conformance", "responses": {"200": _object("Classes")}}},
        "/collections": {"get": {"summary": "Layers", "responses": {"200": _response("Layers", "Collections")}}},
        "/collections/{collectionId}": {
            "get": {
                "parameters": [ident],
                "summary": "A layer",
                "responses": {"200": _response("Layer", "Collection"), **_PROBLEMS},
            }
        },
        "/collections/{collectionId}/items": {
            "get": {
                "summary": "Features",
                "parameters": [ident, limit, offset, system, *choosing],
                "responses": {"200": _response("Features", "FeatureCollection", "application/geo+json"), **_PROBLEMS},
            }
        },
        "/collections/{collectionId}/items/{featureId}": {
            "get": {
                "summary": "A feature",
                "parameters": [ident, _parameter("featureId", "path", {"type": "integer"}), system],
                "responses": {"200": _object("Feature"), **_PROBLEMS},
            }
        },
        **{
            f"/collections/{{collectionId}}/{name}": {
                "get": {"summary": summary, "parameters": [ident], "responses": {"200": _object(summary), **_PROBLEMS}}
            }
            for name, summary in (
                ("queryables", "JSON Schema of the fields a filter may name"),
                ("schema", "JSON Schema of the features"),
                ("tiles", "Tilesets"),
                ("tiles/WebMercatorQuad", "Tileset"),
            )
        },
        "/tileMatrixSets": {"get": {"summary": "Tiling schemes", "responses": {"200": _object("Tiling schemes")}}},
        "/tileMatrixSets/WebMercatorQuad": {
            "get": {"summary": "A tiling scheme", "responses": {"200": _object("Tiling scheme")}}
        },
        "/api": {"get": {"summary": "This document", "responses": {"200": _object("OpenAPI 3.1 document")}}},
        "/collections/{collectionId}/tiles/WebMercatorQuad/{z}/{y}/{x}": {
            "get": {
                "summary": "Vector tile",
                "parameters": [ident, *[_parameter(k, "path", {"type": "integer", "minimum": 0}) for k in "zyx"]],
                "responses": {
                    "200": {"description": "Tile", "content": {"application/vnd.mapbox-vector-tile": {}}},
                    "204": {"description": "Nothing in this tile"},
                    **_PROBLEMS,
                },
            }
        },
        "/processes": {"get": {"summary": "Questions", "responses": {"200": _object("Processes")}}},
        "/processes/{processId}": {
            "get": {
                "summary": "A question",
                "parameters": [_parameter("processId", "path", {"type": "string", "enum": list(QUESTIONS)})],
                "responses": {"200": _object("Process"), **_PROBLEMS},
            }
        },
        "/jobs": {"get": {"summary": "Jobs", "responses": {"200": _object("Jobs")}}},
        "/jobs/{jobId}": {
            "get": {
                "summary": "Job",
                "parameters": [job],
                "responses": {"200": _response("Status", "StatusInfo"), **_PROBLEMS},
            },
            "delete": {
                "summary": "Stop",
                "parameters": [job],
                "responses": {"200": _response("Status", "StatusInfo"), **_PROBLEMS},
            },
        },
        "/jobs/{jobId}/results": {
            "get": {
                "summary": "Results",
                "parameters": [job],
                "responses": {"200": _response("Results", "Results"), **_PROBLEMS},
            }
        },
    }
    for q in QUESTIONS.values():
        name = q.Inputs.__name__.removesuffix("Inputs")
        paths[f"/processes/{q.id}/execution"] = {
            "post": {
                "summary": q.title,
                "description": q.description,
                "parameters": [_parameter("Prefer", "header", _TEXT, "respond-async runs it as a job")],
                "requestBody": {
                    "required": True,
                    "content": {"application/json": {"schema": {"$ref": f"#/components/schemas/{name}Request"}}},
                },
                "responses": {
                    "200": _response("Results", "Results"),
                    "201": _response("A job", "StatusInfo"),
                    "202": _response(LATER, "StatusInfo"),
                    "503": _response("Too much waits already; see Retry-After", "Problem", "application/problem+json"),
                    **_PROBLEMS,
                    "422": _response("It cannot be answered as asked", "Problem", "application/problem+json"),
                },
            }
        }
    paths[f"/processes/{health.PROCESS['id']}/execution"] = {
        "post": {
            "summary": health.PROCESS["title"],
            "description": health.PROCESS["description"],
            "parameters": [_parameter("Prefer", "header", _TEXT, "respond-async runs it as a job")],
            "requestBody": {"required": True, "content": {"application/json": {"schema": {"type": "object"}}}},
            "responses": {
                "200": _response("Results", "Results"),
                "201": _response("A job", "StatusInfo"),
                "202": _response(LATER, "StatusInfo"),
                **_PROBLEMS,
            },
        }
    }
    return {
        "openapi": "3.1.0",
        "info": {"title": "Awl", "version": __version__, "description": "Accessibility questions on street networks"},
        "servers": [{"url": server}],
        "paths": paths,
        "components": {"schemas": _components()},
    }
