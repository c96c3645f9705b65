"""Compile every kernel once, on a tiny valid graph, so that the cache is warm: `python -m awl.warm`."""

from __future__ import annotations

import pickle
import tempfile
from dataclasses import replace
from datetime import date, datetime
from pathlib import Path

import numpy as np

from awl.core.analysis.centrality import Centrality
from awl.core.analysis.health.check import check
from awl.core.analysis.isochrone_areas.contours import contour_area, field_values
from awl.core.analysis.isochrone_areas.field import TiledField
from awl.core.analysis.isochrone_areas.nearby import field_near
from awl.core.analysis.simulation.filling import Conduct, Crowd, Rooms, fill
from awl.core.analysis.simulation.meetings import Close, met
from awl.core.analysis.simulation.moving import passages_of, timed_paths
from awl.core.analysis.simulation.passing import Meetings, passed_on
from awl.core.columns import Categorical
from awl.core.graph.build import build_graph
from awl.core.graph.nearest_links import NearestLinks
from awl.core.graph.osm_change.elements import Wanted
from awl.core.graph.raw import RawExtract
from awl.core.graph.shapes import cut_lines
from awl.core.modes.mode import SHIPPED
from awl.core.network.network import Network
from awl.core.routing.access_points import AccessPoints
from awl.core.routing.dijkstra.plain import arrivals, best_leg, matrix
from awl.core.routing.reach import reach_of, reached_parts
from awl.core.routing.router import StreetRouter
from awl.core.routing.simd.lanes import LANES
from awl.core.routing.snapping import Snapper
from awl.core.transit.changing import ANY_CHANGES, ChangeLimits
from awl.core.transit.loads import segment_loads
from awl.core.transit.router import TransitRouter
from awl.core.transit.search import Ends, TimetableSearch
from awl.core.transit.stops_on_streets import StopsOnStreets
from awl.core.transit.timetable import timetable_of
from awl.core.transit.ways import ways_of_trips
from awl.core.transit.window import Bounds, Window
from awl.io import gtfs, osm_pbf
from awl.io.osm_pbf.write import Extract, Tags


def tiny_extract() -> RawExtract:
    """Four nodes around a block, joined by four tertiary ways, two and two of one name."""
    lon, lat = np.array([-36.2, -36.197, -36.197, -36.2]), np.array([41.3, 41.3, 41.302, 41.302])
    return RawExtract(
        node_id=np.arange(1, 5),
        node_lon=lon,
        node_lat=lat,
        tagged_nodes=np.zeros(0, np.int64),
        node_tags={},
        way_id=np.arange(1, 5),
        way_start=np.arange(0, 9, 2),
        way_refs=np.array([1, 2, 2, 3, 3, 4, 4, 1]),
        way_tags={"highway": Categorical.of(["tertiary"] * 4), "name": Categorical.of(["A", "A", "B", "B"])},
        relations=(),
    )


def warm_reading(raw: RawExtract) -> None:
    """Run the kernels of the PBF reader."""
    tags = Tags.of([{"highway": "residential"}] * len(raw.way_id))
    crossing = Tags.of([{"highway": "crossing"}, *[{}] * (len(raw.node_id) - 1)])
    lon, lat = (np.rint(column * 1e7).astype(np.int64) for column in (raw.node_lon, raw.node_lat))
    water = (1, [("way", 1, "outer")], {"type": "multipolygon", "natural": "water"})
    extract = Extract(raw.node_id, lon, lat, crossing, raw.way_id, raw.way_start, raw.way_refs, tags, (water,))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "tiny.osm.pbf"
        osm_pbf.write(path, extract)
        osm_pbf.read(path)
        osm_pbf.read_elements(path, Wanted(ways=frozenset(raw.way_id.tolist()), relations=frozenset({1})))


TINY_FEED = {
    "agency.txt": "agency_id,agency_name,agency_url,agency_timezone\na,A,https://a.example,UTC\n",
    "stops.txt": "stop_id,stop_name,stop_lat,stop_lon\np,P,41.3,-36.1999\nq,Q,41.3019,-36.197\n",
    "routes.txt": "route_id,route_short_name,route_type\nr,1,3\n",
    "trips.txt": "route_id,service_id,trip_id\nr,s,t\n",
    "stop_times.txt": "trip_id,stop_id,stop_sequence,arrival_time,departure_time\nt,p,1,8:00:00,8:00:00\nt,q,2,8:05:00,8:05:00\n",
    "calendar_dates.txt": "service_id,date,exception_type\ns,20260603,1\n",
}


