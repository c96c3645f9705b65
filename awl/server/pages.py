"""The API as web pages, for people who follow a link of it: landing page, collections, items, processes."""

from __future__ import annotations

from typing import Any

from flask import Response, render_template, request

MEDIA = "text/html"
SHOWN_ITEMS = 100


def wants_page() -> bool:
    """Whether the request asks for a page: by `f=html`, or by a browser's `Accept`."""
    if "f" in request.args:
        return request.args["f"] == "html"
    best = request.accept_mimetypes.best_match(["application/json", "application/geo+json", MEDIA], "application/json")
    return best == MEDIA


def page(template: str, **content: Any) -> Response:
    """A page made of a template; everything in it is escaped."""
    return Response(render_template(template, **content), mimetype=MEDIA)


def rows_of(document: dict[str, Any]) -> tuple[list[str], list[list[Any]]]:
    """Names and values of the properties of features, for a table."""
    features = document["features"][:SHOWN_ITEMS]
    names = list(dict.fromkeys(name for feature in features for name in feature["properties"]))
    return names, [[feature["id"], *(feature["properties"].get(name) for name in names)] for feature in features]
