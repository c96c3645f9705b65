"""The data dictionary of GMNS tables: what each field holds, in which unit, written beside them as `fields.csv`."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping

from awl.io import csv_table

FILE = "fields.csv"
HEADER = ("table", "field", "unit", "meaning")
TAG = "the OpenStreetMap tag of that name, with _ for :"
MEANINGS: dict[str, dict[str, tuple[str, str]]] = {
    "node": {
        "node_id": ("", "number of the node"),
        "x_coord": ("degrees", "longitude, WGS 84"),
        "y_coord": ("degrees", "latitude, WGS 84"),
        "node_type": ("", "border where a street was cut at the edge, barrier where the mode cannot pass"),
        "osm_node_id": ("", "id of the node in OpenStreetMap"),
    },
    "link": {
        "link_id": ("", "number of the directed link"),
        "from_node_id": ("", "node at which it begins"),
        "to_node_id": ("", "node at which it ends"),
        "directed": ("", "true: a row for each direction"),
        "geometry": ("degrees", "line from begin to end as WKT, longitude and latitude in WGS 84"),
        "name": ("", "name of the street"),
        "facility_type": ("", "class of the street, the OpenStreetMap tag highway"),
        "length": ("m", "length"),
        "free_speed": ("km/h", "speed of the mode, at the hour that was asked for"),
        "allowed_uses": ("", "the mode"),
        "duration_s": ("s", "time that the mode takes, waiting at its end counted where the mode has it"),
        "street_link_id": ("", "number of the street, the same in both directions"),
        "street_direction": ("", "whether the row runs as the street is drawn: forward or backward"),
        "osm_way_id": ("", "id of the way in OpenStreetMap, the first of several"),
        "osm_way_ids": ("", "ids of all its ways, semicolons between"),
        "ends_only": ("", "true where only trips that begin or end there may use it"),
    },
    "movement": {
        "mvmt_id": ("", "number of the movement"),
        "node_id": ("", "node over which it leads"),
        "ib_link_id": ("", "directed link that it comes from"),
        "ob_link_id": ("", "directed link that it goes to"),
        "type": ("", "left, right, thru or uturn"),
        "penalty": ("s", "time that it costs"),
        "allowed_uses": ("", "the mode, none where the movement is barred"),
    },
    "restriction": {
        "relation_id": ("", "id of the turn restriction in OpenStreetMap"),
        "from_street_link_id": ("", "street it comes from"),
        "via_node_id": ("", "node it leads over"),
        "via_street_link_ids": ("", "streets it leads over"),
        "to_street_link_id": ("", "street it goes to"),
        "restriction": ("", "what is barred or demanded"),
        "applies_to": ("", "modes it is for; all where empty"),
        "exempt": ("", "modes it is not for"),
        "condition": ("", "hours at which it holds"),
        "delay_s": ("s", "time that the turn costs instead of being barred"),
    },
}  # fmt: skip


def fields_of(tables: Mapping[str, str]) -> str:
    """`fields.csv`: a row for each field of some tables.

    Parameters:
        tables: their text by the names of their files.
    """
    rows = []
    for file, text in tables.items():
        table = file.removesuffix(".csv")
        for field in next(csv.reader(io.StringIO(text))):
            rows.append((table, field, *MEANINGS[table].get(field, ("", TAG))))
    return csv_table.write(HEADER, rows)
