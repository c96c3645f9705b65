"""Prepared hierarchies are kept beside the study, and never trusted when damaged or of other streets."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from awl.core.routing.cch import hierarchy
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.shipped import SOURCE
from awl.study import hierarchies, importing
from awl.study.arrays import folder_of
from awl.study.study import Study


def folders(study):
    return sorted(folder_of(study.path).glob("hierarchy-*"))


def test_a_hierarchy_is_kept_and_found_again(own_study, monkeypatch):
    network = own_study.network("walk")
    made = hierarchies.hierarchy_of(own_study.path, network)
    assert len(folders(own_study)) == 1
    monkeypatch.setattr(Hierarchy, "of", lambda *_: pytest.fail("made anew"))
    again = hierarchies.hierarchy_of(own_study.path, network)
    for name in hierarchies.NAMES:
        one, two = getattr(made.topology, name), getattr(again.topology, name)
        # Kernels are compiled for plain arrays; a read-only or mapped one would have them compiled anew while someone waits.
        assert np.array_equal(one, two) and type(two) is np.ndarray and two.flags.writeable and one.dtype == two.dtype


@pytest.mark.parametrize("damage", ["cut short", "one byte", "no head", "one file gone"])
def test_a_damaged_one_is_made_anew(own_study, damage):
    network = own_study.network("walk")
    made = hierarchies.hierarchy_of(own_study.path, network)
    (folder,) = folders(own_study)
    file = folder / "head.npy"
    data = file.read_bytes()
    if damage == "cut short":
        file.write_bytes(data[:-40])
    elif damage == "one byte":
        file.write_bytes(data[:-8] + bytes([data[-8] ^ 1]) + data[-7:])
    elif damage == "no head":
        (folder / "head.json").write_text("{")
    else:
        file.unlink()
    again = hierarchies.hierarchy_of(own_study.path, network)
    assert np.array_equal(made.topology.head, again.topology.head) and file.read_bytes() == data


def test_a_mode_that_moves_otherwise_has_its_own(own_study):
    for mode in ("walk", "drive"):
        hierarchies.hierarchy_of(own_study.path, own_study.network(mode))
    assert len(folders(own_study)) == 2


def test_preparing_goes_on_behind_and_questions_use_it_when_it_is_there(own_study):
    assert own_study.router("walk").hierarchy is None
    own_study.prepare().join(60)
    for mode in own_study.modes():
        assert own_study.router(mode).hierarchy.ready("time"), mode
    assert own_study.prepare() is None, "nothing is left to prepare"
    mode = own_study.mode("walk")
    own_study.save_mode(replace(mode, title="On foot"))
    own_study.undo_mode()
    own_study.prepare().join(60)
    assert own_study.router("walk").hierarchy is not None, "what was changed and taken back is prepared again"


def test_preparing_tells_how_far_it_is(own_study, monkeypatch):
    told, tell = [], own_study._tell
    monkeypatch.setattr(own_study, "_tell", lambda *step: (told.append(step), tell(*step)))
    thread = own_study.prepare()
    assert own_study.is_preparing
    thread.join(60)
    assert not own_study.is_preparing and own_study.preparation is None
    modes = list(own_study.modes())
    assert [mode for _, _, mode, share, _ in told if share == 0] == modes
    for number, mode in enumerate(modes):
        steps = [
            (share, what)
            for count, ready, one, share, what in told
            if one == mode and (count, ready) == (len(modes), number)
        ]
        shares = [share for share, _ in steps]
        assert shares == sorted(shares) and shares[-1] == 0.95
        # Who rides walks on a walker's streets: their order is there.
        ordered = {"finding the order of streets", "joining streets by shortcuts"} if mode != "transit" else set()
        assert {what for _, what in steps} == {
            *ordered,
            "drawing its field",
            "putting in what streets cost",
            "unpacking shortcuts",
            "removing links that no shortest path uses",
        }


def test_heights_that_come_or_go_make_answers_stale_and_walking_slower(own_study):
    before, flat = own_study.revision, own_study.network("walk").duration_ms.sum()
    importing.add(SOURCE / "demo" / "data" / "elevation.tif", own_study, "heights")
    with_heights = own_study.revision
    assert with_heights != before and own_study.network("walk").duration_ms.sum() > flat
    own_study.drop_layer("heights")
    assert own_study.revision not in (before, with_heights) and own_study.network("walk").duration_ms.sum() == flat


def test_metrics_are_kept_for_other_processes_and_not_for_other_costs(own_study, monkeypatch):
    own_study.prepare().join(120)
    mine = own_study.router("drive").hierarchy.arrays()
    monkeypatch.setattr(hierarchy, "customized", lambda *_: pytest.fail("costs were put in again"))
    other = Study(own_study.path)
    other.wait_until_prepared("drive")
    theirs = other.router("drive").hierarchy.arrays()
    assert set(mine) == set(theirs) and {name.split(".")[0] for name in mine} == set(hierarchies.MEASURES)
    for name, array in mine.items():
        assert np.array_equal(array, theirs[name]) and array.dtype == theirs[name].dtype
        assert type(theirs[name]) is np.ndarray and theirs[name].flags.writeable
    monkeypatch.undo()
    slower = replace(own_study.mode("drive"), top_speed=20.0)
    own_study.save_mode(slower)
    changed = Study(own_study.path)
    changed.wait_until_prepared("drive")
    assert not np.array_equal(changed.router("drive").hierarchy.arrays()["time.cost"], mine["time.cost"])


def test_damaged_metrics_are_made_anew(own_study):
    own_study.prepare().join(120)
    mine = own_study.router("walk").hierarchy.arrays()
    for file in folder_of(own_study.path).glob("metric-*/time.cost.npy"):
        file.write_bytes(file.read_bytes()[:-8] + b"\x01" * 8)
    other = Study(own_study.path)
    other.wait_until_prepared("walk")
    made = other.router("walk").hierarchy.arrays()
    assert np.array_equal(made["time.cost"], mine["time.cost"])


def test_preparing_ends_when_the_study_is_closed(own_study, monkeypatch):
    def draw(*_):
        own_study.close()  # while the first mode is worked on

    monkeypatch.setattr(Study, "field", draw)
    monkeypatch.setattr("awl.study.study.draw_ahead", lambda *_: None)
    thread = own_study.prepare()
    thread.join(60)
    assert not thread.is_alive() and own_study.preparation is None
    assert all(own_study.router(mode).hierarchy is None for mode in own_study.modes())
