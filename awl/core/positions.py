"""Coordinates as people paste them: decimal degrees, degrees with minutes and seconds, UTM, geo: addresses, WKT points."""

from __future__ import annotations

import math
import re

from pyproj import Transformer

NUMBER = r"[-+−]?\d+(?:[.,]\d+)?"
DECIMAL = re.compile(rf"^\(?\[?\s*({NUMBER})\s*(?:°)?\s*(?:[;,/\s]\s*|\s+)\s*({NUMBER})\s*(?:°)?\s*\]?\)?$")
GEO = re.compile(r"^geo:(-?\d+(?:\.\d+)?),(-?\d+(?:\.\d+)?)", re.I)
WKT = re.compile(r"^POINT\s*\(\s*(-?\d+(?:\.\d+)?)\s+(-?\d+(?:\.\d+)?)\s*\)$", re.I)
UTM = re.compile(
    r"^(\d{1,2})\s*([C-HJ-NP-X])\s+(\d{5,7}(?:\.\d+)?)\s*m?\s*E?[\s,]+(\d{1,8}(?:\.\d+)?)\s*m?\s*N?$", re.I
)
DEGREES = rf"({NUMBER})\s*(?:°|º|\s)?\s*(?:(\d+(?:[.,]\d+)?)\s*(?:'|′|’)?)?\s*(?:(\d+(?:[.,]\d+)?)\s*(?:\"|″|”|''))?"
SPACED = rf"({NUMBER})\s+(\d+(?:[.,]\d+)?)\s+(\d+(?:[.,]\d+)?)"
SIDE = r"(?<![A-Za-z])([NSEWO])(?![A-Za-z])"
ANGLES = (
    re.compile(rf"{SIDE}\s*(?:{SPACED}|{DEGREES})", re.I),
    re.compile(rf"(?:{SPACED}|{DEGREES})\s*{SIDE}", re.I),
)
"""One angle (degrees, minutes, seconds) with its hemisphere before it, or behind it."""
Box = tuple[float, float, float, float]


def parse_position(text: str, near: Box | None = None) -> tuple[float, float] | None:
    r"""Longitude and latitude of a pasted position; None where the text is none.

    Two plain numbers are latitude and longitude, as maps give them, unless only the other order lies in or near the box `near`
    (west, south, east, north) or on Earth.

    Parameters:
        text: what was pasted.
        near: west, south, east and north of the study; None where there is none.

    >>> parse_position("41°17'24''N 36°12'W")
    (-36.2, 41.29)
    >>> parse_position("geo:41.29,-36.2")
    (-36.2, 41.29)
    """
    text = text.strip()
    if match := GEO.match(text):
        return _on_earth(float(match[2]), float(match[1]))
    if match := WKT.match(text):
        return _on_earth(float(match[1]), float(match[2]))
    if match := UTM.match(text):
        return _of_utm(int(match[1]), match[2].upper(), float(match[3]), float(match[4]))
    if match := DECIMAL.match(text):
        return _ordered(_number(match[1]), _number(match[2]), near)
    return _of_angles(text)


def _number(text: str) -> float:
    return float(text.replace(",", ".").replace("−", "-"))


def _on_earth(lon: float, lat: float) -> tuple[float, float] | None:
    return (lon, lat) if abs(lon) <= 180 and abs(lat) <= 90 else None


def _ordered(first: float, second: float, near: Box | None) -> tuple[float, float] | None:
    lat_first, lon_first = _on_earth(second, first), _on_earth(first, second)
    if near is not None and lon_first is not None:
        apart = [math.inf if at is None else _distance(at, near) for at in (lat_first, lon_first)]
        if apart[1] < apart[0]:
            return lon_first
    return lat_first or lon_first


def _distance(at: tuple[float, float], box: Box) -> float:
    """Degrees from a position to a box, 0 inside."""
    west, south, east, north = box
    return math.hypot(max(west - at[0], 0.0, at[0] - east), max(south - at[1], 0.0, at[1] - north))


def _of_utm(zone: int, band: str, easting: float, northing: float) -> tuple[float, float] | None:
    if not 1 <= zone <= 60:
        return None
    code = (32600 if band >= "N" else 32700) + zone
    lon, lat = Transformer.from_crs(code, 4326, always_xy=True).transform(easting, northing)
    return _on_earth(round(lon, 7), round(lat, 7)) if math.isfinite(lon) else None


def _of_angles(text: str) -> tuple[float, float] | None:
    """Two angles of which each names its hemisphere, both before or both behind."""
    for number, pattern in enumerate(ANGLES):
        matches = list(pattern.finditer(text))
        if len(matches) != 2 or re.search(r"[A-Za-z0-9]", pattern.sub("", text)):
            continue
        position: dict[str, float] = {}
        for match in matches:
            parts = list(match.groups())
            side = parts.pop(0 if number == 0 else -1).upper().replace("O", "W")
            degrees, minutes, seconds = (
                _number(part) if part else 0.0 for part in (parts[:3] if parts[0] else parts[3:])
            )
            if minutes >= 60 or seconds >= 60:
                return None
            value = abs(degrees) + minutes / 60 + seconds / 3600
            position["lat" if side in "NS" else "lon"] = round(-value if side in "SW" else value, 9)
        if len(position) == 2:
            return _on_earth(position["lon"], position["lat"])
    return None
