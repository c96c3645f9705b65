"""Files of other makers: Shapefiles bare and several in a zip, KML, GPX, geodatabases, tables as people keep them, outlines."""

from __future__ import annotations

import zipfile

import numpy as np
import openpyxl
import pytest
import shapely
from pyproj import Transformer

from awl.core.errors import AwlError
from awl.io import gdal, place_tables, poly, vector, xlsx
from awl.io.place_tables import PlaceColumns
from awl.io.table import Table
from awl.study import areas

HERE = [(-36.2, 41.29), (-36.19, 41.3)]


def written(path, driver, name="Bath", **options):
    gdal.vector_reader().raw.write(
        path, geometry=shapely.to_wkb(shapely.points(HERE)), field_data=[np.array([name, "Hall"], object)], fields=["name"],
        geometry_type="Point", crs="EPSG:4326", driver=driver, **options,
    )  # fmt: skip
    return path


def test_a_bare_shapefile_is_read_with_its_companions(tmp_path):
    layer, name = vector.read(written(tmp_path / "rooms.shp", "ESRI Shapefile"))
    assert name == "rooms" and layer.columns["name"] == ["Bath", "Hall"]


def test_a_zip_of_several_shapefiles_holds_a_layer_each(tmp_path):
    archive = tmp_path / "all.zip"
    for folder, name in (("a", "rooms"), ("b", "rooms"), ("b", "doors")):
        (tmp_path / folder).mkdir(exist_ok=True)
        written(tmp_path / folder / f"{name}.shp", "ESRI Shapefile", f"{folder} {name}")
    with zipfile.ZipFile(archive, "w") as out:
        for part in sorted([*(tmp_path / "a").iterdir(), *(tmp_path / "b").iterdir()]):
            out.write(part, part.relative_to(tmp_path))
    assert vector.layers(archive, archive.name) == ["a/rooms", "doors", "b/rooms"]
    assert vector.read(archive, "b/rooms")[0].columns["name"][0] == "b rooms"
    assert vector.read(archive, "doors")[0].columns["name"][0] == "b doors"


def test_a_shapefile_whose_text_is_not_in_the_encoding_it_states(tmp_path):
    path = written(tmp_path / "rooms.shp", "ESRI Shapefile", "Caf\u00e9", encoding="ISO-8859-1")
    (tmp_path / "rooms.cpg").write_text("UTF-8")
    assert vector.read(path)[0].columns["name"][0].startswith("Caf")


def test_kml_keeps_its_data_and_drops_what_says_how_to_draw(tmp_path):
    (tmp_path / "rooms.kml").write_text(
        '<kml xmlns="http://www.opengis.net/kml/2.2"><Document><Folder><name>Rooms</name><Placemark><name>Bath</name>'
        '<ExtendedData><Data name="seats"><value>60</value></Data></ExtendedData>'
        "<Point><coordinates>-36.2,41.29,3</coordinates></Point></Placemark></Folder></Document></kml>"
    )
    layer, name = vector.read(tmp_path / "rooms.kml")
    assert name == "Rooms" and layer.columns == {"Name": ["Bath"], "seats": ["60"]}
    assert shapely.get_coordinates(layer.geometry).tolist() == [[-36.2, 41.29]]


def test_gpx_gives_waypoints_and_tracks_that_are_there(tmp_path):
    (tmp_path / "day.gpx").write_text(
        '<gpx version="1.1" creator="x" xmlns="http://www.topografix.com/GPX/1/1"><wpt lat="41.29" lon="-36.2"><name>Bath</name>'
        '</wpt><trk><name>round</name><trkseg><trkpt lat="41.29" lon="-36.2"/>'
        '<trkpt lat="41.3" lon="-36.2"/></trkseg></trk></gpx>'
    )
    assert vector.layers(tmp_path / "day.gpx", "day.gpx") == ["waypoints", "tracks", "track_points"]
    assert vector.read(tmp_path / "day.gpx", "tracks")[0].kind == "line"


def test_a_file_geodatabase_as_a_folder_and_zipped(tmp_path):
    folder = written(tmp_path / "town.gdb", "OpenFileGDB", layer="rooms")
    assert vector.read(folder)[0].columns["name"] == ["Bath", "Hall"]
    with zipfile.ZipFile(tmp_path / "town.zip", "w") as out:
        for part in folder.iterdir():
            out.write(part, f"town.gdb/{part.name}")
    assert vector.read(tmp_path / "town.zip")[0].columns["name"] == ["Bath", "Hall"]


