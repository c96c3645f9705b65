"""Faults put into the extract on purpose, each recorded with its kind and place for tests and for the health check."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.random import Generator

from demo.osm import FIRST_WAY, Elements
from demo.survey import Way, key

LOCAL = ("residential", "living_street")
ISLAND_ROOM_M = 6.0
"""How far from any street an island lies."""


@dataclass(frozen=True)
class Fault:
    """One fault: kind, place in metres, the ways concerned, its size, and what was done."""

    kind: str
    x: float
    y: float
    ways: tuple[int, ...]
    size_m: float
    note: str

    @classmethod
    def at(
        cls, kind: str, spot: Sequence[float] | np.ndarray, ways: tuple[int, ...], size_m: float, note: str
    ) -> Fault:
        """One at a place in metres."""
        x, y = spot
        return cls(kind, x, y, ways, size_m, note)


def add_faults(elements: Elements, ground: shapely.Geometry, rng: Generator) -> list[Fault]:
    """Spoil ways that lie within `ground`."""
    maker = _Maker(elements, ground, rng)
    return [
        *maker.near_misses(14), *maker.unjoined_crossings(8), *maker.duplicates(6), *maker.zero_lengths(4), *maker.self_crossings(3),
        *maker.islands(6), *maker.locked_dead_ends(3), *maker.odd_speeds(), *maker.cut_bridge(), *maker.outside(4),
    ]  # fmt: skip


class _Maker:
    def __init__(self, elements: Elements, ground: shapely.Geometry, rng: Generator) -> None:
        self.elements, self.rng = elements, rng
        self._used: set[int] = set()
        shapely.prepare(ground)
        self._ground = ground
        self._arms: dict[tuple[float, float], list[int]] = {}
        for number, way in enumerate(elements.ways):
            if way.tags.get("highway"):
                for place in dict.fromkeys(key(*p) for p in way.xy):
                    self._arms.setdefault(place, []).append(number)

    def _ways(self, fits, count: int) -> list[int]:  # type: ignore[no-untyped-def]
        """Numbers of some unused ways that fit, at random."""
        rows = [
            i for i, way in enumerate(self.elements.ways)
            if i not in self._used and way.tags.get("highway") and fits(way) and self._ground.contains(shapely.LineString(way.xy))
        ]  # fmt: skip
        chosen = self.rng.choice(rows, count, replace=False).tolist()
        self._used.update(chosen)
        return chosen

    def _add(self, xy: np.ndarray, tags: dict[str, str], quarter: str = "fault") -> int:
        self.elements.ways.append(Way(np.asarray(xy, float), tags, quarter))
        return FIRST_WAY + len(self.elements.ways) - 1

    def near_misses(self, count: int) -> list[Fault]:
        """The end of a street stops short of the street it should meet."""

        def fits(way: Way) -> bool:
            others = self._arms.get(key(*way.xy[-1]), [])
            return (way.tags["highway"] in LOCAL and len(others) == 2 and np.hypot(*(way.xy[-1] - way.xy[-2])) > 12
                    and len(way.xy) > 2 and "oneway" not in way.tags)  # fmt: skip

        made: list[Fault] = []
        for i in self._ways(fits, count):
            way = self.elements.ways[i]
            gap = round(float(self.rng.uniform(0.7, 3.8)), 2)
            end, before = way.xy[-1].copy(), way.xy[-2]
            way.xy = np.vstack([way.xy[:-1], end + (before - end) / np.hypot(*(before - end)) * gap])
            other = next(n for n in self._arms[key(*end)] if n != i)
            self._used.add(other)
            made.append(
                Fault.at(
                    "near_miss",
                    way.xy[-1],
                    (FIRST_WAY + i, FIRST_WAY + other),
                    gap,
                    "the street ends short of the one it should meet",
                )
            )
        return made

    def unjoined_crossings(self, count: int) -> list[Fault]:
        """Two streets cross at the same level, but one of them lacks the shared node."""
        places = []
        for place, ways in self._arms.items():
            if len(ways) == 2 and not self._used & set(ways):
                a, b = (self.elements.ways[n] for n in ways)
                inner = [any(key(*p) == place for p in way.xy[1:-1]) for way in (a, b)]
                ground = all(way.tags["highway"] in (*LOCAL, "tertiary") for way in (a, b))
                if all(inner) and ground and self._ground.contains(shapely.Point(np.array(place) * 0.05)):
                    places.append(place)
        made: list[Fault] = []
        for n in self.rng.permutation(len(places)).tolist():
            place = places[n]
            i, j = self._arms[place]
            if len(made) == count or {i, j} & self._used:
                continue
            way = self.elements.ways[i]
            row = next(k for k in range(1, len(way.xy) - 1) if key(*way.xy[k]) == place)
            u, v = way.xy[row] - way.xy[row - 1], way.xy[row + 1] - way.xy[row]
            if abs(np.cross(u, v)) / (np.hypot(*u) * np.hypot(*v)) > 0.02:
                continue
            spot = way.xy[row]
            way.xy = np.delete(way.xy, row, axis=0)
            self._used |= {i, j}
            made.append(
                Fault.at(
                    "unjoined_crossing",
                    spot,
                    (FIRST_WAY + i, FIRST_WAY + j),
                    0.0,
                    "two streets cross without a shared node",
                )
            )
        return made

    def duplicates(self, count: int) -> list[Fault]:
        """A street that stands twice, the second time drawn the other way."""
        made: list[Fault] = []
        for i in self._ways(
            lambda way: way.tags["highway"] in (*LOCAL, "footway") and len(way.xy) > 2 and way.quarter != "sidewalk",
            count,
        ):
            way = self.elements.ways[i]
            again = self._add(way.xy[::-1].copy(), {k: v for k, v in way.tags.items() if k != "oneway"})
            made.append(
                Fault.at(
                    "duplicate", way.xy[len(way.xy) // 2], (FIRST_WAY + i, again), 0.0, "the same street stands twice"
                )
            )
        return made

    def zero_lengths(self, count: int) -> list[Fault]:
        """A way between two nodes at one place."""
        made: list[Fault] = []
        for i in self._ways(lambda way: way.tags["highway"] in LOCAL and len(way.xy) > 3, count):
            spot = self.elements.ways[i].xy[1]
            number = self._add(np.array([spot, spot]), {"highway": "residential"})
            self.elements.apart.add((number - FIRST_WAY, 1))
            made.append(Fault.at("zero_length", spot, (number,), 0.0, "a link of no length"))
        return made

    def self_crossings(self, count: int) -> list[Fault]:
        """A path that crosses itself without a node."""
        made: list[Fault] = []
        for i in self._ways(lambda way: way.tags["highway"] in ("track", "path") and _longest(way.xy)[1] > 25, count):
            way = self.elements.ways[i]
            row = _longest(way.xy)[0]
            a, b = way.xy[row], way.xy[row + 1]
            u = (b - a) / np.hypot(*(b - a))
            v = np.array([-u[1], u[0]])
            middle = (a + b) / 2
            loop = np.array(
                [
                    middle + 8 * u,
                    middle + 8 * u + 9 * v,
                    middle - 2 * u + 7 * v,
                    middle - 2 * u - 5 * v,
                    middle + 9 * u - 4 * v,
                ]
            )
            way.xy = np.insert(way.xy, row + 1, loop, axis=0)
            made.append(
                Fault.at(
                    "self_crossing", (middle - 2 * u), (FIRST_WAY + i,), 0.0, "the way crosses itself without a node"
                )
            )
        return made

    def islands(self, count: int) -> list[Fault]:
        """Bits of street that join nothing; the last is a small net of its own."""
        lines = np.array(
            [shapely.LineString(way.xy) for way in self.elements.ways if way.tags.get("highway")], dtype=object
        )
        tree = shapely.STRtree(lines)
        rows = self._ways(
            lambda way: way.quarter in ("garden", "estate") and way.tags["highway"] == "residential", 12 * count
        )
        made: list[Fault] = []
        for i in rows:
            spot = self.elements.ways[i].xy[1] + self.rng.uniform(-1, 1, 2) * 6 + np.array([13.3, 11.7])
            arm = self.rng.uniform(12, 24, 2)
            corners = spot + arm * np.array([[0, 0], [1, 0.2], [0.4, 0.9]])
            if len(made) == count or len(
                tree.query(shapely.Polygon(corners), predicate="dwithin", distance=ISLAND_ROOM_M)
            ):
                continue
            numbers = [self._add(corners[:2], {"highway": "service"})]
            if len(made) == count - 1:
                numbers += [self._add(corners[[a, b]], {"highway": "service"}) for a, b in ((1, 2), (2, 0))]
            made.append(Fault.at("island", spot, tuple(numbers), float(arm[0]), "the street joins no other"))
        return made

    def locked_dead_ends(self, count: int) -> list[Fault]:
        """A dead end signed one-way: one can drive in and never out."""

        def fits(way: Way) -> bool:
            ends = [len(self._arms.get(key(*way.xy[k]), ())) for k in (0, -1)]
            return way.quarter == "garden" and way.tags["highway"] == "residential" and ends[1] == 1 and ends[0] > 1

        made: list[Fault] = []
        for i in self._ways(fits, count):
            way = self.elements.ways[i]
            way.tags["oneway"] = "yes"
            made.append(
                Fault.at(
                    "locked_oneway", way.xy[-1], (FIRST_WAY + i,), 0.0, "a dead end that can be entered but not left"
                )
            )
        return made

    def odd_speeds(self) -> list[Fault]:
        """Posted limits that cannot be."""
        made: list[Fault] = []
        for text, classes in (("300", ("residential",)), ("5", ("secondary", "tertiary")), ("fast", ("residential",)), ("0", ("tertiary",)),
                              ("500", ("tertiary", "residential")), ("", ("secondary",)), ("", ("primary",))):  # fmt: skip
            (i,) = self._ways(
                lambda way, classes=classes: (
                    way.tags["highway"] in classes and "bridge" not in way.tags and len(way.xy) > 2
                ),
                1,
            )
            way = self.elements.ways[i]
            kind = "odd_speed" if text else "missing_speed"
            way.tags.pop("maxspeed", None)
            if text:
                way.tags["maxspeed"] = text
            made.append(
                Fault.at(
                    kind,
                    way.xy[1],
                    (FIRST_WAY + i,),
                    0.0,
                    f"posted limit '{text}'" if text else "a main road without a limit",
                )
            )
        return made

    def cut_bridge(self) -> list[Fault]:
        """The bridge of Copperas Lane lacks its last metres."""
        i = next(
            n
            for n, way in enumerate(self.elements.ways)
            if way.tags.get("name") == "Copperas Lane" and "bridge" in way.tags
        )
        way = self.elements.ways[i]
        end, before = way.xy[-1].copy(), way.xy[-2]
        way.xy = np.vstack([way.xy[:-1], end + (before - end) / np.hypot(*(before - end)) * 11.0])
        return [Fault.at("cut_bridge", way.xy[-1], (FIRST_WAY + i,), 11.0, "the bridge ends 11 m short of the bank")]

    def outside(self, count: int) -> list[Fault]:
        """Stray ways far off the island."""
        made: list[Fault] = []
        for n in range(count):
            spot = np.array([-6_300.0 + 30 * n, -4_100.0 + 400 * n])
            number = self._add(spot + np.array([[0, 0], [60, 15], [110, -20]]), {"highway": "residential"})
            made.append(Fault.at("outside", spot, (number,), 0.0, "a stray street far out at sea"))
        return made


def _longest(xy: np.ndarray) -> tuple[int, float]:
    length = np.hypot(*np.diff(xy, axis=0).T)
    row = int(np.argmax(length))
    return row, float(length[row])
