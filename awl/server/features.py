"""OGC API Common, Features (Parts 1 and 3) and Tiles for every study."""

from __future__ import annotations

from functools import lru_cache
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Response, request

from awl.core.errors import AwlError
from awl.formats import geojson
from awl.server.openapi import openapi_document
from awl.server.tiles import tile_of
from awl.server.web import base_of, bbox, catalogue, known_parameters, link, reply, study_of, whole
from awl.study import geopackage
from awl.study.cql import to_sql
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
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/filter",
    "http://www.opengis.net/spec/ogcapi-features-3/1.0/conf/features-filter",
    "http://www.opengis.net/spec/cql2/1.0/conf/cql2-text",
    "http://www.opengis.net/spec/cql2/1.0/conf/basic-cql2",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/geodata-tilesets",
    "http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/mvt",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/ogc-process-description",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/json",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/job-list",
    "http://www.opengis.net/spec/ogcapi-processes-1/1.0/conf/dismiss",
)
CRS84 = "http://www.opengis.net/def/crs/OGC/1.3/CRS84"
MAX_ITEMS = 10_000
MAX_ZOOM = 22


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
    listed = [_collection(study, base, layer) for layer in study.layers()]
    return reply({"collections": listed, "links": [link(f"{base}/collections", "self")]})


@api.get("/studies/<study_id>/collections/<collection_id>")
def collection(study_id: str, collection_id: str) -> Response:
    """One layer."""
    known_parameters()
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    layer = next(entry for entry in study.layers() if entry["id"] == collection_id)
    return reply(_collection(study, base_of(study_id), layer))


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
        "crs": [CRS84],
        "links": [
            link(address, "self"),
            link(f"{address}/items", "items", "application/geo+json"),
            link(f"{address}/tiles", "http://www.opengis.net/def/rel/ogc/1.0/tilesets-vector"),
        ],
        "x-awl": {key: layer[key] for key in ("role", "source", "added", "geometry", "count", "fields")},
    }


@api.get("/studies/<study_id>/collections/<collection_id>/items")
def items(study_id: str, collection_id: str) -> Response:
    """Features of a layer as GeoJSON, by box and CQL2 filter."""
    known_parameters("bbox", "limit", "offset", "filter", "filter-lang", "filter-crs", "bbox-crs", "datetime")
    if request.args.get("filter-lang", "cql2-text") != "cql2-text":
        raise AwlError("Only the filter language cql2-text is known", inputs=("filter-lang",))
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    box, limit, offset = bbox(), whole("limit", 100, 1, MAX_ITEMS), whole("offset", 0, 0, 10**9)
    text = request.args.get("filter")
    where = to_sql(text, geopackage.field_names(study.reading, collection_id)) if text else ("", [])
    matched = geopackage.count(study.reading, collection_id, where, box)
    layer = geopackage.read_table(study.reading, collection_id, where, box, limit, offset)
    document = _with_ids(geojson.collection(layer))
    query = {key: value for key, value in request.args.items() if key != "offset"}
    address = f"{base_of(study_id)}/collections/{collection_id}/items"
    links = [link(request.url, "self", "application/geo+json")]
    if offset + len(layer) < matched:
        more = urlencode({**query, "limit": limit, "offset": offset + limit})
        links.append(link(f"{address}?{more}", "next", "application/geo+json"))
    document |= {"numberMatched": matched, "numberReturned": len(layer), "timeStamp": now(), "links": links}
    return reply(document, media="application/geo+json")


@api.get("/studies/<study_id>/collections/<collection_id>/items/<int:fid>")
def item(study_id: str, collection_id: str, fid: int) -> Response:
    """One feature."""
    known_parameters()
    study = study_of(study_id)
    study.require_layer(collection_id, "collectionId")
    layer = geopackage.read_table(study.reading, collection_id, ("fid = ?", [fid]))
    if len(layer) == 0:
        raise AwlError(f"'{collection_id}' has no feature {fid}", status=404, kind="no-such-feature")
    feature = _with_ids(geojson.collection(layer))["features"][0]
    address = f"{base_of(study_id)}/collections/{collection_id}"
    feature["links"] = [link(f"{address}/items/{fid}", "self", "application/geo+json"), link(address, "collection")]
    return reply(feature, media="application/geo+json")


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
    template = link(f"{address}/{{tileMatrix}}/{{tileRow}}/{{tileCol}}", "item", "application/vnd.mapbox-vector-tile")
    return reply(
        {
            "tilesets": [
                {
                    "title": title,
                    "dataType": "vector",
                    "crs": "http://www.opengis.net/def/crs/EPSG/0/3857",
                    "tileMatrixSetURI": "http://www.opengis.net/def/tilematrixset/OGC/1.0/WebMercatorQuad",
                    "links": [template | {"templated": True}],
                }
            ]
        }
    )


@api.get("/studies/<study_id>/collections/<collection_id>/tiles/WebMercatorQuad/<int:z>/<int:y>/<int:x>")
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
