"""Heights along a way, where they are known."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.questions.context import Context
from awl.questions.route.extras import climbs, profile, profile_chart
from awl.questions.route.inputs import RouteInputs
from awl.questions.run import ask
from awl.shipped import SOURCE
from awl.study import importing
from tests.questions.test_questions import EAST, WEST


@pytest.mark.parametrize(
    ("heights", "up", "down"),
    [
        ([0, 5, 10], 10, 0),
        ([10, 4, 4, 9], 5, 6),
        ([0, 0.4, 0.1, 0.5, 0.2], 0, 0),  # noise of the raster
        ([0, 0.6, 1.2, 1.8, 0], 1.8, 1.8),
        ([3], 0, 0),
    ],
)
def test_climbs_are_summed_from_turn_to_turn(heights, up, down):
    assert climbs(np.array(heights, float)) == pytest.approx((up, down))


def test_a_study_without_heights_has_no_profile(study):
    way = shapely.LineString([WEST, EAST])
    assert profile(Context(study, RouteInputs(waypoints=[WEST, EAST])), way) is None
    assert profile_chart(None) is None
    columns = {
        column["field"]
        for column in ask(study, "route", {"waypoints": [WEST, EAST]}).document()["view"]["tables"][0]["columns"]
    }
    assert "climb_m" not in columns


def test_heights_are_read_along_the_whole_way(own_study):
    importing.add(SOURCE / "demo" / "data" / "elevation.tif", own_study, "elevation")
    document = ask(own_study, "route", {"waypoints": [WEST, EAST]}).document()
    found = document["routes"]["features"][0]["properties"]
    heights = found["profile"]
    at = np.array(heights["distance_m"])
    assert at[0] == 0 and at[-1] == pytest.approx(found["distance_m"], abs=0.5)
    assert (np.diff(at) > -1e-9).all() and np.diff(at).max() <= 20.1
    grid = own_study.raster("elevation")
    line = np.array(document["routes"]["features"][0]["geometry"]["coordinates"])
    assert heights["height_m"][0] == pytest.approx(float(grid.at(line[:1, 0], line[:1, 1])[0]), abs=0.06)
    rise = heights["height_m"][-1] - heights["height_m"][0]
    assert heights["climb_m"] - heights["descent_m"] == pytest.approx(rise, abs=1.1)
    assert "climb_m" in {column["field"] for column in document["view"]["tables"][0]["columns"]}
