"""Sheets as documents: written and read the same, refused where they are none, copied with references that still hold."""

from __future__ import annotations

import copy
import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from awl.core.errors import AwlError
from awl.sheets import shelf
from awl.sheets.document import VERSION, read_document, sheet_of, written_document
from awl.sheets.references import in_order, redirected, renamed, rests_on
from tests.sheets.sheets_made import DOCUMENT, burst


def test_a_sheet_file_holds_all_of_a_sheet():
    document = json.loads(json.dumps(written_document(burst(), "Ferrow", "9.9")))
    assert (document["awl_sheet"], document["made_by"], document["study"]) == (VERSION, "Awl 9.9", "Ferrow")
    assert read_document(document, "x") == burst()
    assert read_document(document, "x").body() == burst().body()


def changed(*path_and_value):
    *path, value = path_and_value
    document = copy.deepcopy({"awl_sheet": 1, **DOCUMENT})
    inner = document
    for name in path[:-1]:
        inner = inner[name]
    inner[path[-1]] = value
    return document


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ([], "'awl_sheet' is missing"),
        (None, "'awl_sheet' is missing"),
        (DOCUMENT, "'awl_sheet' is missing"),
        (changed("awl_sheet", 2), "version 2, this Awl reads up to 1"),
        (changed("awl_sheet", "1"), "not the number of a version"),
        (changed("awl_sheet", True), "not the number of a version"),
        (changed("blocks", {}), "a list of blocks"),
        (changed("blocks", 1, "kind", "script"), "blocks.2"),
        (changed("blocks", 1, "inputs", []), "blocks.2.question.inputs"),
        (changed("blocks", 0, "text", "x" * 30_000), "blocks.1"),
        (changed("blocks", 1, "look", {"band-0": {"colour": "url(x)"}}), "blocks.2.question.look.band-0.colour"),
        (changed("blocks", 1, "look", {"band-0": {"width": 1e9}}), "look.band-0.width"),
        (changed("blocks", 1, "look", {"band-0": {"shadow": 1}}), "look.band-0.shadow"),
        (changed("blocks", 2, "id", "along"), "two blocks are called 'along'"),
        (changed("blanks", 1, "name", "where"), "two blanks are called 'where'"),
        (changed("blanks", 1, "name", "../etc"), "blanks.2.name"),
        (changed("blanks", 1, "least", 900), "more than its most"),
        (changed("forms", 0, "id", "Über uns"), "forms.1.id"),
        (changed("forms", 0, "shows", 0, "files", ["exe"]), "forms.1.shows.1.files.1"),
        (changed("forms", 0, "script", "x"), "forms.1.script"),
        (changed("blocks", [{"id": f"p{i}", "kind": "prose", "text": ""} for i in range(501)]), "blocks"),
    ],
)
def test_what_is_no_sheet_is_refused_by_its_place(document, words):
    with pytest.raises(AwlError) as refused:
        read_document(document, "a.json")
    assert words in refused.value.detail and refused.value.detail.startswith("a.json: ")


def test_references_are_seen_however_deep_and_others_are_not():
    inputs = {
        "places": {"answer": "a", "part": "zones"}, "zones": {"layer": "zones", "inside": "b"},
        "layers": [{"layer": "x"}, {"answer": "a"}], "answers": ["c", {"answer": "d"}, {"answer": "e", "study": "other"}],
    }  # fmt: skip
    assert rests_on(inputs) == ["a", "b", "c", "d"]
    assert rests_on(redirected(inputs, {"a": "x", "c": "y", "e": "z"})) == ["x", "b", "y", "d"]
    assert rests_on({"events": {"type": "Point", "coordinates": [1, 2]}, "at": None}) == []


