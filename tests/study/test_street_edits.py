"""Edits of a study's streets: kept, undone and redone also after a restart, and the tables always say what the graph is."""

from __future__ import annotations

import dataclasses
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import shapely

from awl.core.errors import AwlError
from awl.core.graph.edits.edit import Edit
from awl.core.graph.street_graph import StreetGraph
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.dijkstra.plain import matrix
from awl.core.routing.path import accumulated_with
from awl.questions.run import ask
from awl.study import ledger, streets, what_ifs
from awl.study.importing import add, build
from awl.study.street_edits import edit_streets, merge, redo, undo
from awl.study.study import Study
from tests.conftest import EXTRACT
from tests.oracle import random_places

ELEVATION = Path(__file__).parents[2] / "demo" / "data" / "elevation.tif"


def same(graph: StreetGraph, other: StreetGraph) -> bool:
    """Whether two graphs hold the same, to the last bit."""
    for item in dataclasses.fields(StreetGraph):
        a, b = getattr(graph, item.name), getattr(other, item.name)
        if item.name == "highest_ids":
            continue
        if item.name in ("tags", "node_tags"):
            if {k: c.decode() for k, c in a.items()} != {k: c.decode() for k, c in b.items()}:
                return False
        elif item.name == "restrictions":
            if a.rows() != b.rows():
                return False
        elif isinstance(a, np.ndarray) and not np.array_equal(a, b, equal_nan=a.dtype.kind == "f"):
            return False
    return True


def from_tables(study: Study) -> StreetGraph:
    return streets.read_graph(study.reading)


def a_street(study: Study, length: float = 0.001) -> Edit:
    """A new street from a node of the graph to nowhere."""
    graph = study.graph
    place = float(graph.node_lon[40]), float(graph.node_lat[40])
    return Edit(
        "add",
        points=(place, (round(place[0] + length, 7), round(place[1] + length, 7))),
        tags={"highway": "footway", "name": "New Cut"},
    )


def some_edits(study: Study) -> list[Edit]:
    graph = study.graph
    ids = graph.link_id.tolist()
    middle = tuple(
        np.round([graph.shape_lon[graph.shape_start[5] + 1], graph.shape_lat[graph.shape_start[5] + 1]], 7).tolist()
    )
    return [
        Edit("change", (ids[3], ids[4]), tags={"highway": "cycleway", "name": "Renamed Way", "cycleway": "track"}),
        Edit("reverse", (ids[7],)),
        Edit("delete", (ids[11],)),
        Edit("split", (ids[5],), points=(middle,), tags={"barrier": "bollard"}),
        Edit(
            "move",
            node=int(graph.node_id[9]),
            points=((round(float(graph.node_lon[9]) + 1e-5, 7), round(float(graph.node_lat[9]), 7)),),
        ),
    ]


def test_tables_and_graph_agree_after_every_step_and_undo_restores_all(own_study):
    before = own_study.graph
    states = [before]
    for edit in [a_street(own_study), *some_edits(own_study)]:
        edit_streets(own_study, [edit])
        assert same(own_study.graph, from_tables(own_study))
        states.append(own_study.graph)
    for state in states[-2::-1]:
        undo(own_study)
        again = Study(own_study.path)  # as after a restart
        assert same(again.graph, state) and same(from_tables(again), state) and same(own_study.graph, state)
    with pytest.raises(AwlError, match="nothing to undo"):
        undo(own_study)
    for state in states[1:]:
        redo(Study(own_study.path))
        assert same(Study(own_study.path).graph, state)
    with pytest.raises(AwlError, match="nothing to redo"):
        redo(own_study)


def test_what_was_undone_is_gone_once_something_else_is_done_and_ids_are_not_given_again(own_study):
    first = edit_streets(own_study, [a_street(own_study)])
    undo(own_study)
    second = edit_streets(own_study, [a_street(own_study, 0.002)])
    assert not set(first.changed_links.tolist()) & set(second.changed_links.tolist())
    with pytest.raises(AwlError, match="nothing to redo"):
        redo(own_study)


