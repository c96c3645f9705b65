"""Edits: any sequence of them gives the graph that building from scratch gives, and taking them back restores it."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, fields, replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.columns import Categorical
from awl.core.errors import AwlError
from awl.core.graph.build import build_graph
from awl.core.graph.edits.apply import apply, most_new
from awl.core.graph.edits.edit import KINDS, Edit
from awl.core.graph.edits.patch import patched
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import TurnRestrictions
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.io import osm_xml
from tests.conftest import node, osm, way
from tests.examples import examples

STEP = 0.002
SIDE = 4
CLASSES = ("residential", "footway", "primary", "service")


@dataclass
class Model:
    """A town in plain dictionaries: what the graph should hold after each edit, worked out without it."""

    nodes: dict[int, tuple[float, float]] = field(default_factory=dict)
    node_tags: dict[int, dict[str, str]] = field(default_factory=dict)
    links: dict[int, tuple[int, int, list[tuple[float, float]], dict[str, str]]] = field(default_factory=dict)
    turns: list[tuple[int, int, int]] = field(default_factory=list)

    def at(self, node_id: int) -> list[int]:
        return [i for i, (a, b, _, _) in self.links.items() if node_id in (a, b)]

    def drop_link(self, ident: int) -> None:
        a, b, _, _ = self.links.pop(ident)
        self.turns = [turn for turn in self.turns if ident not in (turn[0], turn[2])]
        for end in {a, b}:
            if not self.at(end):
                del self.nodes[end]

    def split(self, ident: int, segment: int, place: tuple[float, float], new_node: int, new_link: int) -> None:
        a, b, line, tags = self.links[ident]
        self.nodes[new_node] = place
        self.links[ident] = (a, new_node, [*line[: segment + 1], place], tags)
        self.links[new_link] = (new_node, b, [place, *line[segment + 1 :]], dict(tags))
        self.turns = [
            (new_link if f == ident and via == b else f, via, new_link if t == ident and via == b else t)
            for f, via, t in self.turns
        ]

    def text(self) -> str:
        """The town as a map extract: each link a way of its own, named by its id."""
        body, inner = "", 1_000_000
        for ident, place in self.nodes.items():
            body += node(ident, *place, **self.node_tags.get(ident, {}))
        for ident, (a, b, line, tags) in self.links.items():
            refs = [a]
            for place in line[1:-1]:
                inner += 1
                body += node(inner, *place)
                refs.append(inner)
            body += way(ident, [*refs, b], **tags)
        for number, (f, via, t) in enumerate(self.turns, 1):
            body += (
                f'<relation id="{number}"><tag k="type" v="restriction"/><tag k="restriction" v="no_turn"/>'
                f'<member type="way" ref="{f}" role="from"/><member type="node" ref="{via}" role="via"/>'
                f'<member type="way" ref="{t}" role="to"/></relation>'
            )
        return osm(body)


def built(model: Model, folder) -> StreetGraph:
    """The graph of a town built from scratch, with the ids of the model."""
    path = folder / "town.osm"
    path.write_text(re.sub(r"(<way.*?</way>|<relation.*?</relation>)", r"\1", model.text()))
    graph, _ = build_graph(osm_xml.read(path), merge=False)
    return replace(graph, node_id=graph.node_osm_id, link_id=graph.link_way).in_space_order()


def town() -> Model:
    model = Model()
    for row in range(SIDE):
        for column in range(SIDE):
            model.nodes[1 + row * SIDE + column] = (round(column * STEP, 7), round(row * STEP, 7))
    ident = 1
    for row in range(SIDE):
        for column in range(SIDE):
            here = 1 + row * SIDE + column
            for there, wanted in ((here + 1, column + 1 < SIDE), (here + SIDE, row + 1 < SIDE)):
                if wanted:
                    (a, b), (c, d) = model.nodes[here], model.nodes[there]
                    bend = (round((a + c) / 2 + 0.0003, 7), round((b + d) / 2 + 0.0002, 7))
                    tags = {"highway": CLASSES[ident % 3]} | ({"oneway": "yes"} if ident % 5 == 0 else {})
                    model.links[ident] = (here, there, [(a, b), bend, (c, d)], tags)
                    ident += 1
    return model


class Editor:
    """Makes random edits of a model and of nothing else, numbered as the graph numbers."""

    def __init__(self, model: Model, rng: np.random.Generator) -> None:
        self.model, self.rng = model, rng
        self.next_node, self.next_link = max(model.nodes) + 1, max(model.links) + 1

    def pick(self, of) -> int:
        return int(self.rng.choice(sorted(of)))

    def new_node(self) -> int:
        self.next_node += 1
        return self.next_node - 1

    def new_link(self) -> int:
        self.next_link += 1
        return self.next_link - 1

    def place_on(self, ident: int) -> tuple[int, tuple[float, float]]:
        """A segment of a link, and a place on it that is near neither end."""
        line = self.model.links[ident][2]
        segment = int(self.rng.integers(len(line) - 1))
        (a, b), (c, d) = line[segment], line[segment + 1]
        share = self.rng.uniform(0.3, 0.7)
        return segment, (round(a + share * (c - a), 7), round(b + share * (d - b), 7))

    def one(self) -> Edit | None:
        kinds = ("add", "delete", "reverse", "change", "split", "move", "node", "restrict", "allow", "separate")
        first = self.next_node, self.next_link
        edit: Edit | None = getattr(self, str(self.rng.choice(kinds)))()
        if edit is not None:
            self.next_node, self.next_link = (a + b for a, b in zip(first, most_new(edit), strict=True))
        return edit

    def add(self) -> Edit:
        places = list(self.model.nodes.values())
        start = self.pick(i for i, place in self.model.nodes.items() if places.count(place) == 1)
        ident = self.pick(self.model.links)
        segment, place = self.place_on(ident)
        end = self.new_node()
        self.model.split(ident, segment, place, end, self.new_link())
        line = [self.model.nodes[start], (round(float(self.rng.uniform(0, 3)) * STEP, 7), round(-STEP * 2, 7)), place]
        tags = {"highway": "footway", "name": "New Way"}
        self.model.links[self.new_link()] = (start, end, line, tags)
        return Edit("add", points=tuple(line), tags=tags)

    def delete(self) -> Edit | None:
        if len(self.model.links) < 6:
            return None
        ident = self.pick(self.model.links)
        self.model.drop_link(ident)
        return Edit("delete", (ident,))

    def reverse(self) -> Edit:
        ident = self.pick(self.model.links)
        a, b, line, tags = self.model.links[ident]
        self.model.links[ident] = (b, a, line[::-1], tags)
        return Edit("reverse", (ident,))

    def change(self) -> Edit:
        ident = self.pick(self.model.links)
        kind = str(self.rng.choice(CLASSES))
        a, b, line, tags = self.model.links[ident]
        self.model.links[ident] = (
            a,
            b,
            line,
            {k: v for k, v in tags.items() if k != "oneway"} | {"highway": kind, "maxspeed": "20"},
        )
        return Edit("change", (ident,), tags={"highway": kind, "maxspeed": "20", "oneway": None})

    def split(self) -> Edit:
        ident = self.pick(self.model.links)
        segment, place = self.place_on(ident)
        number = self.new_node()
        self.model.split(ident, segment, place, number, self.new_link())
        self.model.node_tags[number] = {"barrier": "bollard"}
        return Edit("split", (ident,), points=(place,), tags={"barrier": "bollard"})

    def move(self) -> Edit:
        ident = self.pick(self.model.nodes)
        lon, lat = self.model.nodes[ident]
        place = (
            round(lon + float(self.rng.uniform(-1, 1)) * 1e-4, 7),
            round(lat + float(self.rng.uniform(-1, 1)) * 1e-4, 7),
        )
        self.model.nodes[ident] = place
        for number, (a, b, line, tags) in self.model.links.items():
            first, last = (place if a == ident else line[0]), (place if b == ident else line[-1])
            self.model.links[number] = (a, b, [first, *line[1:-1], last], tags)
        return Edit("move", node=ident, points=(place,))

    def node(self) -> Edit:
        ident = self.pick(self.model.nodes)
        self.model.node_tags[ident] = {"barrier": "gate"}
        return Edit("node", node=ident, tags={"barrier": "gate"})

    def restrict(self) -> Edit | None:
        via = self.pick(self.model.nodes)
        links = [i for i in self.model.at(via) if self.model.links[i][0] != self.model.links[i][1]]
        if len(links) < 2:
            return None
        first, last = (int(i) for i in self.rng.choice(links, 2, replace=False))
        # Two streets between the same two nodes could mean either end: the extract says such a turn otherwise.
        if len({*self.model.links[first][:2], *self.model.links[last][:2]}) < 3:
            return None
        if (first, via, last) not in self.model.turns:
            self.model.turns.append((first, via, last))
        return Edit("restrict", (first, last), node=via)

    def allow(self) -> Edit | None:
        if not self.model.turns:
            return None
        first, via, last = self.model.turns.pop(int(self.rng.integers(len(self.model.turns))))
        return Edit("allow", (first, last), node=via)

    def separate(self) -> Edit | None:
        ident = self.pick(self.model.nodes)
        links = self.model.at(ident)
        if len(links) < 3:
            return None
        apart = links[:2]
        number = self.new_node()
        self.model.nodes[number] = self.model.nodes[ident]
        for link in apart:
            a, b, line, tags = self.model.links[link]
            self.model.links[link] = (number if a == ident else a, number if b == ident else b, line, tags)
        self.model.turns = [
            (f, number if via == ident and f in apart else via, t)
            for f, via, t in self.model.turns
            if via != ident or (f in apart) == (t in apart)
        ]
        return Edit("separate", tuple(apart), node=ident)


def assert_same(graph: StreetGraph, other: StreetGraph) -> None:
    """Two graphs hold the same, sources and numbers of relations aside."""
    for item in fields(StreetGraph):
        ours, theirs = getattr(graph, item.name), getattr(other, item.name)
        if item.name in ("tags", "node_tags"):
            assert {k: c.decode() for k, c in ours.items()} == {k: c.decode() for k, c in theirs.items()}, item.name
        elif item.name == "restrictions":
            assert told(ours, graph) == told(theirs, other)
        elif item.name == "shape_m":
            assert ours == pytest.approx(theirs, abs=1e-6)
        elif item.name not in ("node_osm_id", "link_ways", "ways_start", "highest_ids", "costs", "drawn"):
            assert np.array_equal(ours, theirs), item.name


def told(turns: TurnRestrictions, graph: StreetGraph) -> list[tuple]:
    link, node_id = graph.link_id, graph.node_id
    return sorted(
        (int(link[p.from_link]), int(node_id[p.via_node]), int(link[p.to_link]), p.kind) for p in turns.rows()
    )


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(0, 100_000), st.integers(1, 25))
def test_any_edits_give_what_building_from_scratch_gives_and_are_taken_back(tmp_path_factory, seed, count):
    folder = tmp_path_factory.mktemp("towns")
    model = town()
    graph = built(model, folder)
    editor = Editor(model, np.random.default_rng(seed))
    edits = [edit for _ in range(count) if (edit := editor.one()) is not None]
    before = {item.name: getattr(graph, item.name) for item in fields(StreetGraph)}
    applied = apply(graph, edits)
    scratch = built(model, folder)
    assert_same(applied.graph, scratch)
    for mode in SHIPPED.values():
        compare_networks(applied.graph, scratch, mode)
    # One after another gives the same as all at once, ids included.
    stepwise = graph
    for edit in applied.edits:
        stepwise = apply(stepwise, [edit]).graph
    assert_same(stepwise, applied.graph)
    assert told(stepwise.restrictions, stepwise) == told(applied.graph.restrictions, applied.graph)
    # Taken back, nothing is left of them, to the last bit.
    back = patched(applied.graph, applied.patch.inverse())
    for name, value in before.items():
        if isinstance(value, np.ndarray):
            assert np.array_equal(getattr(back, name), value, equal_nan=value.dtype.kind == "f"), name
    assert_same(back, graph)


def compare_networks(graph: StreetGraph, scratch: StreetGraph, mode) -> None:
    try:
        ours = Network.of(graph, mode)
    except AwlError as error:
        with pytest.raises(AwlError, match=re.escape(error.what)):
            Network.of(scratch, mode)
        return
    theirs = Network.of(scratch, mode)
    for name in ("forward", "backward", "usable", "length_mm", "link_part", "duration_ms"):
        assert np.array_equal(getattr(ours, name), getattr(theirs, name)), (mode.id, name)
    assert sorted(ours.forbidden) == sorted(theirs.forbidden)
    assert np.array_equal(ours.arc_costs("time"), theirs.arc_costs("time"))
    assert np.array_equal(ours.step_costs("time"), theirs.step_costs("time"))


@pytest.fixture
def graph(tmp_path) -> StreetGraph:
    return built(town(), tmp_path)


def test_an_end_is_led_to_the_street_it_missed(tmp_path):
    model = Model()
    model.nodes = {1: (0.0, 0.0), 2: (0.004, 0.0), 3: (0.002, 0.003), 4: (0.002, 0.00002)}
    model.links = {
        1: (1, 2, [(0.0, 0.0), (0.004, 0.0)], {"highway": "residential"}),
        2: (3, 4, [(0.002, 0.003), (0.002, 0.00002)], {"highway": "residential"}),
    }
    graph = apply(built(model, tmp_path), [Edit("join", (1, 2), points=((0.002, 0.0),))]).graph
    assert graph.link_count == 3
    ends = {
        int(i): {int(graph.node_id[a]), int(graph.node_id[b])}
        for i, a, b in zip(graph.link_id, graph.link_from, graph.link_to, strict=True)
    }
    (middle,) = set.intersection(*ends.values())
    row = graph.node_rows([middle])[0]
    assert (graph.node_lon[row], graph.node_lat[row]) == (0.002, 0.0)
    assert graph.link_length.sum() == pytest.approx(444.8 + 331.7, abs=1)


def test_two_streets_that_cross_are_joined_where_they_cross(tmp_path):
    model = Model()
    model.nodes = {1: (0.0, 0.0), 2: (0.004, 0.0), 3: (0.002, 0.002), 4: (0.002, -0.002)}
    model.links = {
        1: (1, 2, [(0.0, 0.0), (0.004, 0.0)], {"highway": "residential"}),
        2: (3, 4, [(0.002, 0.002), (0.002, -0.002)], {"highway": "residential"}),
    }
    graph = apply(built(model, tmp_path), [Edit("join", (1, 2), points=((0.002, 0.0),))]).graph
    assert graph.link_count == 4 and graph.node_count == 5


def test_ids_settled_once_stand_for_the_same_streets_in_any_stack(graph):
    first = apply(graph, [Edit("add", points=((0.0, 0.0), (0.001, -0.001)))])
    second = apply(first.graph, [Edit("add", points=((0.0, 0.0), (-0.001, 0.001)))])
    alone = apply(graph, second.edits).graph
    assert set(alone.link_id.tolist()) - set(graph.link_id.tolist()) == set(second.graph.link_id.tolist()) - set(
        first.graph.link_id.tolist()
    )


def test_what_does_not_fit_is_told_and_the_rest_applies(graph):
    edits = [Edit("delete", (99_999,)), Edit("reverse", (1,)), Edit("split", (88_888,), points=((0.0, 0.0),))]
    with pytest.raises(AwlError, match=r"edit 1: The streets have no link 99999"):
        apply(graph, edits)
    applied = apply(graph, edits, strict=False)
    assert [misfit.number for misfit in applied.misfits] == [1, 3] and len(applied.edits) == 1
    assert applied.patch.changed_links.tolist() == [1]


@pytest.mark.parametrize(
    ("given", "named"),
    [
        ({"kind": "teleport"}, "kind"), ({"kind": "delete"}, "links"), ({"kind": "add", "points": ((0.0, 0.0),)}, "points"),
        ({"kind": "move", "node": 1, "points": ((200.0, 0.0),)}, "points"), ({"kind": "change", "links": (1,)}, "tags"),
    ],
)  # fmt: skip
def test_an_edit_that_says_nothing_is_refused(given, named):
    with pytest.raises(AwlError) as caught:
        Edit(**given)
    assert caught.value.inputs == (named,)


def test_every_kind_is_told():
    assert all(text.endswith(".") for text in KINDS.values())
    assert isinstance(Categorical.of([]).codes, np.ndarray)
