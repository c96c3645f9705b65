"""The field of a network is kept beside the study and found again; a damaged or foreign one is made anew."""

from __future__ import annotations

import numpy as np
import pytest

from awl.study import fields
from awl.study.arrays import folder_of


def folders(study):
    return sorted(folder_of(study.path).glob("field-*"))


def same(one, two):
    return all(np.array_equal(getattr(one, name), getattr(two, name)) for name in fields.NAMES)


def test_a_field_is_kept_and_found_again(own_study, monkeypatch):
    network = own_study.network("walk")
    made = own_study.field("walk")
    assert len(folders(own_study)) == 1
    monkeypatch.setattr(fields, "field_of", lambda _: pytest.fail("made anew"))
    again = fields.kept_field(own_study.path, network)
    assert same(made, again) and again.triangles.dtype == made.triangles.dtype


def test_a_damaged_one_is_made_anew_and_streets_used_otherwise_have_their_own(own_study):
    network = own_study.network("walk")
    made = fields.kept_field(own_study.path, network)
    (folder,) = folders(own_study)
    (folder / "triangles.npy").write_bytes((folder / "triangles.npy").read_bytes()[:-60])
    assert same(made, fields.kept_field(own_study.path, network))
    fields.kept_field(own_study.path, own_study.network("drive"))
    assert len(folders(own_study)) == 2


def test_a_folder_that_cannot_be_written_costs_time_only(own_study, monkeypatch):
    def full(*_):
        raise OSError("No space left on device")

    monkeypatch.setattr(fields.kept, "save", full)
    assert own_study.field("walk").samples > 0 and folders(own_study) == []