def warm_transit(router: StreetRouter) -> None:
    """Run the kernels that read a timetable and search it."""
    with tempfile.TemporaryDirectory() as folder:
        for name, text in TINY_FEED.items():
            (Path(folder) / name).write_text(text)
        feed = gtfs.read(Path(folder)).feed
    snapper = Snapper(router.network)
    places = snapper.snap(feed.stops.lon, feed.stops.lat, 500.0)
    stops = StopsOnStreets(feed, router, snapper, 500.0)
    search = TimetableSearch(timetable_of(feed, date(2026, 6, 3)), stops.walks(60_000))
    window = Window(((8 * 3600 + 60 * np.arange(2)) * 1000).astype(np.int32))
    for limits in (ChangeLimits(2), ChangeLimits(None, 60_000), ANY_CHANGES):
        transit = TransitRouter(router, stops, search, window, Bounds(60_000, limits))
        for direction in ("from", "to"):
            transit.reach(places, "time", direction)
            transit.between(places, places, "time", direction)
        spread = transit.reach_spread(places)
        transit.served_at(spread, transit.near_others(places, "from"), np.zeros(len(places.link)), 60_000)
        pairs = np.array([0]), np.array([len(places.link) - 1])
        ways = ways_of_trips(transit, places, places, pairs, np.full(1, -1, np.int64))
        segment_loads(search.timetable, ways.boards, ways.alights, np.ones(len(ways.boards)))
    transit.at(Window(window.at_ms[:1])).reach(places, "time")
    ends = Ends(np.zeros(1, np.int32), np.zeros(1, np.int32))
    search.earliest(ends, Ends(np.ones(1, np.int32), np.zeros(1, np.int32)), 8 * 3600 * 1000)


def warm_simulation() -> None:
    """Run the kernels of places that fill up, and of what is passed on."""
    one = np.ones(1, np.int64)
    passed_on(2, Meetings(one, one - 1, one), one, 0.5, 1, 0, np.random.default_rng(1))
    fill(Crowd(one, one - 1, one[None], one), Rooms(one, one[None, None]), Conduct(2))


def drop_unreadable(folder: Path = Path(__file__).parent) -> int:
    """Remove compiled kernels whose index names modules that are gone, as after an update; return how many.

    An index is read before it is known whether it is of today's source, and fails for good if it cannot be.

    Parameters:
        folder: where to look, with all folders below.
    """
    removed = 0
    for index in folder.rglob("*.nbi"):
        try:
            with index.open("rb") as stream:
                for _ in ("the compiler's version", "what was compiled"):
                    pickle.load(stream)
        except (AttributeError, ImportError, pickle.UnpicklingError, EOFError):
            index.unlink()
            removed += 1
    return removed


def warm() -> None:
    """Run each kernel with the types the application uses."""
    warm_reading(tiny_extract())
    warm_simulation()
    graph, _ = build_graph(tiny_extract())
    by_place, corner = NearestLinks.of(graph, np.arange(graph.link_count)), np.zeros(1)
    by_place.around(corner, corner, np.ones(1))
    by_place.in_boxes(np.zeros((1, 4)))
    many = np.repeat(graph.node_lon[:1], LANES) + 1e-4, np.repeat(graph.node_lat[:1], LANES) + 1e-4
    for mode in SHIPPED.values():
        network = Network.of(graph, mode)
        places = Snapper(network).snap(graph.node_lon[:2] + 1e-4, graph.node_lat[:2], 500.0)
        for direction in ("from", "to"):
            reach = reach_of(network, places, arrivals(network, places, "time", direction))
        aside = AccessPoints(np.zeros(1, np.int32), places.link[:1], places.fraction[:1] / 2, np.full(1, 0.1))
        reach_of(network, replace(places, alternatives=aside), arrivals(network, places, "time"))
        parts = reached_parts(reach, 60_000)
        for in_plane in (False, True):
            cut_lines(graph, parts.link, parts.begin, parts.end, in_plane)
        field = TiledField(network).full()
        contour_area(field, field_values(field, reach, 60_000))
        field_near(field, reach.take(np.zeros(0, np.int64)))
        matrix(network, places, places, "distance")
        best_leg(network, places, 0, 1, "time")
        router = StreetRouter(network)
        high = router.prepared()
        router.matrix(Snapper(network).snap(*many, 500.0), places, "time")
        router.matrix(Snapper(network).snap(*many, 500.0), places, "time", carrying=False)
        high.trim(network, "time")
        router.matrix(Snapper(network).snap(*many, 500.0), places, "time")
        for direction in ("from", "to"):
            router.arrivals(places, "time", direction)
            router.arrivals(places.take(np.arange(1)), "time", direction)
        router.path(places, 0, 1, "time")
        check(network.graph, network)
        paths = timed_paths(network, router.trips(places, places, "time"))
        two = np.arange(2)
        met(passages_of(paths, two, two, two), network.graph, 2, Close(9.0))
        Centrality(router, places, "distance", 600_000, np.ones(2), 0.01).sums()
        closed = np.zeros(graph.link_count, bool)
        closed[0] = True
        shut = router.on(network.with_closed(closed))
        shut.prepared().unpacking(shut.network, "time", "distance")
        router.matrix_by_hour([network], places, places)
        router.reach_by_hour([network], places)
        router.on(network.at(datetime(2026, 6, 3, 8))).departing(0.0).path(places, 0, 1, "time")
        if mode.transit is not None:
            warm_transit(router)


if __name__ == "__main__":
    drop_unreadable()
    warm()