def test_two_who_edit_at_once_conflict_loudly(own_study):
    seen = ledger.version(own_study.reading)
    edit_streets(own_study, [a_street(own_study)], expected=seen)
    other = Study(own_study.path)
    with pytest.raises(AwlError, match="elsewhere") as caught:
        edit_streets(other, [a_street(other)], expected=seen)
    assert caught.value.status == 412 and len(ledger.steps(other.reading)) == 1


def test_a_step_lands_whole_or_not_at_all(own_study):
    before = own_study.graph
    with pytest.raises(AwlError, match="edit 2"):
        edit_streets(own_study, [a_street(own_study), Edit("delete", (999_999,))])
    assert same(Study(own_study.path).graph, before) and not ledger.steps(own_study.reading)


def test_a_newer_extract_keeps_the_edits_that_apply_and_tells_which_do_not(own_study):
    new = edit_streets(own_study, [a_street(own_study)])
    changed = edit_streets(own_study, some_edits(own_study)[:2])
    gone = int(new.changed_links[-1])
    edit_streets(own_study, [Edit("change", (gone,), tags={"surface": "wood"})])
    build(EXTRACT, own_study.path, own_study.area)
    rebuilt = Study(own_study.path)
    row = rebuilt.graph.link_rows([gone])[0]
    assert rebuilt.graph.tag("name").at(row) == "New Cut" and rebuilt.graph.tag("surface").at(row) == "wood"
    rows = rebuilt.graph.link_rows(list(changed.edits[0].links))
    assert {rebuilt.graph.tag("name").at(row) for row in rows} == {"Renamed Way"}
    assert all(step.misfits == () for step in ledger.steps(rebuilt.reading))
    undo(rebuilt)  # steps can be taken back after that too
    assert rebuilt.graph.tag("surface").at(rebuilt.graph.link_rows([gone])[0]) is None
    # A smaller area lacks what an edit was about: it is told, and the rest stays.
    west, south, east, north = rebuilt.area.bounds
    middle = (west + east) / 2
    is_west = rebuilt.graph.node_lon[40] < middle
    build(
        EXTRACT,
        own_study.path,
        shapely.box(*((middle, south, east, north) if is_west else (west, south, middle, north))),
    )
    steps = ledger.steps(Study(own_study.path).reading)
    assert any("no link" in why for step in steps for why in step.misfits)


