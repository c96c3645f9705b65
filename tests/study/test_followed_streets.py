"""A process that has streets open follows what another edits, without reading them again."""

from __future__ import annotations

import random

import numpy as np
import pytest
import shapely

from awl.core.analysis.isochrone_areas.field import TiledField
from awl.study import arrays, street_changes, streets, what_ifs
from awl.study.arrays import folder_of
from awl.study.fields import draw_ahead
from awl.study.importing import add
from awl.study.street_edits import edit_streets, redo, undo
from awl.study.study import Study
from tests.study.test_street_edits import ELEVATION, a_street, same, some_edits


@pytest.fixture
def unreadable(monkeypatch):
    """Once called, streets cannot be read from the file."""

    def forbid() -> None:
        def read(*_):
            raise AssertionError("streets were read again")

        monkeypatch.setattr(arrays, "load_graph", read)
        monkeypatch.setattr(streets, "read_graph", read)

    return forbid


@pytest.mark.parametrize("seed", range(3))
def test_streets_of_another_process_are_followed_through_edits_undo_and_redo(own_study, unreadable, seed):
    other, chance = Study(own_study.path), random.Random(seed)
    assert same(other.graph, own_study.graph)
    unreadable()
    undone = 0
    edits = [a_street(own_study), *some_edits(own_study)]
    while edits:
        act = chance.choice(("edit", "edit", "undo", "redo"))
        if act == "redo" and undone:
            redo(own_study)
            undone -= 1
        elif act == "undo" and len(edits) < 6 and not undone:
            undo(own_study)
            undone += 1
        else:
            edit_streets(own_study, [edits.pop()])
            undone = 0
        if chance.random() < 0.5:  # at other times it is several changes behind
            assert same(other.graph, own_study.graph)
    assert same(other.graph, own_study.graph)


def test_heights_and_what_is_prepared_are_taken_over(own_study, unreadable):
    add(ELEVATION, own_study, None, None, ELEVATION.name)
    other = Study(own_study.path)
    other.wait_until_prepared("drive")
    _ = other.heights, own_study.heights
    unreadable()
    edit_streets(own_study, [some_edits(own_study)[0]])
    assert np.array_equal(other.heights.height_m, own_study.heights.height_m, equal_nan=True)
    assert other.router("drive").hierarchy is not None


def test_the_other_process_edits_on_from_there(own_study):
    other = Study(own_study.path)
    _ = other.graph
    first = edit_streets(own_study, [a_street(own_study)])
    second = edit_streets(other, [a_street(other, 0.002)])
    assert not set(first.changed_links.tolist()) & set(second.changed_links.tolist())
    assert same(own_study.graph, other.graph) and same(Study(own_study.path).graph, other.graph)


def test_who_is_too_far_behind_or_sees_other_streets_reads_them(own_study, monkeypatch):
    monkeypatch.setattr(street_changes, "MOST", 2)
    other, road = Study(own_study.path), int(own_study.graph.link_id[5])
    _ = other.graph
    before = other.revision
    for _ in range(3):
        edit_streets(own_study, [a_street(own_study)])
    assert street_changes.lead(own_study.reading, before, own_study.revision) is None
    assert same(other.graph, own_study.graph)
    own_study.set_graph(own_study.graph)
    assert street_changes.lead(own_study.reading, before, own_study.revision) is None
    assert road in other.graph.link_id and same(other.graph, own_study.graph)


def test_a_what_if_that_is_open_follows_edits_of_another_process(own_study, monkeypatch):
    what_ifs.save(own_study, {"title": "New Cut"})
    edit_streets(own_study, [a_street(own_study)], "new_cut")
    mine = what_ifs.variant(own_study, ["new_cut"])
    of_this_process = dict(what_ifs._variants)
    what_ifs._variants.clear()
    other = Study(own_study.path)
    for edit in some_edits(own_study):
        edit_streets(other, [edit], "new_cut")
    theirs = what_ifs.variant(other, ["new_cut"])
    monkeypatch.setattr(what_ifs, "_variants", of_this_process)
    followed = what_ifs.variant(own_study, ["new_cut"])
    assert followed is mine and theirs is not mine
    assert same(followed.graph, theirs.graph)
    # What is taken back, or changed besides edits, is made anew.
    undo(other, "new_cut")
    assert what_ifs.variant(own_study, ["new_cut"]) is not mine


def places(field):
    """Triangles of a field as sets of places, and where on which street each sample lies."""
    xy = np.column_stack([field.x, field.y])
    return {frozenset(map(tuple, xy[row])) for row in field.triangles}


def test_fields_and_shapes_after_edits_are_those_made_anew(own_study):
    other = Study(own_study.path)
    _ = other.field("walk").full(), own_study.graph.lines_xy, other.graph.lines_xy
    for edit in [a_street(own_study), *some_edits(own_study)]:
        edit_streets(own_study, [edit])
        followed, graph = other.field("walk").full(), other.graph
        assert "lines_xy" in vars(graph) and "lines_xy" in vars(own_study.graph)
        # A mode that meets barriers has other nodes, and the same shapes.
        assert other.network("walk").graph.lines_xy is graph.lines_xy
        anew = Study(own_study.path)
        assert shapely.equals_exact(graph.lines_xy, anew.graph.lines_xy).all()
        assert all(map(np.array_equal, graph.shape_xy, anew.graph.shape_xy))
        whole = TiledField(anew.network("walk")).full()
        assert np.array_equal(followed.link, whole.link) and np.array_equal(followed.fraction, whole.fraction)
        assert places(followed) == places(whole)
    before = len(list(folder_of(own_study.path).glob("field-*")))
    draw_ahead(other.field("walk"))
    assert len(list(folder_of(own_study.path).glob("field-*"))) == before + 1