TABLES = {
    "transit names": ("stop_id,stop_lat,stop_lon\nA,41.29,-36.2\n", {}, {"stop_id": ["A"]}),
    "decimal commas": ("name;lat;lon;seats\nBath;41,29;-36,2;1,5\n", {}, {"name": ["Bath"], "seats": [1.5]}),
    "columns named by the user": (
        "name,this,that\nBath,-36.2,41.29\n",
        {"place": PlaceColumns("this", "that")},
        {"name": ["Bath"]},
    ),
    "WKT in a column of any name": (
        "name,ground\nBath,POINT (-36.2 41.29)\n",
        {"place": PlaceColumns(wkt="ground")},
        {"name": ["Bath"]},
    ),
    "easting and northing": (
        "name,easting,northing\nBath,{:.2f},{:.2f}\n".format(
            *Transformer.from_crs(4326, 32625, always_xy=True).transform(-36.2, 41.29)
        ),
        {"crs": "EPSG:32625"},
        {"name": ["Bath"]},
    ),
}


@pytest.mark.parametrize("kind", TABLES)
def test_tables_as_people_keep_them(tmp_path, kind):
    text, how, columns = TABLES[kind]
    (tmp_path / "rooms.csv").write_text(text)
    layer = place_tables.read(tmp_path / "rooms.csv", "rooms.csv", **how)
    assert shapely.get_coordinates(layer.geometry)[0] == pytest.approx((-36.2, 41.29), abs=1e-6)
    assert layer.columns == columns


def test_faulty_rows_are_left_out_and_named_or_refuse_the_table(tmp_path):
    path = tmp_path / "rooms.csv"
    path.write_text("lon,lat,name\n-36.2,41.29,A\nhere,there,B\n-36.2,141.29,C\n-36.2,41.3,D\n-36.2,41.3,E\n")
    layer = place_tables.read(path, path.name)
    assert layer.columns["name"] == ["A", "D", "E"] and layer.notes.left_out == 2
    assert [text.partition(":")[0] for text in layer.notes.left_out_named] == ["line 3", "line 4"]
    with pytest.raises(AwlError, match="line 3: The coordinates are not numbers and 1 more"):
        place_tables.read(path, path.name, strict=True)


def test_numbers_too_large_for_a_database_stay_text(tmp_path):
    path = tmp_path / "rooms.csv"
    path.write_text(f"lon,lat,big,deep\n-36.2,41.29,{2**70},{'[' * 5000}\n")
    assert place_tables.read(path, path.name).columns["big"] == [str(2**70)]


def test_workbooks_come_in_and_go_out(tmp_path):
    layer = Table(np.array(shapely.points(HERE)), {"name": ["=1+1", "Hall"], "seats": [60, None], "share": [0.5, 1.25]})
    path = tmp_path / "rooms.xlsx"
    path.write_bytes(xlsx.of_table(layer))
    back = place_tables.read(path, path.name)
    assert back.columns == {"name": ["=1+1", "Hall"], "seats": [60, None], "share": [0.5, 1.25]}
    sheet = openpyxl.load_workbook(path).active
    assert sheet["A2"].data_type == "s", "text is no formula"
    path.write_bytes(b"PK\x03\x04 nothing")
    with pytest.raises(AwlError):
        place_tables.read(path, path.name)


OUTLINE = (
    "ferrow\n1\n -36.25 41.25\n -36.15 41.25\n -36.15 41.35\n -36.25 41.35\nEND\n"
    "!2\n -36.21 41.29\n -36.2 41.29\n -36.2 41.3\nEND\nEND\n"
)


def test_an_outline_is_a_study_area(tmp_path):
    path = tmp_path / "ferrow.poly"
    path.write_text(OUTLINE)
    area = areas.area_from(None, path)
    assert area.area == pytest.approx(0.01 - 0.00005) and not area.contains(shapely.Point(-36.203, 41.292))
    for text, expected in (
        (OUTLINE[:60], "not closed by END"),
        ("x\n1\n here there\nEND\n", "line 3: 'here there'"),
        ("x\n", "no outline"),
    ):
        path.write_text(text)
        with pytest.raises(AwlError, match=expected):
            poly.read(path, path.name)


@pytest.mark.parametrize(
    ("columns", "key"),
    [
        ({"name": ["a", "a"], "ID": [1, 2]}, "ID"),
        ({"GEOID": ["a", "b"], "pop": [1, 2]}, "GEOID"),
        ({"code": [1, 1]}, "code"),
        ({"parcel_no": [5, 5], "ward_code": ["x", "y"]}, "ward_code"),
        ({"pop": [1, 2], "name": ["a", "b"]}, None),
        ({"pop": [1, 2], "fid": [1, 2]}, "fid"),
    ],
)
def test_the_key_is_guessed(columns, key):
    assert Table(None, columns).key_field == key
