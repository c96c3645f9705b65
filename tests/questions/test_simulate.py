"""Many at once: times against the router, rooms and streets against everybody counted, chance against its seed, sweeps."""

from __future__ import annotations

import io
import math
import shutil
from datetime import datetime
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pyarrow.parquet as pq
import pytest
import shapely

from awl.core.analysis.simulation.filling import NEVER, STATES
from awl.core.errors import AwlError
from awl.core.routing.dijkstra import plain
from awl.io.table import Column, Table
from awl.questions.files import answer_bytes
from awl.questions.run import ask
from awl.questions.simulate.runs import MINUTE_MS
from awl.study import importing
from awl.study.study import Study
from tests.io.gtfs_files import feed_zip
from tests.questions.test_transit import FAST, STOPS

BASE: dict[str, Any] = {
    "places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "people": 400, "capacity": 40, "within": 25,
    "start": "13:00/13:30", "stay": 40,
}  # fmt: skip


def simulated(study: Study, **more: Any) -> Any:
    return ask(study, "simulate", {**BASE, **more})


def seconds(clock: str | None) -> float:
    """A clock time of a table in seconds; nan for none."""
    if clock is None:
        return math.nan
    hours, minutes, rest = (int(part) for part in clock.split(":"))
    return 3600 * hours + 60 * minutes + rest


@pytest.fixture(scope="module")
def usual(study: Study) -> Any:
    return simulated(study)


# -- times and ways --------------------------------------------------------------------------------------------------------


def test_everybody_arrives_when_a_plain_search_says(usual):
    """Who has found no place full went to the nearest, in the time of a search without a hierarchy."""
    played = usual.result.playback()
    run, mover = played.run, played.simulator.demand.movers[0]
    straight = np.flatnonzero((run.filled.place != NEVER) & (run.filled.found_full == 0))
    assert len(straight) > 100
    origin = mover.origins.take(run.drawn.origin[straight])
    cost, _ = plain.matrix(mover.context.network, origin, mover.goals, "time", carrying=False)
    took = (run.filled.arrives_ms - run.filled.departs_ms)[straight]
    assert np.array_equal(took, cost.min(axis=1))
    assert (cost[np.arange(len(straight)), run.filled.place[straight]] == cost.min(axis=1)).all()


def test_who_goes_on_leads_from_place_to_place_within_the_limit(usual):
    played = usual.result.playback()
    run, mover = played.run, played.simulator.demand.movers[0]
    on = np.flatnonzero(run.filled.found_full > 0)
    assert len(on) > 20
    first = run.filled.full[on, 0]
    second = np.where(run.filled.found_full[on] > 1, run.filled.full[on, 1], run.filled.place[on])
    between, _ = plain.matrix(mover.context.network, mover.goals, mover.goals, "time", carrying=False)
    moved = second != first
    when = np.where(run.filled.found_full[on] > 1, run.filled.full_ms[on, 1], run.filled.arrives_ms[on])
    assert np.array_equal((when - run.filled.full_ms[on, 0])[moved], between[first[moved], second[moved]])
    assert (run.filled.arrives_ms - run.filled.departs_ms)[run.filled.place != NEVER].max() <= 25 * MINUTE_MS
    # Positions follow these legs: at the moment at which a place is found full one stands before it.
    tracks = played.tracks
    for row in np.flatnonzero(moved)[:10].tolist():
        person, at = int(on[row]), int(run.filled.full_ms[on[row], 0])
        stands = tracks.positions_at(at)[person]
        place = mover.goals.lon[first[row]], mover.goals.lat[first[row]]
        assert math.dist(stands, place) < 2e-5


def test_rooms_hold_who_the_rows_of_people_say(usual):
    """The table over time against the people counted at a moment; nobody is ever more than there is room for."""
    people, over_time = usual.part("trips").records(), usual.part("occupancy").records()
    at = seconds("13:40:00")
    for name in {row["place"] for row in over_time}:
        inside = sum(
            row["place"] == name and seconds(row["enters"]) <= at and not seconds(row["leaves"]) <= at
            for row in people
            if row["outcome"] == "came in"
        )
        (told,) = [row for row in over_time if row["place"] == name and row["clock"] == "13:40"]
        assert told["inside"] == inside
    assert max(row["inside"] for row in over_time) <= 40
    places = {row["name"]: row for row in usual.part("places").records()}
    turned = usual.part("turned_away").records()
    for name, row in places.items():
        assert row["came_in"] == sum(one["place"] == name and one["outcome"] == "came in" for one in people)
        assert row["turned_away"] == sum(one["place"] == name for one in turned)
        assert row["turned_away"] == sum(one["turned_away"] for one in over_time if one["place"] == name)
    assert {row["then"] for row in turned} <= {"went on", "gave up"}
    assert sum(row["then"] == "gave up" for row in turned) == usual.summary["without"]


