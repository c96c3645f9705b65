"""OGC API Common, Features (Parts 1 and 3) and Tiles for every study."""

from __future__ import annotations

from functools import lru_cache
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Response, request

from awl.core.errors import AwlError, nearest
from awl.cql2.sql import to_sql
from awl.io import geojson, geopackage
from awl.server.openapi import openapi_document
from awl.server.pages import page, rows_of, wants_page
from awl.server.reference_systems import CRS84, EPSG, box_in_degrees, moved, offered, system_of
from awl.server.tiles import tile_of
from awl.server.web import base_of, bbox, catalogue, known_parameters, link, reply, study_of, whole
from awl.study.records import now
from awl.study.study import Study

api = Blueprint("features", __name__)

CONFORMANCE = (
    "http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/landing-page",
    "http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/json",
    "http://www.opengis.net/spec/ogcapi-common-2/1.0/conf/collections",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson",
    "http://www.opengis.net/spec/ogcapi-common-1/1.0/conf/html",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/html",
    "http://www.opengis.net/spec/ogcapi-features-2/1.0/conf/crs",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/queryables",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/queryables-query-parameters",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/filter",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/features-filter",
    "http://www.opengis.net/spec/cql2/1.0/conf/cql2-text",
    "http://www.opengis.net/spec/cql2/1.0/conf/basic-cql2",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/tileset",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/tilesets-list",
    "http://www.opengis.net/spec/tms/2.0/conf/tilematrixset",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/geodata-tilesets",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/mvt",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/ogc-process-description",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/json",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/job-list",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/dismiss",
)
MAX_ITEMS = 10_000
MAX_ZOOM = 22
MAX_FID = 2**63 - 1
HALF_WORLD_M = 20037508.3427892
CELL_AT_0 = 2 * HALF_WORLD_M / 256
SCALE_AT_0 = CELL_AT_0 / 0.00028
"""By the standard a cell is 0.28 mm wide on the screen."""
PARAMETERS = (
    "bbox", "limit", "offset", "filter", "filter-lang", "filter-crs", "bbox-crs", "datetime", "crs", "sortby", "properties",
)  # fmt: skip
"""Query parameters of items; the names of fields are further ones."""


@api.get("/studies")
def studies() -> Response:
    """All studies of the server."""
    listed = []
    for ident in catalogue().ids():
        links = [link(base_of(ident), "self")]
        try:
            listed.append({"id": ident, "title": study_of(ident).title, "links": links})
        except AwlError as error:
            if error.kind == "damaged":
                listed.append({"id": ident, "title": ident, "problem": error.detail, "links": links})
            # Any other is a GeoPackage that is no study of Awl.
    return reply({"studies": listed})


@api.get("/studies/<study_id>")
def landing(study_id: str) -> Response:
    """OGC API landing page of a study."""
    study, base = study_of(study_id), base_of(study_id)
    links = [
        link(base, "self"),
        link(f"{base}/api", "service-desc", "application/vnd.oai.openapi+json;version=3.1"),
        link(f"{base}/conformance", "conformance"),
        link(f"{base}/collections", "data"),
        link(f"{base}/processes", "http://www.opengis.net/def/rel/ogc/1.0/processes"),
        link(f"{base}/jobs", "http://www.opengis.net/def/rel/ogc/1.0/job-list"),
    ]
    if wants_page():
        return page("landing.html", title=study.title, study=study_id, base=base, as_json=f"{base}?f=json")
    links += [
        link(f"{base}/tileMatrixSets", "http://www.opengis.net/def/rel/ogc/1.0/tiling-schemes"),
        link(f"{base}?f=html", "alternate", "text/html"),
    ]
    return reply({"id": study_id, "title": study.title, "description": "A study of Awl", "links": links})


@api.get("/studies/<study_id>/conformance")
def conformance(study_id: str) -> Response:
    """What the API conforms to."""
    study_of(study_id)
    return reply({"conformsTo": CONFORMANCE})


@api.get("/studies/<study_id>/api")
def description(study_id: str) -> Response:
    """The OpenAPI document."""
    study_of(study_id)
    return reply(openapi_document(base_of(study_id)), media="application/vnd.oai.openapi+json;version=3.1")


