"""Links found by where they lie, against Shapely's tree of lines."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from awl.core.graph.nearest_links import NearestLinks
from tests.examples import examples


@pytest.fixture(scope="module")
def town(walk):
    return walk.graph, shapely.bounds(walk.graph.lines_xy)


def some(graph, seed, share):
    """Links drawn at random, and places on and around them, some at their very ends."""
    rng = np.random.default_rng(seed)
    links = np.flatnonzero(rng.random(graph.link_count) < share)
    x, y = graph.shape_xy
    at = rng.integers(0, len(x), 60)
    off = rng.normal(0, 1, (2, 60)) * rng.choice([0.0, 5.0, 300.0, 5000.0], 60)
    return links, x[at] + off[0], y[at] + off[1]


@settings(max_examples=examples(40), deadline=None)
@given(
    seed=st.integers(0, 10**6),
    share=st.sampled_from([0.0, 0.002, 0.05, 1.0]),
    within=st.sampled_from([0.5, 80.0, np.inf]),
)
def test_the_nearest_link_is_as_near_as_any_and_the_first_of_those(town, seed, share, within):
    graph, _ = town
    links, x, y = some(graph, seed, share)
    found, away = NearestLinks.of(graph, links).nearest(x, y, within)
    distances = shapely.distance(shapely.points(x, y)[:, None], graph.lines_xy[links][None, :])
    least = distances.min(axis=1, initial=np.inf)
    is_near = np.isfinite(least) & (least <= within)
    assert np.array_equal(found >= 0, is_near) and np.isinf(away[~is_near]).all()
    assert away[is_near] == pytest.approx(least[is_near], abs=1e-6)
    for place in np.flatnonzero(is_near):
        nearest = links[distances[place] <= least[place] + 1e-9]
        assert found[place] in nearest
        if least[place] == 0:
            assert found[place] == nearest[0], "of several at a node the first"


@settings(max_examples=examples(40), deadline=None)
@given(seed=st.integers(0, 10**6), share=st.sampled_from([0.0, 0.01, 1.0]))
def test_all_links_around_a_place_are_found_with_their_distances(town, seed, share):
    graph, _ = town
    links, x, y = some(graph, seed, share)
    within = np.random.default_rng(seed).choice([0.0, 12.0, 200.0], len(x))
    place, link, away = NearestLinks.of(graph, links).around(x, y, within)
    distances = shapely.distance(shapely.points(x, y)[:, None], graph.lines_xy[links][None, :])
    assert away == pytest.approx(shapely.distance(shapely.points(x, y)[place], graph.lines_xy[link]), abs=1e-6)
    found = set(zip(place.tolist(), link.tolist(), strict=True))
    surely, perhaps = (
        {(row, int(links[column])) for row, column in np.argwhere(distances <= within[:, None] + grace)}
        for grace in (-1e-9, 1e-9)
    )
    assert len(found) == len(place) and surely <= found <= perhaps


@settings(max_examples=examples(40), deadline=None)
@given(seed=st.integers(0, 10**6), share=st.sampled_from([0.0, 0.01, 1.0]))
def test_links_whose_boxes_meet_a_box_are_found(town, seed, share):
    graph, bounds = town
    links, x, y = some(graph, seed, share)
    size = np.random.default_rng(seed).choice([0.0, 30.0, 900.0], (2, len(x)))
    boxes = np.column_stack([x - size[0], y - size[1], x + size[0], y + size[1]])
    boxes[0] = np.nan  # of an empty shape
    row, link = NearestLinks.of(graph, links).in_boxes(boxes)
    meets = shapely.intersects(shapely.box(*boxes[1:].T)[:, None], shapely.box(*bounds[links].T)[None, :])
    expected = {(int(at) + 1, int(links[column])) for at, column in np.argwhere(meets)}
    assert set(zip(row.tolist(), link.tolist(), strict=True)) == expected and len(row) == len(expected)
