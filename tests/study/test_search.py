"""A place is found by name, by address with typing mistakes, and by coordinates; house numbers come from the extract."""

from __future__ import annotations

import pytest

from awl.core.errors import AwlError
from awl.questions.run import ask
from awl.study import importing
from awl.study.search import find, place_of
from awl.study.study import Study
from tests.conftest import node, osm, way


@pytest.fixture(scope="module")
def town(tmp_path_factory):
    """A lane with numbered houses, two as nodes and one as a building."""
    body = "".join(node(i, -36.2 + i * 0.001, 41.29) for i in range(1, 6))
    body += node(11, -36.1985, 41.2901, addr__street="Heron Lane", addr__housenumber="5").replace("addr__", "addr:")
    body += node(12, -36.1975, 41.2901, addr__street="Heron Lane", addr__housenumber="7a").replace("addr__", "addr:")
    body += node(13, -36.197, 41.2901, addr__housenumber="9").replace("addr__", "addr:")
    body += "".join(
        node(20 + i, x, y) for i, (x, y) in enumerate([(-36.1962, 41.2901), (-36.196, 41.2901), (-36.196, 41.2903)])
    )
    body += way(1, [1, 2, 3, 4, 5], highway="residential", name="Heron Lane")
    body += way(2, [20, 21, 22, 20], building="yes", addr__street="Cordwain Row", addr__housenumber="2")
    folder = tmp_path_factory.mktemp("town")
    (folder / "t.osm").write_text(osm(body))
    importing.build(folder / "t.osm", folder / "t.gpkg")
    return Study(folder / "t.gpkg")


def names(study, text):
    return [(hit.name, hit.what) for hit in find(study, text)]


def test_numbers_of_nodes_and_buildings_are_addresses(town):
    assert names(town, "heron lane 5") == [("Heron Lane 5", "address")]
    assert names(town, "2 cordwain") == [("Cordwain Row 2", "address")]
    hit = find(town, "heron lane 7a")[0]
    assert (hit.lon, hit.lat) == pytest.approx((-36.1975, 41.2901))


@pytest.mark.parametrize("text", ["Hron Lane 5", "heronlane 5", "Heron Lnae 5"])
def test_typing_mistakes_are_forgiven(town, text):
    assert names(town, text) == [("Heron Lane 5", "address")]


def test_what_is_like_nothing_is_not_found(town):
    assert names(town, "Quillhaven Street 5") == [] and names(town, "x") == []


def test_coordinates_are_places_too(town):
    assert find(town, "41.29, -36.198")[0].what == "coordinates"
    assert find(town, "-36.198, 41.29")[0].lon == -36.198, "the order that lies near"


def test_an_address_that_is_not_there_is_not_replaced_by_its_street(town):
    with pytest.raises(AwlError, match=r"no address 'Heron Lane 6'.*Heron Lane"):
        place_of(town, "Heron Lane 6", "places")
    with pytest.raises(AwlError, match="Nothing in the study is called"):
        place_of(town, "Quillhaven", "places")


def test_a_question_takes_a_name(town):
    answer = ask(town, "isochrone", {"places": {"name": "Hron Lane 5"}, "limits": [2]})
    assert answer.summary["places_used"] == 1
    assert any("'Heron Lane 5' was found as address at 41.29010, -36.19850" in line for line in answer.method)
