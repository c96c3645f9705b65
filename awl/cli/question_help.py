"""What the command tells of a question: its inputs with types, defaults and units, its results, and an example."""

from __future__ import annotations

import json
import textwrap
from typing import Any

from awl.questions import question
from awl.questions.describe import process_description
from awl.questions.inputs import Json

WIDTH = 100
EXAMPLES = {
    "isochrone": "--set places.layer=cool_rooms --set limits=5,10,15 --set direction=to --out reach.geojson",
    "access": "--set zones=zones --set places=cool_rooms --set fields=age_65_plus --set limits=5,10,15 --out access.csv",
    "route": "--set 'waypoints=[[-36.206, 41.2915], [-36.1935, 41.2905]]' --set measure=time,distance --out route.gpx",
    "trips": "--set from=zones --set to=cool_rooms --set pairing=nearest --out trips.geojson",
    "catchment": "--set places=cool_rooms --set limit=15 --set zones=zones --set fields=population --out catchment.gpkg",
    "alongside": "--set 'events=[[-36.199, 41.2935]]' --set distance=500 --set layers=parcels --out parcels.csv",
    "neighbours": "--set places=cool_rooms --set others=cool_rooms --set limits=5,10 --out near.csv",
    "centrality": "--set places=cool_rooms --set radius=800 --set indices=reach,betweenness --out central.csv",
    "compare": "--set answers=open,closed --out changes.csv --part zones",
    "simulate": "--set zones=zones --set people=3000 --set fields=age_65_plus --set places=cool_rooms --set capacity=seats"
    " --set runs=20 --out rooms.csv",
    "matrix": "--set from=zones --set to=cool_rooms --out times.omx",
}
"""How each question is asked, as in the demo study."""
FEATURES = "a layer id, lon,lat points, an address, GeoJSON or {layer, where}"


def help_of(ident: str) -> str:
    """The help of a question."""
    asked = process_description(question(ident))
    lines = [
        f"Usage: awl ask {ident} --study STUDY [--set NAME=VALUE]... [--out FILE]",
        "",
        *_wrapped(asked["description"], 2),
    ]
    lines += ["", "Inputs (--set NAME=VALUE):"]
    for name, given in asked["inputs"].items():
        schema = given["schema"]
        default = "required" if given["minOccurs"] else f"default {_plain(schema.get('default'))}"
        lines += [f"  {name}  ({_type(schema)}; {default})", *_wrapped(given["description"], 6)]
    lines += ["", "Results (--part NAME):"]
    lines += [f"  {name}  {result['description']}" for name, result in asked["outputs"].items()]
    lines += ["", "Example:", f"  awl ask {ident} --study ferrow.gpkg {EXAMPLES[ident]}"]
    return "\n".join(lines)


def _wrapped(text: str, indent: int) -> list[str]:
    return textwrap.wrap(text, WIDTH, initial_indent=" " * indent, subsequent_indent=" " * indent)


def _plain(value: Any) -> str:
    if value is None:
        return "none"
    return value if isinstance(value, str) else json.dumps(value)


def _type(schema: Json) -> str:
    """A JSON schema in a few words."""
    if "enum" in schema:
        return " or ".join(map(str, schema["enum"]))
    if "anyOf" in schema:
        if any("layer" in inner.get("properties", {}) for inner in schema["anyOf"]):
            return FEATURES
        return " or ".join(dict.fromkeys(_type(inner) for inner in schema["anyOf"] if inner.get("type") != "null"))
    kind = str(schema.get("type", "value"))
    if kind == "array":
        return f"list of {_type(schema.get('items', {}))}"
    bounds = [f"{word} {schema[key]:g}" for key, word in BOUNDS if key in schema]
    return " ".join([{"integer": "whole number"}.get(kind, kind), *bounds])


BOUNDS = (("exclusiveMinimum", "above"), ("minimum", "from"), ("maximum", "to"))
