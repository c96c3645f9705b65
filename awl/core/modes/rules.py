"""Apply a mode's rules to every link at once: may it be used, in which direction, how fast, and why."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from awl.core.columns import Categorical
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import ALLOWING, CLASSES_BY_TAG_ONLY, ENDS_ONLY, FERRY_KMH, FORBIDDING, Mode

USABLE, BY_CLASS, BY_ACCESS, BY_RULE, BY_SIZE, BY_SLOPE = range(6)
REASONS = (
    "usable",
    "the mode does not use this class of street",
    "an access tag forbids it",
    "a rule of the mode forbids it",
    "it is too low, narrow or weak for the vehicle",
    "it is too steep",
)
NO_RULE = -1
AT_ENDS = 2
SPEED_FROM_MAXSPEED, SPEED_FROM_CLASS, SPEED_ASSUMED, SPEED_FROM_DURATION, SPEED_MEASURED = range(5)
SPEED_SOURCES = ("posted limit", "speed of its class", "stated default", "stated crossing time", "measured speed")
SLOW_FALLBACK_KMH = 8.0
"""Speed of a vehicle on a street that only an access tag opens to it, such as a foot street."""

_SPEED = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(km/h|kmh|kph|mph|knots)?\s*$")
_MEASURE = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(?:m|t)?\s*$")
_FEET = re.compile(r"\s*(\d+)'(?:\s*(\d+)\")?\s*$")
_UNIT = {None: 1.0, "km/h": 1.0, "kmh": 1.0, "kph": 1.0, "mph": 1.609344, "knots": 1.852}
_ONEWAY_FORWARD = ("yes", "true", "1")
_ONEWAY_BACKWARD = ("-1", "reverse")


OLDER_CONTRAFLOW = {"oneway:bicycle": (("cycleway", "opposite"),)}
"""Older tags that say the same as a value `no` of a tag that frees from one-way streets: the tag, and how its values begin."""


@dataclass(frozen=True)
class StreetUse:
    """What a mode makes of each link (m,): usable each way, speed in km/h, where the speed came from, why not usable.

    `rule` is the number of the rule that decided, counted from 0, or NO_RULE. `at_ends` marks usable links that only trips which
    begin or end on such links may use.
    """

    forward: NDArray[np.bool_]
    backward: NDArray[np.bool_]
    speed: NDArray[np.float64]
    speed_source: NDArray[np.int8]
    reason: NDArray[np.int8]
    rule: NDArray[np.int8]
    at_ends: NDArray[np.bool_]


def apply_mode(mode: Mode, graph: StreetGraph, rule: NDArray[np.int8] | None = None) -> StreetUse:
    """The use a mode makes of a street graph; `rule` (m,) is the number of the first rule each link meets, or NO_RULE.

    Parameters:
        mode: the mode.
        graph: the street graph.
        rule: the number (m,) of the first rule each link meets; made here where None.
    """
    highway = graph.tag("highway")
    by_class = highway.isin(mode.class_speed)
    verdict = _access(mode, graph)
    usable = np.where(verdict == 0, by_class, verdict > 0)
    at_ends = verdict == AT_ENDS
    # An access tag opens only classes that could carry the mode: 'foot=yes' does not open a motorway.
    usable &= by_class | highway.isin(CLASSES_BY_TAG_ONLY)
    reason = np.where(usable, USABLE, np.where(by_class & (verdict < 0), BY_ACCESS, BY_CLASS)).astype(np.int8)
    forward, backward = _directions(mode, graph)
    speed, source = _speeds(mode, graph)
    rule = np.full(graph.link_count, NO_RULE, np.int8) if rule is None else rule
    for number, one in enumerate(mode.rules):
        by_rule = rule == number
        if one.use == "slow":
            speed = np.where(by_rule, speed * one.factor, speed)
            continue
        usable = np.where(by_rule, one.use != "forbid", usable)
        at_ends = np.where(by_rule, one.use == "ends", at_ends)
        reason[by_rule] = BY_RULE if one.use == "forbid" else USABLE
    too_big = usable & _too_big(mode, graph)
    usable, reason[too_big] = usable & ~too_big, BY_SIZE
    return StreetUse(usable & forward, usable & backward, speed, source, reason, rule, at_ends & usable)


def without_steep(use: StreetUse, steep: NDArray[np.bool_]) -> StreetUse:
    """The same use without the links marked as too steep (m,).

    Parameters:
        use: what the mode makes of the streets.
        steep: mask (m,) of the links that are too steep.
    """
    reason = np.where((use.forward | use.backward) & steep, BY_SLOPE, use.reason).astype(np.int8)
    return replace(use, forward=use.forward & ~steep, backward=use.backward & ~steep, reason=reason)


def _too_big(mode: Mode, graph: StreetGraph) -> NDArray[np.bool_]:
    """Links (m,) that carry a limit of height, width or weight below what the vehicle measures."""
    too_big = np.zeros(graph.link_count, bool)
    vehicle = mode.vehicle
    for key, size in (("maxheight", vehicle.height_m), ("maxwidth", vehicle.width_m), ("maxweight", vehicle.weight_t)):
        column = graph.tag(key)
        if size > 0 and column.present().any():
            too_big |= column.lookup([_measure(value) for value in column.values], np.inf) < size
    return too_big


def _measure(text: str) -> float:
    r"""Metres or tonnes of a limit; infinite where none can be read.

    >>> _measure("3.5 m"), _measure("7.5t"), _measure("12'6\""), _measure("default")
    (3.5, 7.5, 3.81, inf)
    """
    if match := _FEET.match(text):
        return round(int(match[1]) * 0.3048 + int(match[2] or 0) * 0.0254, 3)
    match = _MEASURE.match(text)
    return float(match[1]) if match else float("inf")


def _access(mode: Mode, graph: StreetGraph) -> NDArray[np.int8]:
    """1 allowed by tag, AT_ENDS so at the ends of trips, -1 forbidden, 0 no tag speaks; the most specific tag decides."""
    verdict = np.zeros(graph.link_count, np.int8)
    by_class = graph.tag("highway").isin(mode.class_speed)
    for key in reversed(mode.access_keys):
        column = graph.tag(key)
        # The general 'access' does not open a foot path to cars; only a tag that names the vehicle does.
        verdict[column.isin(ALLOWING)] = 1 if key != "access" else 0
        verdict[column.isin(ENDS_ONLY) & (by_class | (key != "access"))] = AT_ENDS
        verdict[column.isin(FORBIDDING)] = -1
    return verdict


def _directions(mode: Mode, graph: StreetGraph) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    forward = np.ones(graph.link_count, bool)
    backward = np.ones(graph.link_count, bool)
    specific = graph.tag(mode.contraflow_key)
    if mode.obeys_oneway:
        oneway = graph.tag("oneway")
        implied = graph.tag("junction").isin(("roundabout", "circular")) | graph.tag("highway").equals("motorway")
        backward[implied & ~oneway.present() | oneway.isin(_ONEWAY_FORWARD)] = False
        forward[oneway.isin(_ONEWAY_BACKWARD)] = False
        free = specific.equals("no")
        for key, begins in OLDER_CONTRAFLOW.get(mode.contraflow_key, ()):
            column = graph.tag(key)
            free |= column.isin([value for value in column.values if value.startswith(begins)])
        forward |= free
        backward |= free
    backward[specific.isin(_ONEWAY_FORWARD)] = False
    forward[specific.isin(_ONEWAY_BACKWARD)] = False
    return forward, backward


def _speeds(mode: Mode, graph: StreetGraph) -> tuple[NDArray[np.float64], NDArray[np.int8]]:
    highway = graph.tag("highway")
    default = min(mode.top_speed, SLOW_FALLBACK_KMH)
    by_class = highway.lookup([mode.class_speed.get(value, np.nan) for value in highway.values], np.nan)
    source = np.where(np.isnan(by_class), SPEED_ASSUMED, SPEED_FROM_CLASS).astype(np.int8)
    speed = np.where(np.isnan(by_class), default, by_class)
    if mode.reads_maxspeed:
        posted = posted_speed(graph.tag("maxspeed"))
        known = ~np.isnan(posted)
        speed = np.where(known, posted, speed)
        source[known] = SPEED_FROM_MAXSPEED
    measured = measured_speed(mode, graph)
    probed = np.asarray(np.isfinite(measured)).max(axis=1)
    with np.errstate(invalid="ignore"):
        # Where both directions were measured this is the mean of their times; `measured_pace` tells them apart.
        both = 1.0 / np.nanmean(1.0 / measured[probed], axis=1)
    speed[probed], source[probed] = both, SPEED_MEASURED
    speed = np.minimum(speed, mode.top_speed)
    # Aboard a ferry nobody walks or rides: its own speed holds, that of the timetable where it is stated.
    sails = highway.equals("ferry") & (source == SPEED_FROM_CLASS)
    speed[sails] = FERRY_KMH
    timed = crossing_speed(graph)
    known = highway.equals("ferry") & ~np.isnan(timed)
    speed[known], source[known] = timed[known], SPEED_FROM_DURATION
    return speed, source


def measured_speed(mode: Mode, graph: StreetGraph) -> NDArray[np.float64]:
    """Measured speeds (m, 2) in km/h along and against each link, NaN where there is none.

    Parameters:
        mode: the mode.
        graph: the street graph.
    """
    if mode.measured in graph.costs:
        pair = graph.costs[mode.measured]
    elif mode.measured:
        pair = np.repeat(posted_speed(graph.tag(mode.measured))[:, None], 2, axis=1)
    else:
        pair = np.full((graph.link_count, 2), np.nan)
    with np.errstate(invalid="ignore"):
        return np.where((pair >= 1.0) & (pair <= 300.0), pair, np.nan)


def measured_pace(mode: Mode, graph: StreetGraph, speed: NDArray[np.float64]) -> NDArray[np.float64]:
    """How many times longer than at `speed` (m,) each direction (m, 2) takes where both were measured; else 1.

    Parameters:
        mode: the mode.
        graph: the street graph.
        speed: speeds (m,) in km/h.
    """
    pair = np.minimum(measured_speed(mode, graph), mode.top_speed)
    return np.where(np.isfinite(pair), speed[:, None] / pair, 1.0)


def crossing_speed(graph: StreetGraph) -> NDArray[np.float64]:
    """Speed in km/h of links whose way states how long it takes (`duration`, hh:mm), NaN elsewhere.

    Parameters:
        graph: the street graph.
    """
    column = graph.tag("duration")
    minutes = column.lookup([_minutes(value) for value in column.values], np.nan)
    if np.isnan(minutes).all():
        return minutes
    # The time is that of the whole way, which may have been broken into several links.
    _, way = np.unique(graph.link_way, return_inverse=True)
    way_length = np.bincount(way, weights=graph.link_length)[way]
    return way_length / 1000.0 / (minutes / 60.0)


def _minutes(text: str) -> float:
    """Minutes of `hh:mm`, `hh:mm:ss` or a plain number of minutes; NaN where it is neither.

    >>> _minutes("00:12"), _minutes("90")
    (12.0, 90.0)
    """
    parts = text.strip().split(":")
    try:
        numbers = [float(part) for part in parts]
    except ValueError:
        return float("nan")
    if len(numbers) == 1:
        minutes = numbers[0]
    else:
        minutes = numbers[0] * 60 + numbers[1] + (numbers[2] / 60 if len(numbers) > 2 else 0.0)
    return minutes if minutes > 0 else float("nan")


def posted_speed(maxspeed: Categorical) -> NDArray[np.float64]:
    """Posted limits in km/h, NaN where none is given or it cannot be read.

    Parameters:
        maxspeed: the posted limits as text.

    >>> posted_speed(Categorical.of(["50", "30 mph", "walk", "fast"]))
    array([50.     , 48.28032,  7.     ,      nan])
    """
    table = []
    for value in maxspeed.values:
        match = _SPEED.match(value)
        if match:
            kmh = float(match[1]) * _UNIT[match[2]]
            table.append(kmh if 1.0 <= kmh <= 200.0 else np.nan)
        else:
            table.append({"walk": 7.0, "none": 130.0}.get(value, np.nan))
    return maxspeed.lookup(table, np.nan)
