"""The tiles of a field are kept beside the study and found again; damaged ones, and those of other streets, are made anew."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.analysis.isochrone_areas.field import TiledField
from awl.study import fields, kept
from awl.study.arrays import folder_of


def folders(study):
    return sorted(folder_of(study.path).glob("field-*"))


def same(one, two):
    return all(np.array_equal(getattr(one, name), getattr(two, name)) for name in vars(one))


def not_made(monkeypatch):
    monkeypatch.setattr(TiledField, "_triangulate", lambda *_: pytest.fail("made anew"))


def test_what_an_area_needs_is_kept_and_found_again(own_study, monkeypatch):
    network, tiles = own_study.network("walk"), own_study.field("walk")
    assert folders(own_study) == [] and not tiles.cached()
    links = np.flatnonzero(network.usable)[:3]
    made = tiles.around(links)
    (folder,) = folders(own_study)
    assert 0 < len(list(folder.iterdir())) == len(tiles.cached()) < tiles.tile_count
    not_made(monkeypatch)
    again = fields.kept_field(own_study.path, network).around(links)
    assert same(made, again) and again.triangles.dtype == made.triangles.dtype


def test_a_damaged_tile_is_made_anew_and_streets_used_otherwise_have_their_own(own_study):
    network = own_study.network("walk")
    made = fields.kept_field(own_study.path, network).full()
    (folder,) = folders(own_study)
    first, second, third, *_ = sorted(folder.iterdir())
    first.write_bytes(first.read_bytes()[:-60])
    second.write_bytes(second.read_bytes()[:-8] + b"\x01" * 8)
    third.write_bytes(b"")
    assert same(made, fields.kept_field(own_study.path, network).full())
    fields.kept_field(own_study.path, own_study.network("drive")).full()
    assert len(folders(own_study)) == 2


def test_a_folder_that_cannot_be_written_costs_time_only(own_study, monkeypatch):
    def full(*_):
        raise OSError("No space left on device")

    monkeypatch.setattr(fields.Path, "write_bytes", full)
    assert own_study.field("walk").full().samples > 0
    assert not [file for folder in folders(own_study) for file in folder.iterdir()]


def test_a_field_of_edited_streets_is_kept_once_they_last(own_study, monkeypatch):
    network = own_study.network("walk")
    former = fields.kept_field(own_study.path, network)
    links = np.flatnonzero(network.usable)[:3]
    former.around(links)
    for file in (folder := folders(own_study)[0]).iterdir():
        file.unlink()
    followed = fields.kept_field(own_study.path, network, former)
    made = followed.around(links)
    assert not list(folder.iterdir())
    monkeypatch.setattr(fields, "MOST_TILES_AHEAD", 0)
    fields.draw_ahead(followed)
    assert len(list(folder.iterdir())) == len(followed.cached()) < followed.tile_count
    monkeypatch.setattr(fields, "MOST_TILES_AHEAD", followed.tile_count)
    fields.draw_ahead(followed)
    assert len(list(folder.iterdir())) == followed.tile_count, "those that come later too"
    not_made(monkeypatch)
    assert same(fields.kept_field(own_study.path, network).around(links), made)


def test_the_oldest_fields_go(own_study, monkeypatch):
    monkeypatch.setattr(kept, "KEPT", 1)
    for mode in ("walk", "drive"):
        own_study.field(mode).full()
    assert len(folders(own_study)) == 1
