"""The user's own layers: features selected, fields computed, values changed, selections kept, and all of it taken back."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.questions.run import ask
from awl.study import editing, records
from awl.study.editing import Selection, compute_field, keep_selection, select, set_value, undo, undoable


def column(study, ident, field):
    return study.read_layer(ident).columns[field]


def test_selections_by_filter_shape_and_number_agree_with_shapely(own_study):
    zones = own_study.read_layer("zones")
    people = np.array(zones.columns["population"], float)
    shape = shapely.box(-36.203, 41.287, -36.196, 41.292)
    meets = shapely.intersects(shape, zones.geometry)
    fid = np.array(zones.columns["fid"])
    assert select(own_study, "zones", Selection(within=shape)) == fid[meets].tolist()
    assert select(own_study, "zones", Selection(where="population > 900")) == fid[people > 900].tolist()
    both = select(own_study, "zones", Selection("population > 900", shape, fid[:5].tolist()))
    assert both == [int(f) for f, p, m in zip(fid, people, meets, strict=True) if p > 900 and m and f in fid[:5]]


def test_a_field_is_computed_for_all_or_some_and_taken_back(own_study):
    before = own_study.layers()
    done = compute_field(own_study, "zones", "share_65", "age_65_plus / population")
    people, old = (np.array(column(own_study, "zones", name), float) for name in ("population", "age_65_plus"))
    with np.errstate(invalid="ignore", divide="ignore"):
        expected = old / people
    found = np.array([np.nan if v is None else v for v in column(own_study, "zones", "share_65")])
    assert found == pytest.approx(expected, nan_ok=True)
    assert done == {"filled": int(np.isfinite(expected).sum()), "empty": int((~np.isfinite(expected)).sum())}
    compute_field(own_study, "zones", "share_65", "0", "population < 500")
    changed = np.array([np.nan if v is None else v for v in column(own_study, "zones", "share_65")])
    assert (changed[people < 500] == 0).all() and changed[people >= 500] == pytest.approx(expected[people >= 500])
    assert undoable(own_study, "zones") == 2
    assert undo(own_study, "zones") == "share_65 = 0"
    again = np.array([np.nan if v is None else v for v in column(own_study, "zones", "share_65")])
    assert again == pytest.approx(expected, nan_ok=True)
    undo(own_study, "zones")
    assert [entry["fields"] for entry in own_study.layers()] == [entry["fields"] for entry in before]
    with pytest.raises(AwlError, match="nothing to undo"):
        undo(own_study, "zones")


def test_text_and_whole_numbers_keep_their_type(own_study):
    compute_field(own_study, "cool_rooms", "twice", "seats * 2")
    compute_field(own_study, "cool_rooms", "what", "'cool room'")
    types = next(entry["fields"] for entry in own_study.layers() if entry["id"] == "cool_rooms")
    assert (types["twice"], types["what"]) == ("INTEGER", "TEXT")


def test_values_are_changed_one_by_one_as_their_type_allows(own_study):
    set_value(own_study, "cool_rooms", 1, "seats", 77)
    assert column(own_study, "cool_rooms", "seats")[0] == 77
    set_value(own_study, "cool_rooms", 1, "seats", None)
    assert column(own_study, "cool_rooms", "seats")[0] is None
    for value in ("many", 1.5):
        with pytest.raises(AwlError, match=r"no value for 'seats'. Give a whole number"):
            set_value(own_study, "cool_rooms", 1, "seats", value)
    undo(own_study, "cool_rooms")
    assert column(own_study, "cool_rooms", "seats")[0] == 77
    with pytest.raises(AwlError, match="no feature 999"):
        set_value(own_study, "cool_rooms", 999, "seats", 1)


def test_a_selection_kept_is_a_layer_like_any_other(own_study):
    chosen = Selection(where="seats > 50")
    count = keep_selection(own_study, "cool_rooms", chosen, "large_rooms", "Large rooms")
    kept = own_study.read_layer("large_rooms")
    assert len(kept) == count == len(select(own_study, "cool_rooms", chosen)) and min(kept.columns["seats"]) > 50
    entry = next(entry for entry in own_study.layers() if entry["id"] == "large_rooms")
    assert entry["role"] == "places" and "Cool rooms" in entry["source"]
    ask(own_study, "isochrone", {"places": {"layer": "large_rooms"}, "limits": [5]})
    with pytest.raises(AwlError, match="a layer 'large_rooms' already"):
        keep_selection(own_study, "cool_rooms", chosen, "large_rooms", "Large rooms")
    with pytest.raises(AwlError, match="Nothing is selected"):
        keep_selection(own_study, "cool_rooms", Selection(where="seats > 99999"), "none", "None")
    streets = keep_selection(own_study, "streets", Selection(where="bridge = 'yes'"), "bridges", "Bridges")
    assert streets > 0 and next(e for e in own_study.layers() if e["id"] == "bridges")["role"] == "lines"


REFUSED = {
    "an unknown field": ("new", "seets * 2", "no field 'seets'"),
    "no expression": ("new", "seats *", "cannot be read at character"),
    "a condition": ("new", "seats > 2", "cannot be read"),
    "a name with quotes": ('a"b', "seats", "cannot name a field"),
    "Awl's own name": ("fid", "seats", "cannot name a field"),
}


@pytest.mark.parametrize("kind", REFUSED)
def test_what_cannot_be_computed_says_so_and_changes_nothing(own_study, kind):
    name, expression, expected = REFUSED[kind]
    before = own_study.layers()
    with pytest.raises(AwlError, match=expected):
        compute_field(own_study, "cool_rooms", name, expression)
    assert own_study.layers() == before and undoable(own_study, "cool_rooms") == 0


def test_streets_are_not_changed_as_a_table(own_study):
    with pytest.raises(AwlError, match="not changed here"):
        compute_field(own_study, "streets", "cost", "length / 2")
    with pytest.raises(AwlError, match="belongs to the streets"):
        own_study.drop_layer("streets")


def test_roles_change_within_what_a_layer_can_be(own_study):
    own_study.set_layer_role("zones", "parcels")
    assert own_study.require_layer("zones")["role"] == "parcels"
    with pytest.raises(AwlError, match="cannot be used as"):
        own_study.set_layer_role("streets", "zones")


def test_a_change_makes_answers_about_the_layer_stale_and_no_others(own_study):
    made = records.now()
    revision = own_study.revision
    answer = {
        "stamp": revision,
        "made": made,
        "inputs": {"places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}},
    }
    other = {"stamp": revision, "made": made, "inputs": {"zones": {"layer": "zones"}}}
    assert records.is_fresh(own_study.reading, answer, revision)
    editing.set_value(own_study, "cool_rooms", 1, "seats", 5)
    assert not records.is_fresh(own_study.reading, answer, revision) and records.is_fresh(
        own_study.reading, other, revision
    )