@api.get("/studies/<study_id>/collections")
def collections(study_id: str) -> Response:
    """All layers."""
    known_parameters()
    study, base = study_of(study_id), base_of(study_id)
    if wants_page():
        known = {"title": "Layers", "study_title": study.title, "base": base, "as_json": f"{base}/collections?f=json"}
        return page("collections.html", layers=study.layers(), **known)
    listed = [_collection(study, base, layer) for layer in study.layers()]
    links = [link(f"{base}/collections", "self"), link(f"{base}/collections?f=html", "alternate", "text/html")]
    return reply({"collections": listed, "links": links, "crs": offered(study)})


@api.get("/studies/<study_id>/collections/<collection_id>")
def collection(study_id: str, collection_id: str) -> Response:
    """One layer."""
    known_parameters()
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    layer, base = next(entry for entry in study.layers() if entry["id"] == collection_id), base_of(study_id)
    if wants_page():
        known = {"title": layer["title"], "study_title": study.title, "base": base}
        return page("collection.html", layer=layer, as_json=f"{base}/collections/{collection_id}?f=json", **known)
    return reply(_collection(study, base, layer))


def _collection(study: Study, base: str, layer: dict[str, Any]) -> dict[str, Any]:
    address = f"{base}/collections/{layer['id']}"
    row = study.reading.execute(
        "SELECT min_x, min_y, max_x, max_y FROM gpkg_contents WHERE table_name = ?", (layer["id"],)
    ).fetchone()
    return {
        "id": layer["id"],
        "title": layer["title"],
        "itemType": "feature",
        "extent": {"spatial": {"bbox": [list(row)], "crs": CRS84}},
        "crs": offered(study),
        "storageCrs": CRS84,
        "links": [
            link(address, "self"),
            link(f"{address}/items", "items", "application/geo+json"),
            link(f"{address}/tiles", "http://www.opengis.net/def/rel/ogc/1.0/tilesets-vector"),
            link(f"{address}/queryables", "http://www.opengis.net/def/rel/ogc/1.0/queryables", SCHEMA_MEDIA),
            link(f"{address}/schema", "http://www.opengis.net/def/rel/ogc/1.0/schema", SCHEMA_MEDIA),
            link(f"{address}?f=html", "alternate", "text/html"),
        ],
        "x-awl": {key: layer[key] for key in ("role", "source", "added", "geometry", "count", "fields")},
    }


@api.get("/studies/<study_id>/collections/<collection_id>/items")
def items(study_id: str, collection_id: str) -> Response:
    """Features of a layer as GeoJSON, by box, values and CQL2 filter, in an order and a coordinate system of choice."""
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    known = geopackage.field_names(study.reading, collection_id)
    known_parameters(*PARAMETERS, *known)
    if request.args.get("filter-lang", "cql2-text") != "cql2-text":
        raise AwlError("Only the filter language cql2-text is known", inputs=("filter-lang",))
    if request.args.get("filter-crs", CRS84) != CRS84:
        raise AwlError("Filters are in longitude and latitude (CRS84) alone", inputs=("filter-crs",))
    system = system_of(request.args.get("crs"), study, "crs")
    box = bbox()
    if box is not None:
        box = box_in_degrees(box, system_of(request.args.get("bbox-crs"), study, "bbox-crs"))
    limit, offset = whole("limit", 100, 1, MAX_ITEMS), whole("offset", 0, 0, 10**9)
    where = _condition(known, study, collection_id)
    wanted = _wanted_fields(known)
    matched = geopackage.count(study.reading, collection_id, where, box)
    layer = geopackage.read_table(
        study.reading, collection_id, where, box, limit, offset, wanted, _sorting([*known, "fid"])
    )
    document = _with_ids(geojson.collection(layer.with_geometry(moved(layer.geometry, system))))
    query = {key: value for key, value in request.args.items() if key != "offset"}
    base = base_of(study_id)
    address = f"{base}/collections/{collection_id}/items"
    links = [link(request.url, "self", "application/geo+json")]
    following = None
    if offset + len(layer) < matched:
        following = f"{address}?{urlencode({**query, 'limit': limit, 'offset': offset + limit})}"
        links.append(link(following, "next", "application/geo+json"))
    if wants_page():
        names, rows = rows_of(document)
        title = study.require_layer(collection_id)["title"]
        as_json = f"{address}?{urlencode({**query, 'f': 'json'})}"
        return page(
            "items.html", title=title, study_title=study.title, base=base, collection=collection_id, names=names, rows=rows,
            matched=matched, next=following, as_json=as_json,
        )  # fmt: skip
    links.append(link(f"{address}?{urlencode({**query, 'f': 'html'})}", "alternate", "text/html"))
    document |= {"numberMatched": matched, "numberReturned": len(layer), "timeStamp": now(), "links": links}
    return reply(document, media="application/geo+json", Content_Crs=f"<{system.uri}>")


