"""How far one gets while a street is drawn: what it would be is what it is once the street is there, and nothing is stored."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely

from awl.study import ledger

BASE = "/studies/ferrow"
UNREACHED = 2**31 - 1


def arrays_of(response):
    assert response.status_code == 200, response.text
    size = int.from_bytes(response.data[:4], "little")
    offset, arrays = (size + 4 + 7) // 8 * 8, []
    for entry in json.loads(response.data[4 : 4 + size])["arrays"]:
        arrays.append(np.frombuffer(response.data, entry["dtype"], entry["length"], offset))
        offset += (arrays[-1].nbytes + 7) // 8 * 8
    return arrays


def drawn(*corners):
    line = [[round(lon, 7), round(lat, 7)] for lon, lat in corners]
    return {
        "type": "Feature",
        "geometry": {"type": "LineString", "coordinates": line},
        "properties": {"edit": "add", "tags": {"highway": "footway"}},
    }


def a_drawing(graph, seed):
    """A street from the middle of one street over a free corner to the middle of another, and on to a node."""
    rng = np.random.default_rng(seed)
    links = np.flatnonzero(graph.link_length > 60)
    first, last = rng.choice(links, 2, replace=False)
    middles = [shapely.get_coordinates(line.interpolate(rng.uniform(0.3, 0.7), normalized=True))[0]
               for line in graph.lines()[[first, last]]]  # fmt: skip
    node = rng.integers(graph.node_count)
    corner = (middles[0] + middles[1]) / 2 + 1e-4
    return [drawn(middles[0], corner, middles[1]), drawn(middles[1], (graph.node_lon[node], graph.node_lat[node]))]


def reach_of(client, inputs, edits=None):
    """Of every link arrivals at both ends and costs each way, 0 where it may be passed and nobody comes; and the splits."""
    response = client.post(f"{BASE}/live/reach", json={"inputs": inputs, **({"edits": edits} if edits else {})})
    rows, begin, end, up, down, splits, barred = arrays_of(response)
    size = int.from_bytes(response.data[:4], "little")
    count = json.loads(response.data[4 : 4 + size])["links"]
    assert (np.diff(rows) > 0).all() and len(begin) == len(end) == len(up) == len(down) == len(rows)
    is_barred = np.unpackbits(barred, bitorder="little")[:count].astype(bool)
    assert not is_barred[rows].any()
    arrivals, costs = np.full((2, count), UNREACHED), np.where(is_barred, -1, np.zeros((2, count)))
    arrivals[:, rows], costs[:, rows] = (begin, end), (up, down)
    return *arrivals, splits, *costs


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("direction", ["from", "to"])
def test_what_would_be_is_what_is_once_the_street_is_there(own_client, own_study, seed, direction):
    graph = own_study.graph
    place = [float(graph.node_lon[seed * 50]), float(graph.node_lat[seed * 50])]
    inputs = {"places": [place], "limits": [60], "snap": 500, "direction": direction}
    edits = a_drawing(graph, seed)
    plain = reach_of(own_client, inputs)
    begin, end, splits, up, down = reach_of(own_client, inputs, edits)
    assert not ledger.steps(own_study.reading) and len(begin) == graph.link_count
    assert (begin <= plain[0]).all() and (begin < plain[0]).any(), (
        "a new way makes nothing longer, and something shorter"
    )
    assert own_client.post(f"{BASE}/edits", json={"edits": edits}).status_code == 200
    real = reach_of(own_client, inputs)
    now = own_study.graph
    at_node = {}
    for rows, costs in ((now.link_from, real[0]), (now.link_to, real[1])):
        for node, cost in zip(now.node_id[rows].tolist(), costs.tolist(), strict=True):
            at_node[node] = min(cost, at_node.get(node, UNREACHED))
    for nodes, costs in ((graph.link_from, begin), (graph.link_to, end)):
        usable = (up >= 0) | (down >= 0)
        wanted = np.array([at_node[node] for node in graph.node_id[nodes].tolist()])
        assert np.array_equal(costs[usable], wanted[usable])
    # A broken street costs as much as its pieces, give or take their rounding.
    own_client.post(f"{BASE}/edits/undo", json={})
    assert (np.abs(up.astype(float) - plain[3]) <= 6).all() and (np.abs(down.astype(float) - plain[4]) <= 6).all()
    link, fraction, _ = splits.reshape(3, -1)
    was_link, was_fraction, _ = plain[2].reshape(3, -1)
    assert np.array_equal(link, was_link) and np.allclose(fraction, was_fraction, atol=1e-6)


def test_what_is_drawn_in_a_what_if_stands_on_what_it_changed(own_client):
    what_if = own_client.post(f"{BASE}/what-ifs", json={"title": "New Cut"}).json["id"]
    street = own_client.get(f"{BASE}/collections/streets/items?limit=1").json["features"][0]["properties"]["link_id"]
    closed = {"type": "Feature", "geometry": None, "properties": {"edit": "delete", "links": [street]}}
    assert own_client.post(f"{BASE}/edits", json={"what_if": what_if, "edits": [closed]}).status_code == 200
    inputs = {"places": [[-36.2, 41.29]], "snap": 1000, "what_if": [what_if]}
    sketch = [drawn((-36.2, 41.29), (-36.1995, 41.2905))]
    (count,) = {len(reach_of(own_client, inputs, edits)[0]) for edits in (None, sketch)}
    assert count == len(arrays_of(own_client.get(f"{BASE}/arrays/streets?what_if={what_if}"))[3]) - 1


def test_only_what_is_come_to_is_sent(own_client, own_study):
    graph, network = own_study.graph, own_study.network("walk")
    place = [float(graph.node_lon[60]), float(graph.node_lat[60])]
    near, far = (reach_of(own_client, {"places": [place], "limits": [limit], "snap": 500}) for limit in (2, 60))
    for begin, end, _, up, down in (near, far):
        assert np.array_equal((up < 0) & (down < 0), ~network.usable)
        come_to = np.minimum(begin, end) < UNREACHED
        costs = network.link_costs("time", "from")
        assert np.array_equal(up[come_to], costs.up[come_to]) and np.array_equal(down[come_to], costs.down[come_to])
    within = near[0] <= 2 * 60_000
    assert np.array_equal(near[0][within], far[0][within]) and np.array_equal(within, far[0] <= 2 * 60_000)
    sizes = [
        len(
            own_client.post(
                f"{BASE}/live/reach", json={"inputs": {"places": [place], "limits": [limit], "snap": 500}}
            ).data
        )
        for limit in (2, 60)
    ]
    assert sizes[0] < sizes[1] / 3


def test_a_sketch_that_does_not_fit_is_told(own_client):
    far = [drawn((200, 95), (201, 96))]
    refused = own_client.post(f"{BASE}/live/reach", json={"inputs": {"places": [[-36.2, 41.29]]}, "edits": far})
    assert refused.status_code in (400, 409) and refused.json["detail"]
    unknown = own_client.post(f"{BASE}/live/reach", json={"inputs": {"places": [[-36.2, 41.29]]}, "edit": far})
    assert unknown.status_code == 400
