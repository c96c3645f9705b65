"""CSV points and layer files as they come: numbers, text, encodings, and what is refused."""

from __future__ import annotations

import pytest
import shapely

from awl.core.errors import AwlError
from awl.io import place_tables
from awl.study import areas
from awl.study.study import slug


def write(tmp_path, text, encoding="utf-8"):
    path = tmp_path / "rooms.csv"
    path.write_bytes(text.encode(encoding))
    return path


@pytest.mark.parametrize("header", ["lon,lat,name", "Longitude,Latitude,name", "x_coord,y_coord,name", "X,Y,name"])
def test_coordinates_are_found_under_their_usual_names(tmp_path, header):
    layer = place_tables.read(write(tmp_path, f"{header}\n-36.2,41.3,Baths\n"), "rooms.csv")
    assert shapely.get_coordinates(layer.geometry).tolist() == [[-36.2, 41.3]]
    assert layer.columns == {"name": ["Baths"]}


def test_types_are_kept(tmp_path):
    text = "lon,lat,code,seats,rate,open,empty\n-36.2,41.3,00123,60,0.5,true,\n-36.1,41.3,7,61,1,no,\n"
    columns = place_tables.read(write(tmp_path, text), "rooms.csv").columns
    assert columns["code"] == ["00123", "7"], "a leading zero makes the column text"
    assert columns["seats"] == [60, 61] and columns["rate"] == [0.5, 1]
    assert columns["open"] == ["true", "no"] and columns["empty"] == [None, None]


def test_a_byte_order_mark_and_quoted_commas(tmp_path):
    path = write(tmp_path, '\ufefflon,lat,name\n-36.2,41.3,"Baths, old"\n')
    assert place_tables.read(path, "rooms.csv").columns["name"] == ["Baths, old"]


BAD = {
    "no header": ("", "utf-8", "is empty"),
    "no coordinates": ("name,seats\na,1\n", "utf-8", "names no coordinates"),
    "no number": ("lon,lat\n-36.2,north\n", "utf-8", "line 2: The coordinates are not numbers"),
    "row too short": ("lon,lat\n-36.2,41.3\n-36.2\n", "utf-8", "line 3: The coordinates are not numbers"),
    "projected": ("x,y\n512000,4571000\n", "utf-8", "not degrees"),
    "not finite": ("lon,lat\nnan,41\n", "utf-8", "not degrees"),
    "other encoding": ("lon,lat,name\n-36.2,41.3,Caf\u00e9\n", "utf-16", "names no coordinates"),
    "too wide": ("lon,lat," + ",".join(f"f{i}" for i in range(600)) + "\n", "utf-8", "602 fields are more"),
}


@pytest.mark.parametrize("kind", BAD)
def test_a_bad_table_says_where(tmp_path, kind):
    text, encoding, expected = BAD[kind]
    with pytest.raises(AwlError, match=expected) as caught:
        place_tables.read(write(tmp_path, text, encoding), "rooms.csv", strict=True)
    assert "rooms.csv" in caught.value.detail


@pytest.mark.parametrize(
    ("text", "expected"),
    [("Cool rooms", "cool_rooms"), ("2026 wards!", "s_2026_wards"), ("", "s_study"), ("Ärzte", "rzte")],
)
def test_ids_from_free_text(text, expected):
    assert slug(text) == expected


@pytest.mark.parametrize(
    ("bbox", "expected"),
    [
        ("1,2,3", "is no box"),
        ("a,b,c,d", "is no box"),
        ("3,0,1,1", "is empty or off"),
        ("-200,0,1,1", "is empty or off"),
    ],
)
def test_a_box_that_is_none(bbox, expected):
    with pytest.raises(AwlError, match=expected):
        areas.area_from(bbox, None)


def test_area_of_a_box_and_of_polygons(tmp_path):
    assert areas.area_from("-36.3,41.2,-36.1,41.4", None).bounds == (-36.3, 41.2, -36.1, 41.4)
    clip = tmp_path / "clip.geojson"
    clip.write_text('{"type": "Polygon", "coordinates": [[[0, 0], [2, 0], [2, 2], [0, 0]]]}')
    assert areas.area_from(None, clip).area == pytest.approx(2)
    with pytest.raises(AwlError, match="Both a box and a clip file"):
        areas.area_from("0,0,1,1", clip)
    clip.write_text('{"type": "Point", "coordinates": [0, 0]}')
    with pytest.raises(AwlError, match="holds no polygon"):
        areas.area_from(None, clip)
    assert areas.area_from(None, None) is None