def _condition(known: list[str], study: Study, collection_id: str) -> tuple[str, list[Any]]:
    """SQL of the filter and of the values asked for by the name of a field."""
    text = request.args.get("filter")
    sql, parameters = to_sql(text, known) if text else ("", [])
    terms, values = [f"({sql})"] if sql else [], list(parameters)
    for name in known:
        if name in request.args and name not in PARAMETERS:
            terms.append(f'CAST("{name}" AS TEXT) = ?')
            values.append(request.args[name])
    return " AND ".join(terms), values


def _wanted_fields(known: list[str]) -> list[str] | None:
    """The fields named by `properties`, None for all."""
    text = request.args.get("properties")
    if text is None:
        return None
    return [_known_field(name.strip(), known, "properties") for name in text.split(",") if name.strip()]


def _sorting(known: list[str]) -> list[tuple[str, bool]]:
    """Fields to sort by and whether they descend, from `sortby=+name,-seats`."""
    order = []
    for part in request.args.get("sortby", "").split(","):
        name = part.strip()  # a plus is a space in an address
        if name:
            order.append((_known_field(name.lstrip("+-"), known, "sortby"), name.startswith("-")))
    return order


def _known_field(name: str, known: list[str], parameter: str) -> str:
    if name not in known:
        raise AwlError(
            f"'{name[:60]}' is no field of the layer.{nearest(name, known)}",
            remedy=f"Fields are: {', '.join(known)}",
            inputs=(parameter,),
        )
    return name


@api.get("/studies/<study_id>/collections/<collection_id>/items/<int(max=9223372036854775807):fid>")
def item(study_id: str, collection_id: str, fid: int) -> Response:
    """One feature."""
    known_parameters("crs")
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    system = system_of(request.args.get("crs"), study, "crs")
    known = fid <= MAX_FID
    layer = geopackage.read_table(study.reading, collection_id, ("fid = ?", [fid if known else -1]))
    if len(layer) == 0:
        raise AwlError(f"'{collection_id}' has no feature {fid}", status=404, kind="no-such-feature")
    moved_layer = layer.with_geometry(moved(layer.geometry, system))
    feature = _with_ids(geojson.collection(moved_layer))["features"][0]
    address = f"{base_of(study_id)}/collections/{collection_id}"
    feature["links"] = [link(f"{address}/items/{fid}", "self", "application/geo+json"), link(address, "collection")]
    return reply(feature, media="application/geo+json", Content_Crs=f"<{system.uri}>")


JSON_TYPES = {"INTEGER": "integer", "REAL": "number", "BOOLEAN": "boolean", "TEXT": "string"}
SCHEMA_MEDIA = "application/schema+json"


@api.get("/studies/<study_id>/collections/<collection_id>/queryables")
def queryables(study_id: str, collection_id: str) -> Response:
    """What the features of a layer can be filtered by, as JSON Schema (Features, Part 3)."""
    known_parameters()
    return reply(_schema(study_id, collection_id, "queryables", False), media=SCHEMA_MEDIA)


@api.get("/studies/<study_id>/collections/<collection_id>/schema")
def schema(study_id: str, collection_id: str) -> Response:
    """What the features of a layer hold, as JSON Schema (Features, Part 5)."""
    known_parameters()
    return reply(_schema(study_id, collection_id, "schema", True), media=SCHEMA_MEDIA)


def _schema(study_id: str, collection_id: str, what: str, with_geometry: bool) -> dict[str, Any]:
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    layer = next(entry for entry in study.layers() if entry["id"] == collection_id)
    properties: dict[str, Any] = {
        name: {"title": name.replace("_", " "), "type": JSON_TYPES.get(kind.upper(), "string")}
        | ({"x-ogc-role": "id"} if name == layer["key"] else {})
        for name, kind in layer["fields"].items()
    }
    if with_geometry:
        kind = layer["geometry"].lower().replace("geometrycollection", "any")
        properties["geometry"] = {"x-ogc-role": "primary-geometry", "format": f"geometry-{kind}"}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"{base_of(study_id)}/collections/{collection_id}/{what}",
        "type": "object",
        "title": layer["title"],
        "properties": properties,
        "additionalProperties": False,
    }


def _with_ids(document: dict[str, Any]) -> dict[str, Any]:
    for feature in document["features"]:
        feature["id"] = feature["properties"].pop("fid")
    return document


