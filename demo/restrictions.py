"""Turn restrictions, as relations: via a node, via a way, with exceptions, and with hours."""

from __future__ import annotations

import numpy as np
from numpy.random import Generator

from demo.osm import FIRST_WAY, Elements
from demo.survey import Way, key

DRIVEN = ("primary", "secondary", "tertiary", "residential", "unclassified", "living_street")
VIA_NODE, VIA_WAY = 130, 9


def add_restrictions(elements: Elements, rng: Generator) -> None:
    """Split the ways where a restriction needs their end, and add the relations."""
    main = _corners(elements.ways, ("primary", "secondary", "tertiary"))
    every = _corners(elements.ways, DRIVEN)
    round_about = {key(*p) for way in elements.ways if way.tags.get("junction") == "roundabout" for p in way.xy}
    corners = sorted(place for place, n in every.items() if n >= 3 and place in main and place not in round_about)
    chosen = {corners[i] for i in rng.choice(len(corners), VIA_NODE, replace=False)}
    short = [
        way for way in elements.ways
        if way.tags.get("highway") in DRIVEN and _length(way) < 110
        and all(every.get(key(*way.xy[k]), 0) >= 3 for k in (0, -1))
        and not any(key(*p) in chosen for p in way.xy) and len({key(*p) for p in way.xy} & every.keys()) == 2
    ]  # fmt: skip
    vias = [short[i] for i in np.sort(rng.choice(len(short), min(VIA_WAY, len(short)), replace=False))]
    split_at = chosen | {key(*way.xy[k]) for way in vias for k in (0, -1)}
    elements.ways = [piece for way in elements.ways for piece in _split(way, split_at)]
    ends: dict[tuple[float, float], list[int]] = {}
    for number, way in enumerate(elements.ways):
        if way.tags.get("highway") in DRIVEN:
            for k in (0, -1):
                ends.setdefault(key(*way.xy[k]), []).append(number)
    for place in sorted(chosen):
        _via_node(elements, place, ends.get(place, []), rng)
    rows = {id(way): number for number, way in enumerate(elements.ways)}
    for way in vias:
        if id(way) not in rows:
            continue
        number = rows[id(way)]
        before = [n for n in ends.get(key(*way.xy[0]), []) if n != number]
        after = [n for n in ends.get(key(*way.xy[-1]), []) if n != number]
        if before and after:
            members = [
                ("way", FIRST_WAY + before[0], "from"),
                ("way", FIRST_WAY + number, "via"),
                ("way", FIRST_WAY + after[0], "to"),
            ]
            elements.restrictions.append((list(members), {"type": "restriction", "restriction": "no_u_turn"}))


def _via_node(elements: Elements, place: tuple[float, float], ways: list[int], rng: Generator) -> None:
    if len(set(ways)) < 2:
        return
    a, b = rng.choice(sorted(set(ways)), 2, replace=False).tolist()
    here = np.array(place) * 0.05
    turn = _turn(elements.ways[a].xy, elements.ways[b].xy, here)
    kind = "straight_on" if abs(turn) < 0.5 else "left_turn" if turn > 0 else "right_turn"
    word = "only" if rng.random() < 0.2 else "no"
    tags = {"type": "restriction"}
    draw = rng.random()
    if draw < 0.08:
        tags["restriction:conditional"] = f"{word}_{kind} @ (Mo-Fr 07:00-09:00,16:00-18:00)"
    elif draw < 0.14:
        tags["restriction:hgv"] = f"{word}_{kind}"
    else:
        tags["restriction"] = f"{word}_{kind}"
        if draw < 0.35:
            tags["except"] = str(rng.choice(["bicycle", "bus;bicycle", "psv"]))
    members = [("way", FIRST_WAY + a, "from"), ("node", place, "via"), ("way", FIRST_WAY + b, "to")]
    elements.restrictions.append((list(members), tags))


def _turn(a: np.ndarray, b: np.ndarray, here: np.ndarray) -> float:
    """Angle in radians from arriving along a to leaving along b, left positive."""
    before = a[1] if np.hypot(*(a[0] - here)) < 0.1 else a[-2]
    after = b[1] if np.hypot(*(b[0] - here)) < 0.1 else b[-2]
    u, v = here - before, after - here
    return float(np.arctan2(u[0] * v[1] - u[1] * v[0], u @ v))


def _corners(ways: list[Way], classes: tuple[str, ...]) -> dict[tuple[float, float], int]:
    """How many arms of streets of these classes meet at each place."""
    arms: dict[tuple[float, float], int] = {}
    for way in ways:
        if way.tags.get("highway") in classes:
            places = [key(*p) for p in way.xy]
            for i, place in enumerate(places):
                arms[place] = arms.get(place, 0) + (1 if i in (0, len(places) - 1) else 2)
    return {place: n for place, n in arms.items() if n >= 3}


def _split(way: Way, places: set[tuple[float, float]]) -> list[Way]:
    if way.tags.get("highway") not in DRIVEN:
        return [way]
    cuts = [i for i in range(1, len(way.xy) - 1) if key(*way.xy[i]) in places]
    if not cuts:
        return [way]
    return [
        Way(way.xy[a : b + 1], dict(way.tags), way.quarter)
        for a, b in zip([0, *cuts], [*cuts, len(way.xy) - 1], strict=True)
    ]


def _length(way: Way) -> float:
    return float(np.hypot(*np.diff(way.xy, axis=0).T).sum())