def test_killed_between_two_writes_nothing_committed_is_lost(own_study, tmp_path):
    script = (
        "import sys\nfrom pathlib import Path\nfrom awl.study.study import Study\n"
        "from awl.study.street_edits import edit_streets\n"
        "from awl.core.graph.edits.edit import Edit\nstudy = Study(Path(sys.argv[1]))\nids = study.graph.link_id.tolist()\n"
        "for n in range(1000):\n"
        "    edit_streets(study, [Edit('change', (ids[n % len(ids)],), tags={'name': f'Lane {n}'})])\n    print(n, flush=True)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", script, str(own_study.path)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    lines = [process.stdout.readline() for _ in range(5)]
    process.send_signal(signal.SIGKILL)
    process.wait()
    told = len(lines) + len(process.stdout.read().split())
    survived = Study(own_study.path)
    steps = ledger.steps(survived.reading)
    assert told <= len(steps) <= told + 1
    assert same(survived.graph, from_tables(survived))
    ids = set(survived.graph.tag("name").decode())
    assert f"Lane {len(steps) - 1}" in ids


# -- what-ifs -----------------------------------------------------------------------------------------------------------


def reached(study: Study, **more) -> float:
    graph = study.graph
    start = [float(graph.node_lon[40]), float(graph.node_lat[40])]
    summary = ask(study, "isochrone", {"places": [start], "limits": [5], "mode": "walk", **more}).document()["summary"]
    return summary["street_km"][0]


def test_a_what_if_answers_as_the_study_would_and_leaves_it_alone(own_study):
    plain = reached(own_study)
    idea = what_ifs.save(own_study, {"title": "New Cut"})
    edit_streets(own_study, [a_street(own_study)], idea.id)
    before = own_study.graph
    longer = reached(own_study, what_if="new_cut")
    assert longer > plain and reached(own_study) == plain and own_study.graph is before
    undo(own_study, idea.id)
    assert reached(own_study, what_if=["new_cut"]) == plain
    redo(own_study, idea.id)
    assert reached(own_study, what_if=["new_cut"]) == longer
    merge(own_study, idea.id)
    assert reached(own_study) == longer and not what_ifs.listed(own_study.reading)
    undo(own_study)
    assert reached(own_study) == plain


def test_several_what_ifs_stand_on_each_other(own_study):
    what_ifs.save(own_study, {"title": "New Cut"})
    outcome = edit_streets(own_study, [a_street(own_study)], "new_cut")
    other = what_ifs.copy(own_study, "new_cut", "Closed again")
    what_ifs.save(own_study, {"title": "Gone"})
    link = int(outcome.changed_links[-1])
    with pytest.raises(AwlError, match=f"no link {link}"):
        edit_streets(own_study, [Edit("delete", (link,))], "gone")
    assert len(ledger.steps(own_study.reading, other.id)) == 1
    variant = what_ifs.variant(own_study, ["new_cut"])
    assert variant.graph.link_count > own_study.graph.link_count
    with pytest.raises(AwlError, match="at once"):
        what_ifs.variant(own_study, ["new_cut", "new_cut"])
    with pytest.raises(AwlError, match="no what-if 'new_cat'"):
        what_ifs.variant(own_study, ["new_cat"])


def test_modes_places_and_a_time_are_part_of_a_what_if(own_study):
    layer = next(entry for entry in own_study.layers() if entry["role"] == "places")
    count = layer["count"]
    idea = what_ifs.save(
        own_study,
        {
            "title": "Slow and closed",
            "at": "2026-06-03T08:00",
            "modes": {"walk": {"top_speed": 3.0}},
            "places": [{"layer": layer["id"], "close": "fid = 1"}],
        },
    )
    variant = what_ifs.variant(own_study, [idea.id])
    assert variant.mode("walk").top_speed == 3.0 and own_study.mode("walk").top_speed != 3.0
    assert len(variant.read_layer(layer["id"])) == count - 1 and len(own_study.read_layer(layer["id"])) == count
    assert reached(own_study, what_if=idea.id) < reached(own_study)
    with pytest.raises(AwlError, match="streets can be merged"):
        merge(own_study, idea.id)


@pytest.mark.parametrize(
    ("given", "named"),
    [
        ({"title": ""}, "title"), ({"title": "x", "colour": "red"}, "colour"),
        ({"title": "x", "modes": {"walk": {"top_speed": -1}}}, None),
        ({"title": "x", "places": [{"layer": "nowhere"}]}, None), ({"title": "x", "places": [{"close": "fid = 1"}]}, "places"),
    ],
)  # fmt: skip
def test_a_what_if_that_cannot_be_is_refused(own_study, given, named):
    with pytest.raises(AwlError) as caught:
        what_ifs.save(own_study, given)
    assert named is None or caught.value.inputs == (named,)
    assert not what_ifs.listed(own_study.reading)


def test_copies_for_what_ifs_go_with_whoever_made_them(own_study):
    what_ifs.save(own_study, {"title": "New Cut"})
    edit_streets(own_study, [a_street(own_study)], "new_cut")
    folder = what_ifs.variant(own_study, ["new_cut"]).path.parent
    (folder / ".new-1-abc.gpkg").write_bytes(b"of the first process, which runs")
    (folder / ".new-4194399-abc.gpkg").write_bytes(b"of a process that is no more")
    deadline = time.monotonic() + 30
    undo(own_study, "new_cut")
    what_ifs.variant(own_study, ["new_cut"])
    while (folder / ".new-4194399-abc.gpkg").exists():
        assert time.monotonic() < deadline
    assert (folder / ".new-1-abc.gpkg").exists()


def test_a_variant_that_follows_an_edit_is_the_one_made_anew(own_study):
    add(ELEVATION, own_study, None, None, ELEVATION.name)
    what_ifs.save(own_study, {"title": "New Cut"})
    first = what_ifs.variant(own_study, ["new_cut"])
    assert first.heights is not None
    for edit in [a_street(own_study), *some_edits(own_study)]:
        edit_streets(own_study, [edit], "new_cut")
        followed = what_ifs.variant(own_study, ["new_cut"])
        assert followed is first
    what_ifs._variants.clear()
    anew = what_ifs.variant(own_study, ["new_cut"])
    assert anew is not first and same(anew.graph, first.graph) and same(from_tables(first), first.graph)
    assert np.array_equal(anew.heights.height_m, first.heights.height_m, equal_nan=True)
    for mode in ("walk", "cycle", "drive"):
        costs = [variant.network(mode).arc_costs("time") for variant in (anew, first)]
        assert np.array_equal(*costs)


def test_heights_after_an_edit_are_those_of_a_study_opened_anew(own_study):
    add(ELEVATION, own_study, None, None, ELEVATION.name)
    assert own_study.heights is not None
    for edit in some_edits(own_study):
        edit_streets(own_study, [edit])
        _ = own_study.heights
    again = Study(own_study.path)
    assert np.array_equal(own_study.heights.height_m, again.heights.height_m, equal_nan=True)
    assert np.array_equal(own_study.heights.start, again.heights.start)
    undo(own_study)
    assert np.array_equal(own_study.heights.height_m, Study(own_study.path).heights.height_m, equal_nan=True)


def test_what_is_prepared_follows_an_edit_of_costs(own_study):
    own_study.wait_until_prepared("drive")
    graph = own_study.graph
    road = int(graph.link_id[np.flatnonzero(graph.tag("highway").equals("primary"))[0]])
    edit_streets(own_study, [Edit("change", links=(road,), tags={"maxspeed": "10"})])
    followed = own_study.router("drive")
    assert followed.hierarchy is not None and followed.hierarchy._base is None
    anew = Hierarchy(followed.hierarchy.topology)
    for measure in ("time", "distance"):
        mine, other = (high.metric(followed.network, measure).cost for high in (followed.hierarchy, anew))
        assert np.array_equal(mine, other)
        for high in (followed.hierarchy, anew):
            high.unpacking(followed.network, measure, accumulated_with(measure))
    for key, ways in followed.hierarchy._ways.items():
        assert np.array_equal(ways.accumulated, anew._ways[key].accumulated)
    # Where streets hang together otherwise, nothing is taken over: plain searches serve until it is prepared again.
    edit_streets(own_study, [Edit("delete", links=(road,))])
    assert own_study.router("drive").hierarchy is None


def test_streets_that_hang_together_otherwise_are_prepared_in_the_order_of_those_before(own_study, monkeypatch):
    own_study.wait_until_prepared("drive")
    monkeypatch.setattr(Hierarchy, "of", lambda *_: pytest.fail("put in order anew"))
    for edit in (a_street(own_study), *some_edits(own_study)):
        edit_streets(own_study, [edit])
    own_study.wait_until_prepared("drive")
    ours = own_study.router("drive")
    places = random_places(ours.network, 40, 3)
    assert np.array_equal(matrix(ours.network, places, places, "time")[0], ours.matrix(places, places, "time")[0])
    other = Study(own_study.path)
    other.wait_until_prepared("drive")
    assert other.router("drive").hierarchy.edges_each == ours.hierarchy.edges_each