def test_together_the_states_are_everybody_at_every_moment(usual):
    for row in usual.part("states").records():
        assert sum(row[state.replace(" ", "_")] for state in STATES) == 400


def test_streets_carry_who_walks_over_them(study):
    """Without limits of room: the paths of everybody, one by one, from a search without a hierarchy."""
    answer = simulated(study, people=40, capacity=None)
    played = answer.result.playback()
    run, mover = played.run, played.simulator.demand.movers[0]
    router = study.router("walk")
    counted: dict[int, int] = {}
    for person in np.flatnonzero(run.filled.place != NEVER).tolist():
        ends = mover.origins.take(run.drawn.origin[[person]]), mover.goals.take(run.filled.place[[person]])
        leg = router.trips(*ends, "time").leg(0)
        for link in leg.links.tolist():
            counted[link] = counted.get(link, 0) + 1
    ids = mover.context.network.graph.link_id
    told = {row["link_id"]: row["people"] for row in answer.part("streets").records()}
    assert told == {ids[link]: count for link, count in counted.items()}
    by_time = answer.part("streets_by_time")
    sums = sum(by_time.columns[name].numbers() for name in by_time.columns if name != "link_id")
    assert dict(zip(by_time.columns["link_id"].tolist(), sums.tolist(), strict=True)) == pytest.approx(told)


# -- chance and runs -------------------------------------------------------------------------------------------------------


def test_the_same_seed_gives_the_same_whatever_the_threads(study, usual, monkeypatch):
    monkeypatch.setattr("awl.core.progress.cores", lambda: 1)
    again = simulated(study)
    for part in ("trips", "streets", "places", "positions"):
        assert again.part(part).records() == usual.part(part).records()
    assert simulated(study, seed=2).part("trips").records() != usual.part("trips").records()


def test_several_runs_give_means_and_the_middle_of_them(study):
    many = simulated(study, runs=12)
    first = many.part("places").records()
    each = [simulated(study, runs=12, seed=1).summary["came_in"]]
    assert each == [many.summary["came_in"]]
    low, high = many.summary["came_in_interval"]
    assert low <= many.summary["came_in"] <= high and low < high
    assert all(row["came_in_low"] <= row["came_in_median"] <= row["came_in_high"] for row in first)
    states = many.part("states").records()
    assert all(sum(row[state.replace(" ", "_")] for state in STATES) == pytest.approx(400, abs=0.4) for row in states)


def test_a_sweep_over_seats_ends_in_nobody_without_one(study):
    """The same people come at each step: more seats never leave more of them without, and enough leave nobody."""
    seats = [0, 10, 20, 40, 80, 400]
    answer = simulated(study, runs=4, sweep={"more_seats": seats})
    rows = [row for row in answer.part("curves").records() if row["figure"] == "without"]
    assert [row["more_seats"] for row in rows] == seats
    means = [row["mean"] for row in rows]
    assert means[0] == answer.summary["without"] and means[-1] == 0 and all(np.diff(means) <= 1e-9)
    ending = next(seat for seat, mean in zip(seats, means, strict=True) if mean == 0)
    assert answer.summary["ends_at"] == {"more_seats": ending}
    assert "then everybody finds a seat" in answer.view.figures[0].label and answer.view.figures[0].value == ending
    sole = simulated(study, runs=4, more_seats=20)
    assert sole.summary["without"] == pytest.approx(means[2])


def test_a_sweep_over_two_words_has_every_pair(study):
    answer = simulated(study, people=60, sweep={"within": [5, 10], "people": [30, 60]})
    pairs = {(row["within"], row["people"]) for row in answer.part("curves").records()}
    assert pairs == {(5, 30), (5, 60), (10, 30), (10, 60)}
    pivot = answer.view.tables[1].pivot
    assert (pivot.rows, pivot.columns, pivot.cells) == ("within", "people", "mean_without")
    grid = {(row["within"], row["people"]): row["mean_without"] for row in answer.part("grid").records()}
    curves = {
        (row["within"], row["people"]): row["mean"]
        for row in answer.part("curves").records()
        if row["figure"] == "without"
    }
    assert grid == pytest.approx(curves)


# -- who goes where --------------------------------------------------------------------------------------------------------


