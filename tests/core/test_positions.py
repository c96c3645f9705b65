"""Coordinates in the notations in which people paste them."""

from __future__ import annotations

import pytest

from awl.core.positions import parse_position

NEAR = (-36.3, 41.2, -36.1, 41.4)
WRITTEN = (
    "41.29, -36.2", "41.29 -36.2", "41,29; -36,2", "41,29 -36,2", "(41.29, -36.2)", "[41.29,-36.2]", "41.29°, -36.2°",
    "41°17'24\"N 36°12'W", "41° 17.4' N, 36° 12' W", "41 17 24 N 36 12 0 W", "N41.29 W36.2", "N 41° 17′ 24″, W 36° 12′ 0″",
    "41.29N 36.2W", "36°12'W 41°17'24''N", "geo:41.29,-36.2;u=3", "POINT (-36.2 41.29)", "41.29, −36.2",
)  # fmt: skip


@pytest.mark.parametrize("text", WRITTEN)
@pytest.mark.parametrize("near", [None, NEAR])
def test_one_place_in_many_notations(text, near):
    assert parse_position(text, near) == pytest.approx((-36.2, 41.29), abs=1e-6)


def test_plain_numbers_take_the_order_that_lies_near():
    assert parse_position("-36.2, 41.29", NEAR) == (-36.2, 41.29)
    assert parse_position("-36.2, 41.29") == (41.29, -36.2), "without anything near, latitude comes first"
    assert parse_position("100, 20") == (100, 20), "a latitude of 100 is none"


def test_utm_with_its_zone():
    assert parse_position("25T 567000 4571000") == pytest.approx((-32.19986, 41.28766), abs=1e-4)


@pytest.mark.parametrize(
    "text", ["Heron Lane 5", "12 North Street", "5 West", "95, 200", "", "41.29", "41°75'N 36°12'W", "1 N 2 N"]
)
def test_what_is_no_position(text):
    assert parse_position(text, NEAR) is None
