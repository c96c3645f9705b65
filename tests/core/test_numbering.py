"""Node numbers: anew from a start, or from a layer that must cover every node once."""

from __future__ import annotations

import numpy as np
import pytest

from awl.core.errors import AwlError
from awl.core.graph.numbering import numbered_by, numbered_from


def test_numbers_from_a_start(graph):
    made = numbered_from(graph, 1001)
    assert made.node_id.tolist() == list(range(1001, 1001 + graph.node_count))
    assert graph.node_id[0] == 1, "the graph given stays as it is"
    with pytest.raises(AwlError, match="numbered from 0"):
        numbered_from(graph, 0)


def layer(graph):
    """Points on all nodes in another order, each with a number of its own, and one point that is no node."""
    rng = np.random.default_rng(8)
    order = rng.permutation(graph.node_count)
    number = 5000 + 3 * np.arange(graph.node_count)
    lon = np.append(graph.node_lon[order], graph.node_lon.min() - 0.01)
    lat = np.append(graph.node_lat[order], graph.node_lat.min())
    return order, lon, lat, np.append(number, 77)


def test_numbers_from_a_layer(graph):
    order, lon, lat, number = layer(graph)
    made, faults = numbered_by(graph, lon, lat, number)
    assert made is not None and faults.sound and faults.unused == 1
    assert (made.node_id[order] == number[:-1]).all()


@pytest.mark.parametrize("kind", ["uncovered", "doubled", "repeated"])
def test_a_broken_numbering_is_told_with_its_places(graph, kind):
    order, lon, lat, number = layer(graph)
    number = number.copy()
    if kind == "uncovered":
        lon[4] += 0.001
        spot = graph.node_lon[order[4]], graph.node_lat[order[4]]
    elif kind == "doubled":
        lon, lat, number = np.append(lon, lon[4]), np.append(lat, lat[4]), np.append(number, 99)
        spot = lon[4], lat[4]
    else:
        number[9] = number[4]
        spot = lon[4], lat[4]
    made, faults = numbered_by(graph, lon, lat, number)
    places = getattr(faults, kind)
    assert made is None and len(places) == (2 if kind == "repeated" else 1)
    assert np.abs(places - spot).sum(axis=1).min() < 1e-9
    assert f"{spot[0]:.6f} {spot[1]:.6f}" in faults.error().detail
