"""Random requests to every route of a server: sound ones, and sound ones with something put wrong."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import quote, urlencode

from flask import Flask

from tests.fuzz.nasties import FILTERS, VALUES, files, mutated, raw_bodies
from tests.questions.test_hostile import SOUND

BINARY = "application/octet-stream"
POLYGON = {
    "type": "Polygon",
    "coordinates": [[[-36.206, 41.288], [-36.196, 41.288], [-36.196, 41.294], [-36.206, 41.288]]],
}
DRAWN = {
    "type": "Feature",
    "geometry": {"type": "LineString", "coordinates": [[-36.2, 41.29], [-36.199, 41.291]]},
    "properties": {"edit": "add", "tags": {"highway": "footway"}},
}
BODIES: dict[str, list[Any]] = {
    "edits.apply": [{"edits": {"type": "FeatureCollection", "features": [{"type": "Feature", "geometry": None,
    "properties": {"edit": "close", "link": 5}}]}}],
    "edits.undo": [{}], "edits.redo": [{}], "edits.mend": [{"kind": "near miss", "numbers": [0], "preview": True}],
    "edits.new_what_if": [{"title": "Closed", "places": [{"layer": "cool_rooms", "close": "fid = 1"}]}],
    "edits.change_what_if": [{"title": "Other"}], "edits.copy_what_if": [{"title": "Copy"}], "edits.merge_what_if": [{}],
    "own.keep_parts": [{"rule": "largest"}, {"rule": "above", "above_m": 100}], "own.connect": [{"zones": "zones"}],
    "live.live_reach": [{"inputs": SOUND["isochrone"][1]}, {"inputs": SOUND["isochrone"][1], "edits": [DRAWN]}],
    "layers.change": [{"role": "places", "title": "Rooms"}],
    "layers.select": [{"filter": "fid > 1"}, {"within": POLYGON}, {"fids": [1, 2]}], "layers.keep": [{"title": "Few",
    "filter": "fid = 1"}],
    "layers.compute": [{"name": "twice", "expression": "fid * 2"}], "layers.put_value": [{"fid": 1, "field": "name",
    "value": "x"}],
    "layers.undo": [{}], "modes.take_in": [{"id": "mine", "title": "Mine"}], "modes.change": [{"id": "walk", "title": "Walk"}],
    "modes.copy": [{"title": "Copy"}], "modes.undo": [{}], "sheets.make": [{"title": "Second"}, {"copy": "main"}],
    "sheets.save": [{"title": "Sheet", "blocks": [{"id": "b1", "kind": "prose", "text": "x"},
                     {"id": "q1", "kind": "question", "process": "isochrone", "inputs": SOUND["isochrone"][1]}]}],
    "sheets.undo": [{}], "maps.make_report": [{"sheet": "main"}], "maps.make_animation": [{"answer": "a1"}],
    "health.check": [{}],
    "forms.run": [{"values": {"a": 1}}], "answers.keep_copy": [{"title": "Before"}], "answers.keep_answer": [{}],
    "upload.build_streets": [{"study": None, "title": "New"}], "upload.add_layers": [{"study": "ferrow",
    "layers": [{"name": None}]}],
    "upload.add_trip_table": [{"study": "ferrow", "origins": "zones", "destinations": "zones"}],
    "upload.look": [{"study": "ferrow"}],
}  # fmt: skip
QUERIES: dict[str, list[str]] = {
    "features.items": ["limit", "offset", "bbox", "bbox-crs", "crs", "filter", "filter-lang", "sortby", "properties", "f"],
    "own.check_places": ["layer", "mode", "snap"], "explain.near": ["lon", "lat", "within", "what_if"],
    "search.search": ["q", "limit"],
    "layers.table": ["filter"], "downloads.streets": ["mode", "format", "at"], "downloads.layer": ["format"],
    "downloads.answer_part": ["format", "fields"], "maps.map_sheet": ["format", "paper", "scale", "centre", "moment", "title"],
    "maps.report": ["sheet", "without"], "explain.mode_arrays": ["at", "what_if"], "own.street_arrays": ["what_if"],
    "upload.preview": ["crs", "x", "y"], "upload.stops_of_upload": ["study", "mode"], "own.timetable_stops": ["mode"],
    "forms.tile": ["v"], "edits.listed": ["what_if"], "features.tile": ["attribute", "v"],
}  # fmt: skip
QUERY_VALUES = [
    "", "0", "-1", "1", "99999", "1e309", "nan", "inf", "zones", "walk", "drive", "2026-06-03T08:00", "2026-02-30T25:00",
    "0001-01-01T00:00",
    "9999-12-31T23:59", "html", "json", "gmns", "gpkg", "csv", "pdf", "png", "exe", "-36.2,41.28,-36.19,41.3", "1,2",
    "nan,nan,nan,nan",
    "180,-90,-180,90", "http://www.opengis.net/def/crs/EPSG/0/3857", "EPSG:99999999", "+proj=pipeline +step", "main",
    "x" * 4000,
    "../../x", "\x00", "\udcff", "é", "a,b,c", "fid", "-fid,+name", "true", "9223372036854775808",
]  # fmt: skip
IDS = [
    "ferrow", "zones", "cool_rooms", "streets", "main", "walk", "a1", "none", "-1", "0", "1", "9223372036854775808", "..",
    "%2e%2e", "a" * 300,
    "\x00", "\ud800", "é", "'; --", "<b>", "awl_facts", "sqlite_master", "0" * 24, "isochrone", "q1", "tiles",
]  # fmt: skip
LIKELY = {"study_id": "ferrow", "collection_id": "zones", "layer_id": "cool_rooms", "sheet_id": "main", "mode_id": "walk",
          "answer_id": "a1", "question_id": "a1"}  # fmt: skip
SKIPPED = {"own.study_file", "layers.drop", "modes.remove", "sheets.drop", "own.disconnect"}
"""What would take away what the others need."""


@dataclass
class Request:
    """A request as it is sent."""

    method: str
    path: str
    body: bytes | None = None
    headers: dict[str, str] = field(default_factory=dict)

    def __str__(self) -> str:
        shown = b"" if self.body is None else self.body[:300]
        return f"{self.method} {self.path[:300]} {self.headers} {shown!r}"


def random_requests(app: Flask, seed: int) -> Iterator[Request]:
    """Requests without end, the same for the same seed."""
    random_ = random.Random(seed)
    routes = [
        (rule, method)
        for rule in app.url_map.iter_rules()
        for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})
        if rule.endpoint not in SKIPPED
    ]
    routes.sort(key=lambda route: (str(route[0]), route[1]))
    bad_files, bad_bodies = files(), raw_bodies()
    while True:
        rule, method = random_.choice(routes)
        if random_.random() < 0.35:
            rule, method = next(route for route in routes if route[0].endpoint == "processes.execution")
        yield _request(rule, method, random_, bad_files, bad_bodies)


def _request(
    rule: Any, method: str, random_: random.Random, bad_files: dict[str, bytes], bad_bodies: list[bytes]
) -> Request:
    asked = random_.choice(sorted(SOUND))
    path = _path(rule, asked, random_)
    query = _query(rule.endpoint, random_)
    headers = {"Content-Type": "application/json"}
    body: bytes | None = None
    if method != "GET":
        sound = random_.choice(BODIES.get(rule.endpoint, [{}]))
        if rule.endpoint == "processes.execution":
            sound = {"inputs": SOUND[asked][1]} | (
                {"question": random_.choice(["a1", "q1", "\ud800", ""])} if random_.random() < 0.2 else {}
            )
        kind = random_.random()
        wrong = sound if kind < 0.1 else mutated(sound, random_)
        body = random_.choice(bad_bodies) if kind > 0.95 else json.dumps(wrong).encode()
        if random_.random() < 0.1:
            headers["Prefer"] = "respond-async"
        if rule.endpoint in (
            "upload.receive",
            "upload.new_study",
            "upload.add_source",
            "upload.area_of_file",
            "edits.apply_change",
        ):
            name = random_.choice(sorted(bad_files))
            body, headers = bad_files[name], {"Content-Type": BINARY}
            query = {"name": name} | ({"study": "ferrow"} if rule.endpoint == "upload.receive" else {})
    if random_.random() < 0.02:
        headers[random_.choice(["If-Match", "Accept", "Origin", "Accept-Language", "Content-Type"])] = random_.choice(
            ["", "*", '"x"', "text/html", "a/b;q=z"]
        )
    text = urlencode(query, errors="replace")
    return Request(method, f"{path}?{text}" if text else path, body, headers)


def _path(rule: Any, asked: str, random_: random.Random) -> str:
    def part(match: re.Match[str]) -> str:
        kind, _, name = match[1].rpartition(":")
        if name == "process_id":
            return asked if random_.random() < 0.97 else "none"
        if kind == "int":
            return random_.choice(["0", "1", "5", "22", "99", "9223372036854775808", "1" * 40])
        if name in LIKELY and random_.random() < 0.85:
            return LIKELY[name]
        return quote(random_.choice(IDS), safe="%", errors="replace")

    return re.sub(r"<([^>]+)>", part, str(rule))


def _query(endpoint: str, random_: random.Random) -> dict[str, str]:
    names = QUERIES.get(endpoint, [])
    chosen = [name for name in names if random_.random() < 0.4] if names else []
    if random_.random() < 0.03:
        chosen.append("unknown")
    return {
        name: random_.choice(FILTERS if name == "filter" and random_.random() < 0.7 else QUERY_VALUES)
        for name in chosen
    }


__all__ = ["VALUES", "Request", "random_requests"]