def test_people_come_from_zones_by_their_numbers(study):
    answer = simulated(study, people=6000, fields=["population"], capacity=None)
    zones = study.read_layer("zones")
    people = zones.columns["population"].numbers()
    names = zones.names("zone")
    came = {name: 0 for name in names}
    for row in answer.part("trips").records():
        came[row["origin"]] += 1
    expected = people / people.sum() * 6000
    counts = np.array([came[name] for name in names])
    # Five standard deviations of a binomial count; zones without a street take part as far as they have one.
    assert (np.abs(counts - expected) <= 5 * np.sqrt(np.maximum(expected, 1)) + 1).all()


def test_attraction_is_shared_out_and_calibrated(study):
    more = {"demand": "attraction", "capacity": None, "people": 4000, "within": 60}
    drawn = simulated(study, **more, weights="seats", balance="both")
    seats = study.read_layer("cool_rooms").columns["seats"].numbers()
    came = np.array([row["came_in"] for row in drawn.part("places").records()])
    expected = seats / seats.sum() * came.sum()
    assert (np.abs(came - expected) <= 5 * np.sqrt(expected)).all(), "places take in as they attract"
    nearest = simulated(study, **{**more, "demand": "nearest"})
    wanted = round(nearest.summary["travel_min"] + 1.5, 1)
    calibrated = simulated(study, **more, mean=wanted)
    assert calibrated.summary["travel_min"] == pytest.approx(wanted, rel=0.05)
    assert any(f"Calibrated to a mean of {wanted:g} min" in line for line in calibrated.method)
    assert nearest.summary["travel_min"] < calibrated.summary["travel_min"]


def test_several_modes_go_by_their_own_times(study):
    mixed = simulated(study, modes={"cycle": 40}, capacity=None)
    rows = mixed.part("trips").records()
    share = sum(row["mode"] == "Cycle" for row in rows) / len(rows)
    assert 0.3 < share < 0.5
    means = {
        mode: np.mean([row["travel_min"] for row in rows if row["mode"] == mode and row["travel_min"]])
        for mode in ("Walk", "Cycle")
    }
    assert means["Cycle"] < 0.6 * means["Walk"]


def test_slower_people_take_longer_and_fewer_reach_anything(study, usual):
    slow = simulated(study, speed=50, capacity=None)
    quick = simulated(study, capacity=None)
    both = [
        (a["travel_min"], b["travel_min"])
        for a, b in zip(slow.part("trips").records(), quick.part("trips").records(), strict=True)
        if a["travel_min"] is not None
    ]
    assert len(both) > 50 and all(a == pytest.approx(2 * b, abs=0.02) for a, b in both)
    assert slow.summary["no_way"] >= quick.summary["no_way"]


def test_some_stay_at_home(study):
    answer = simulated(study, at_home=50)
    assert 150 < answer.summary["people"] < 250


@pytest.mark.parametrize("ends", ["streets", "nodes", "homes", "places"])
def test_random_trips_lead_between_what_is_asked_for(study, ends):
    inputs = {
        "demand": "random",
        "ends": ends,
        "people": 50,
        "within": 300,
        "zones": BASE["zones"],
        "places": BASE["places"],
    }
    if ends in ("streets", "nodes"):
        del inputs["zones"], inputs["places"]
    answer = ask(study, "simulate", inputs)
    assert answer.summary["arrived"] + answer.summary["no_way"] == 50 and answer.summary["arrived"] > 40
    assert "places" not in answer.parts
    played = answer.result.playback()
    run, mover = played.run, played.simulator.demand.movers[0]
    rows = np.flatnonzero(run.filled.place != NEVER)[:20]
    cost, _ = plain.matrix(
        mover.context.network, mover.origins.take(run.drawn.origin[rows]), mover.goals.take(run.drawn.goal[rows]), "time",
        carrying=False,
    )  # fmt: skip
    assert np.array_equal(np.diag(cost), (run.filled.arrives_ms - run.filled.departs_ms)[rows])


# -- a table of trips ------------------------------------------------------------------------------------------------------


@pytest.fixture
def tabled(own_study: Study) -> Study:
    rooms = own_study.read_layer("cool_rooms")
    ends = shapely.get_coordinates(rooms.geometry)
    lines = [shapely.LineString([ends[a], ends[b]]) for a, b in ((0, 1), (1, 2), (2, 0))]
    columns = {
        "count": Column.of([3, 1, 2]), "mode": Column.of(["walk", "cycle", None]),
        "departs": Column.of(["08:00", "08:10:30", "2026-06-03T09:00"]), "size": Column.of(["a", "b", "c"]),
    }  # fmt: skip
    own_study.add_layer("tours", Table(np.array(lines, object), columns), "Tours", "other", "tours.csv")
    return own_study


