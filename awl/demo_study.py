"""The study the demo serves: Ferrow with its layers, a sheet of questions, and what first answers need."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from awl.sheets import shelf
from awl.shipped import demo_data
from awl.study import feeds, importing, sheet_records
from awl.study.study import Study

DATA = demo_data()
FIRST_ASKED = ("walk", "drive")
"""Modes whose fields are made beforehand."""


def make_demo(folder: Path) -> Path:
    """The demo study: streets, zones, cool rooms and a sheet of questions. Returns its file."""
    path = folder / "ferrow.gpkg"
    importing.build(DATA / "ferrow.osm.pbf", path, title="Ferrow, cool rooms")
    study = Study(path)

    # Triangulating leaves the interpreter free, so it goes on beside the layers.
    def draw_fields() -> None:
        for mode in FIRST_ASKED:
            study.field(mode).complete()

    with ThreadPoolExecutor(1) as pool:
        fields = pool.submit(draw_fields)
        for name in ("layers", "parcels", "buildings"):
            importing.add_all(DATA / f"{name}.gpkg", study)
        importing.add(DATA / "elevation.tif", study, "elevation", title="Elevation")
        importing.add(DATA / "population.tif", study, "population", title="Population")
        feeds.add_file(DATA / "transit.zip", study, "transit", "Ferrow timetable", "transit.zip")
        fields.result()
    with study.writing() as connection:
        sheet_records.save(connection, "main", json.loads((DATA / "sheet.json").read_text()))
    shelf.take_in(study, json.loads((DATA / "burst.sheet.json").read_text()), "burst.sheet.json")
    return path