@given(st.lists(st.tuples(st.integers(0, 8), st.integers(0, 8)), max_size=20), st.sets(st.integers(0, 8)))
def test_questions_come_after_those_they_rest_on(edges, taken):
    """Against Python's own sorter of dependencies, with ids renamed."""
    import graphlib

    after: dict[int, list[int]] = {}
    for one, other in edges:
        after.setdefault(one, []).append(other)
    blocks = [
        {
            "id": f"q{i}",
            "kind": "question",
            "process": "isochrone",
            "inputs": {"places": [{"answer": f"q{j}"} for j in after.get(i, [])]},
        }
        for i in range(9)
    ]
    sheet, names = renamed(sheet_of({"blocks": blocks}), {f"q{i}" for i in taken})
    assert set(names) == {f"q{i}" for i in taken}
    assert not {block.id for block in sheet.blocks} & {f"q{i}" for i in taken}
    assert len({block.id for block in sheet.blocks}) == 9
    sorter = graphlib.TopologicalSorter({i: after.get(i, []) for i in range(9)})
    try:
        sorter.prepare()
    except graphlib.CycleError:
        with pytest.raises(AwlError, match="circle"):
            in_order(sheet)
        return
    order = [block.id for block in in_order(sheet)]
    assert sorted(order) == sorted(block.id for block in sheet.blocks)
    for one, other in edges:
        own, on = (names.get(f"q{i}", f"q{i}") for i in (one, other))
        assert order.index(on) < order.index(own)
    wanted = in_order(sheet, {sheet.blocks[0].id})
    reached, waiting = set(), [0]
    while waiting:
        at = waiting.pop()
        if at not in reached:
            reached.add(at)
            waiting += after.get(at, [])
    assert {block.id for block in wanted} == {names.get(f"q{i}", f"q{i}") for i in reached}


def test_sheets_of_a_study_are_copied_exported_and_dropped(own_study):
    with own_study.writing() as connection:
        from awl.study import records

        records.save_answer(connection, "along", "alongside", {}, "s", 0.1, b'{"title": "kept"}')
    first, unfit = shelf.take_in(own_study, {"awl_sheet": 1, **DOCUMENT}, "x")
    assert unfit == [] and first == "a_burst_main"
    second = shelf.copy(own_study, first, "Second try")
    taken_in = shelf.stored(own_study, first)
    # An answer was kept as 'along' before the sheet came: its question has another name.
    assert taken_in.questions[0].id == "along_2" and rests_on(taken_in.questions[1].inputs) == ["along_2"]
    copied = shelf.stored(own_study, second)
    assert copied.title == "Second try" and len(copied.questions) == 2
    ids = [block.id for sheet in (taken_in, copied) for block in sheet.blocks]
    assert len(set(ids)) == len(ids), "no question of two sheets shares its answer"
    assert rests_on(copied.questions[1].inputs) == [copied.questions[0].id]
    assert copied.blanks[0].question == copied.questions[0].id == copied.forms[0].shows[0].question
    assert [form.id for form in copied.forms] == ["burst_2"], "no two forms have one address"
    assert [(one["id"], one["questions"], len(one["forms"])) for one in shelf.summaries(own_study)] == [
        ("main", 0, 0), (first, 2, 1), (second, 2, 1),
    ]  # fmt: skip
    assert read_document(shelf.file_of(own_study, second), "x") == copied
    shelf.drop(own_study, first)
    with pytest.raises(AwlError, match="no sheet 'a_burst_main'"):
        shelf.stored(own_study, first)
    assert shelf.stored(own_study, second) == copied


def test_a_copy_has_the_answers_of_what_it_is_a_copy_of(own_study):
    from awl.study import records

    ident, _ = shelf.take_in(own_study, {"awl_sheet": 1, **DOCUMENT}, "x")
    with own_study.writing() as connection:
        records.save_answer(connection, "along", "alongside", {"a": 1}, "s", 0.1, b'{"title": "kept"}')
    copied = shelf.stored(own_study, shelf.copy(own_study, ident, "Again"))
    kept = records.answer(own_study.reading, copied.questions[0].id)
    assert kept is not None and kept["result"] == {"title": "kept"}
    shelf.drop(own_study, ident)
    assert records.answer(own_study.reading, "along") is None
    assert records.answer(own_study.reading, copied.questions[0].id) is not None