def test_trips_of_a_table_have_their_counts_modes_and_starts(tabled):
    answer = ask(tabled, "simulate", {"demand": "table", "trips": "tours", "start": "departs", "within": 200})
    rows = answer.part("trips").records()
    assert [row["sets_out"] for row in rows] == ["08:00:00"] * 3 + ["08:10:30"] + ["09:00:00"] * 2
    assert [row["mode"] for row in rows] == ["Walk"] * 3 + ["Cycle"] + ["Walk"] * 2
    assert answer.summary["arrived"] == 6
    there = ask(
        tabled, "simulate", {"demand": "table", "trips": "tours", "places": "cool_rooms", "capacity": 1, "within": 200}
    )
    names = tabled.read_layer("cool_rooms").columns["name"].tolist()
    found = [row["full_places"] or row["place"] for row in there.part("trips").records()]
    assert [text.split("; ")[0] for text in found] == [names[1]] * 3 + [names[2]] + [names[0]] * 2
    sampled = ask(tabled, "simulate", {"demand": "table", "trips": "tours", "people": 600, "within": 200})
    modes = [row["mode"] for row in sampled.part("trips").records()]
    assert 60 < modes.count("Cycle") < 140, "one of six goes by bicycle"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"start": "arrives"}, "no field 'arrives'"),
        ({"start": "size"}, "row 1 of the trips: 'a' is no clock time"),
        ({"count": "size"}, "no field 'size' with numbers"),
        ({"trips": "zones"}, "polygon features"),
        ({"capacity": 5}, "no places that could fill up"),
        ({"mode": "transit", "at": "2026-06-02T08:00"}, "timetable|transit|places"),
    ],
)
def test_tables_that_cannot_be_are_refused(tabled, more, words):
    with pytest.raises(AwlError, match=words):
        ask(tabled, "simulate", {"demand": "table", "trips": "tours", **more})


# -- meetings --------------------------------------------------------------------------------------------------------------


def test_something_is_passed_on_at_meetings_alone(study):
    answer = simulated(study, people=150, when_full="wait", meet=4, meet_for=3, pass_on=100, carriers=30, recovery=60)
    people = answer.part("trips").records()
    meetings = answer.part("meetings").records()
    assert meetings and all(row["first"] != row["second"] and row["lasts_s"] >= 3 for row in meetings)
    met = {frozenset((row["first"], row["second"])) for row in meetings}
    taken = [row for row in people if row["from_person"] is not None]
    assert taken and all(frozenset((row["person"], int(row["from_person"]))) in met for row in taken)
    assert sum(row["meetings"] for row in people) == 2 * len(meetings)
    for row in answer.part("contagion").records():
        assert row["susceptible"] + row["carrying"] + row["recovered"] == 150
    assert answer.part("contagion").records()[0]["carrying"] == 30
    nothing = simulated(study, people=150, when_full="wait", meet=4, meet_for=3, pass_on=0, carriers=2)
    assert nothing.summary["carried"] == 2
    assert nothing.view.charts[-1].name == "Passed on"


def test_states_are_called_as_the_analyst_says(study):
    names = ["Not told", "telling", "silent"]
    answer = simulated(
        study, people=60, when_full="wait", meet=4, meet_for=3, pass_on=100, carriers=9, recovery=60, states=names
    )
    assert {"not_told", "telling", "silent"} <= set(answer.part("contagion").columns)
    assert [one.label for one in answer.view.charts[-1].series] == names
    assert list(answer.view.map.moving.inks) == names
    assert any(row["telling_since"] for row in answer.part("trips").records())


# -- public transport ------------------------------------------------------------------------------------------------------