@api.get("/studies/<study_id>/collections/<collection_id>/tiles")
def tilesets(study_id: str, collection_id: str) -> Response:
    """The tile sets of a layer: one, in web Mercator."""
    study = study_of(study_id)
    title = study.require_layer(collection_id, "collectionId")["title"]
    address = f"{base_of(study_id)}/collections/{collection_id}/tiles/WebMercatorQuad"
    return reply({"tilesets": [_tileset(title, address, base_of(study_id))]})


@api.get("/studies/<study_id>/collections/<collection_id>/tiles/WebMercatorQuad")
def tileset(study_id: str, collection_id: str) -> Response:
    """The tile set of a layer in web Mercator."""
    known_parameters()
    title = study_of(study_id).require_layer(collection_id, "collectionId")["title"]
    base = base_of(study_id)
    return reply(_tileset(title, f"{base}/collections/{collection_id}/tiles/WebMercatorQuad", base))


def _tileset(title: str, address: str, base: str) -> dict[str, Any]:
    template = link(f"{address}/{{tileMatrix}}/{{tileRow}}/{{tileCol}}", "item", "application/vnd.mapbox-vector-tile")
    return {
        "title": title,
        "dataType": "vector",
        "crs": f"{EPSG}3857",
        "tileMatrixSetURI": "http://www.opengis.net/def/tilematrixset/OGC/1.0/WebMercatorQuad",
        "links": [
            link(address, "self"),
            template | {"templated": True},
            link(f"{base}/tileMatrixSets/WebMercatorQuad", "http://www.opengis.net/def/rel/ogc/1.0/tiling-scheme"),
        ],
    }


@api.get("/studies/<study_id>/tileMatrixSets")
def tile_matrix_sets(study_id: str) -> Response:
    """The tiling schemes there are: one."""
    known_parameters()
    study_of(study_id)
    address = f"{base_of(study_id)}/tileMatrixSets/WebMercatorQuad"
    return reply(
        {"tileMatrixSets": [{"id": "WebMercatorQuad", "title": "Web Mercator", "links": [link(address, "self")]}]}
    )


@api.get("/studies/<study_id>/tileMatrixSets/WebMercatorQuad")
def tile_matrix_set(study_id: str) -> Response:
    """Web Mercator tiles (OGC 17-083r4, Annex D)."""
    known_parameters()
    study_of(study_id)
    return reply(
        {
            "id": "WebMercatorQuad",
            "title": "Web Mercator",
            "uri": "http://www.opengis.net/def/tilematrixset/OGC/1.0/WebMercatorQuad",
            "crs": f"{EPSG}3857",
            "orderedAxes": ["X", "Y"],
            "tileMatrices": [
                {
                    "id": str(z),
                    "scaleDenominator": SCALE_AT_0 / 2**z,
                    "cellSize": CELL_AT_0 / 2**z,
                    "cornerOfOrigin": "topLeft",
                    "pointOfOrigin": [-HALF_WORLD_M, HALF_WORLD_M],
                    "tileWidth": 256,
                    "tileHeight": 256,
                    "matrixWidth": 2**z,
                    "matrixHeight": 2**z,
                }
                for z in range(MAX_ZOOM + 1)
            ],
        }
    )


@api.get(
    "/studies/<study_id>/collections/<collection_id>/tiles/WebMercatorQuad/<int(max=30):z>/<int(max=1073741823):y>/<int(max=1073741823):x>"
)
def tile(study_id: str, collection_id: str, z: int, y: int, x: int) -> Response:
    """A vector tile."""
    study = study_of(study_id)
    entry = study.require_layer(collection_id, "collectionId")
    if z > MAX_ZOOM or x >= 1 << z or y >= 1 << z:
        raise AwlError(f"There is no tile {z}/{y}/{x}", remedy=f"Zoom runs from 0 to {MAX_ZOOM}", status=404)
    data = _cached_tile(study, entry["added"], collection_id, z, y, x, request.args.get("label", ""))
    if not data:
        return Response(status=204)
    return Response(data, mimetype="application/vnd.mapbox-vector-tile", headers={"Cache-Control": "no-cache"})


@lru_cache(maxsize=2048)
def _cached_tile(study: Study, added: str, layer: str, z: int, y: int, x: int, label: str) -> bytes:
    """Tiles live until the layer is replaced (`added` changes)."""
    return tile_of(study, layer, z, y, x, label)
