"""The sea is drawn where the coast says so and streets do not contradict."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from awl.core.graph.coast import sea_of

KM = 0.01
"""About a kilometre in degrees, near the equator."""
NOTHING = np.zeros((0, 2, 2))


def segments(*points, closed=False):
    """Segments along points in kilometres."""
    xy = np.array([*points, *([points[0]] if closed else [])], float) * KM
    return np.stack([xy[:-1], xy[1:]], axis=1)


def grid(west, south, east, north, step=0.25):
    """Streets of a grid on land, in kilometres."""
    lines = [segments((x, south), (x, north)) for x in np.arange(west, east + 1e-9, step)]
    lines += [segments((west, y), (east, y)) for y in np.arange(south, north + 1e-9, step)]
    return np.concatenate(lines)


def wet(sea, x, y):
    return bool(shapely.contains_xy(shapely.union_all(sea.polygons), x * KM, y * KM)) if len(sea.polygons) else False


COAST = [(0, 0), (1, 0.1), (2, -0.1), (3, 0), (4, 0.1)]
"""From west to east: land to the north, sea to the south."""


def test_water_lies_on_the_right_of_a_coast_that_crosses_the_data():
    sea = sea_of(segments(*COAST), grid(0, 0.2, 4, 2))
    assert wet(sea, 2, -0.5) and not wet(sea, 2, 1) and not wet(sea, 0.1, 1.9) and sea.disputed_m == 0
    assert sea.coast_m == pytest.approx(4_500, rel=0.02)


def test_one_piece_drawn_the_wrong_way_does_not_turn_the_sea():
    pieces = [segments(*COAST[:2])[:, ::-1] if i == 0 else segments(*COAST[i : i + 2]) for i in range(4)]
    pieces[0] = np.concatenate(
        [segments((0.9, 0.09), (0, 0)), segments((0, 0), (0.9, 0.09)), segments((0.9, 0.09), (1, 0.1))]
    )
    sea = sea_of(np.concatenate(pieces), grid(0, 0.2, 4, 2))
    assert wet(sea, 2, -0.5) and not wet(sea, 2, 1)


def test_a_gap_in_the_middle_is_closed_straight():
    coast = np.concatenate([segments((0, 0), (1.5, 0.05)), segments((2.2, 0.05), (4, 0))])
    sea = sea_of(coast, np.concatenate([grid(0, 0.2, 4, 2), grid(0, -2, 4, -1.8)]))
    assert not wet(sea, 1.8, 0.2) and not wet(sea, 1, 1)


def test_a_coast_that_ends_inside_is_led_out_without_crossing_streets():
    streets = np.concatenate([grid(0, 0.2, 4, 2), grid(3, -2, 4, 0.2)])
    sea = sea_of(segments((0, 0), (1, 0), (2.8, 0)), streets)
    assert wet(sea, 1, -1)
    lines = shapely.linestrings(streets)
    assert shapely.length(shapely.intersection(lines, shapely.union_all(sea.polygons))).sum() == 0


def test_islands_are_land_and_lagoons_are_water():
    island = segments((1, -1), (1.5, -1), (1.5, -0.6), (1, -0.6), closed=True)
    lagoon = segments((2, 1), (2, 1.5), (2.5, 1.5), (2.5, 1), closed=True)
    sea = sea_of(np.concatenate([segments(*COAST), island, lagoon]), grid(0, 0.2, 1.9, 2))
    assert wet(sea, 1.7, -0.8) and not wet(sea, 1.25, -0.8) and wet(sea, 2.25, 1.25)


def test_where_the_streets_contradict_the_coast_no_sea_is_drawn_and_the_coast_is_counted():
    drawn_backwards = segments(*COAST[::-1])
    sea = sea_of(drawn_backwards, grid(0, 0.2, 4, 2))
    assert len(sea.polygons) == 0 and sea.disputed_m == pytest.approx(sea.coast_m)


def test_a_pier_does_not_dry_the_sea():
    pier = segments((2, 0.2), (2, -0.3))
    assert wet(sea_of(segments(*COAST), np.concatenate([grid(0, 0.2, 4, 2), pier])), 2.5, -0.5)


def test_a_coast_told_both_ways_says_nothing():
    both = np.concatenate([segments(*COAST), segments(*COAST[::-1])])
    sea = sea_of(both, grid(0, 0.2, 4, 2))
    assert len(sea.polygons) == 0 and sea.disputed_m > 0


def test_without_coast_there_is_no_sea():
    assert len(sea_of(NOTHING, grid(0, 0, 1, 1)).polygons) == 0