def test_who_rides_arrives_by_the_first_connection(tmp_path: Path, study_file: Path):
    path = tmp_path / "cut.gpkg"
    shutil.copy(study_file, path)
    importing.add(feed_zip(tmp_path / "feed.zip", stops=STOPS, stop_times=FAST), Study(path), "tram", "Tram")
    study = Study(path)
    east = {"type": "Point", "coordinates": [-36.1911, 41.2911]}
    inputs = {
        "mode": "transit", "at": "2026-06-02T08:00", "start": "07:40/08:04", "people": 200, "zones": BASE["zones"],
        "places": east, "within": 120, "snap": 300,
    }  # fmt: skip
    answer = ask(study, "simulate", inputs)
    played = answer.result.playback()
    run, mover = played.run, played.simulator.demand.movers[0]
    router = mover.context.transit
    tracks = played.tracks
    rides = 0
    for person in np.flatnonzero(run.filled.place != NEVER).tolist():
        departs = int(run.filled.departs_ms[person])
        assert departs % MINUTE_MS == 0
        origin = mover.origins.take(run.drawn.origin[[person]])
        begin, end = router.ends_of(router.near(origin, "from"), 0), router.ends_of(router.near(mover.goals, "to"), 0)
        walks = departs + int(plain.matrix(mover.context.network, origin, mover.goals, "time", carrying=False)[0][0, 0])
        arrivals = [walks, *(one.arrives_ms for one in router.search.earliest(begin, end, departs))]
        assert run.filled.arrives_ms[person] == min(arrivals)
        own = slice(tracks.begins[person], tracks.begins[person + 1])
        assert abs(int(tracks.time_ms[own][-1]) - min(arrivals)) <= 1
        assert (np.diff(tracks.time_ms[own]) >= 0).all()
        rides += min(arrivals) < walks
    assert rides > 5
    # On the tram one is between its stops at 8:06.
    at_six = tracks.positions_at((8 * 60 + 6) * MINUTE_MS)
    aboard = np.flatnonzero(np.abs(at_six - [-36.19865, 41.29165]).max(axis=1) < 1e-3)
    streets = mover.context.network.graph.link_count
    riding = played.passages.take(
        (played.passages.link >= streets) & (played.passages.enters_ms <= (8 * 60 + 6) * MINUTE_MS)
    )
    assert set(aboard.tolist()) == set(riding.person.tolist()) != set()


# -- files and errors ------------------------------------------------------------------------------------------------------


def test_positions_and_tracks_are_files_with_times(usual):
    table = pq.read_table(io.BytesIO(answer_bytes(usual, "positions", "parquet", "p.parquet"))).to_pydict()
    assert set(table) == {"person", "time_s", "lon", "lat"} and len(table["person"]) > 1000
    root = ElementTree.fromstring(answer_bytes(usual, "tracks", "gpx", "t.gpx"))
    space = {"g": "http://www.topografix.com/GPX/1/1"}
    track = root.find("g:trk", space)
    assert track is not None
    times = [datetime.fromisoformat(point.text or "") for point in track.findall(".//g:time", space)]
    assert times == sorted(times) and times[0].hour == 13
    person = int(track.findtext("g:name", "", space).split()[1])
    own = [lon for who, lon in zip(table["person"], table["lon"], strict=True) if who == person]
    points = track.findall(".//g:trkpt", space)
    assert [float(point.get("lon", "")) for point in points] == [pytest.approx(lon, abs=1e-7) for lon in own]


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"people": 0}, "people"),
        ({"people": 10**7}, "people"),
        ({"start": "14:00/13:00"}, "no window"),
        ({"start": "25:61/26:00"}, "no window"),
        ({"start": "departs"}, "'start' is a window"),
        ({"capacity": -1}, "nobody or more"),
        ({"capacity": "seat"}, "seats"),
        ({"capacity": "name"}, "no number of zero or more"),
        ({"places": None}, "Give 'places'"),
        ({"demand": "table"}, "Give 'trips'"),
        ({"demand": "random", "ends": "places", "places": None}, "Give 'places'"),
        ({"demand": "everybody"}, "demand"),
        ({"modes": {"cycle": 60, "drive": 60}}, "more than 100"),
        ({"modes": {"fly": 10}}, "no mode 'fly'"),
        ({"pass_on": 10}, "Give 'meet'"),
        ({"sweep": {"seats": [1]}}, "sweep"),
        ({"sweep": {"people": [1.5]}}, "whole numbers"),
        ({"sweep": {"people": []}}, "different values"),
        ({"states": ["a", "b", "A"]}, "different names"),
        ({"states": ["free", "free low", "ill"]}, "different names"),
        ({"states": ["minute", "b", "c"]}, "different names"),
        ({"states": ["=1+1", "b", "c"]}, "states"),
        ({"states": ["a", "b"]}, "states"),
        ({"sweep": {"people": [5, 5]}}, "different values"),
        ({"sweep": {"speed": [1]}}, "no value of 'speed'"),
        ({"sweep": {"people": [1], "stay": [1], "speed": [100]}}, "sweep"),
        ({"runs": 1000, "sweep": {"people": list(range(1, 40))}}, "10,000 runs at most"),
        ({"runs": 1000, "people": 100_000}, "more than can be made at once"),
        ({"fields": ["popul"]}, "no field 'popul'"),
        ({"demand": "attraction", "mean": 0.01, "capacity": None}, "cannot be"),
        ({"demand": "attraction", "weights": "nothing"}, "no field|nothing"),
        ({"mode": "transit"}, "day and an hour|timetable"),
    ],
)
def test_what_cannot_be_is_refused_in_words(study, more, words):
    with pytest.raises(AwlError, match=words):
        simulated(study, **more)
