"""Search by name, address or coordinates."""

from __future__ import annotations

from flask import Blueprint, Response, request

from awl.server.web import known_parameters, reply, study_of
from awl.study.search import find

api = Blueprint("search", __name__)


@api.get("/studies/<study_id>/search")
def search(study_id: str) -> Response:
    """Places, streets and addresses that the text `q` may mean, the likeliest first."""
    known_parameters("q")
    hits = find(study_of(study_id), request.args.get("q", ""))
    return reply({"hits": [{"name": hit.name, "what": hit.what, "lon": hit.lon, "lat": hit.lat} for hit in hits]})
