"""Inks of paper: what the names of inks in a view stand for, in colour and in grey."""

from __future__ import annotations

from typing import Literal

Use = Literal["fill", "line", "street"]
TOKENS = {
    "page": "#FDFDFB", "ground": "#F5F6F1", "sunk": "#F0F2EC",
    "ink": "#1A2528", "ink-2": "#48555A", "ink-3": "#5B676B", "rule": "#D6DAD5", "rule-2": "#849093",
    "thread": "#005E73", "thread-wash": "#E1EEF0", "on-thread": "#FDFDFB",
    "error": "#A1233B", "warn": "#835300", "note": "#48555A", "good": "#2F6234",
    "water": "#D3DFE1", "water-edge": "#A9BDC1", "water-text": "#3F5E66",
    "green": "#E3EAD9", "green-edge": "#C3CFB4", "field": "#F0F1E5", "field-edge": "#E2E5D5", "sand": "#F3EBD3",
    "st-main": "#5A666A", "st-sec": "#828D8F", "st-minor": "#ABB3B3", "st-path": "#A9B399", "st-fade": "#CFD4CE",
    "building": "#E4E5DE", "building-edge": "#C9CCC4", "halo": "#F5F6F1",
    "b1-fill": "#DBBDD1", "b1": "#5B1647", "b1-line": "#4A0F39",
    "b2-fill": "#F3D8C9", "b2": "#B4472F", "b2-line": "#8F301A",
    "b3-fill": "#FAF1DB", "b3": "#B67710", "b3-line": "#7A4E00",
    "l1": "#BF7A75", "l2": "#B04A52", "l3": "#84203B", "l4": "#3F0A20",
    "place": "#3F5C18", "mode": "#005E73", "amount": "#7A4E00", "time": "#7A2860", "way": "#48555A",
    "place-wash": "#EAF0DF", "mode-wash": "#E1EEF0", "amount-wash": "#F7EBD3", "time-wash": "#F3E4EE", "way-wash": "#ECEEE9",
}  # fmt: skip
"""The light theme of the interface (`ui/src/tokens.css`), which is printed."""
TINTS = ("place", "time", "amount", "mode", "b2", "good", "b1", "b3")
Rgb = tuple[float, float, float]


def rgb(code: str) -> Rgb:
    """A hex code as shares of red, green and blue."""
    value = int(code[1:], 16)
    return ((value >> 16) & 255) / 255, ((value >> 8) & 255) / 255, (value & 255) / 255


def hex_code(colour: Rgb) -> str:
    """Shares of red, green and blue as a hex code."""
    return "#" + "".join(f"{round(part * 255):02x}" for part in colour)


def mixed(first: str, second: str, share: float) -> str:
    """A share of the second ink in the first."""
    a, b = rgb(first), rgb(second)
    return hex_code((a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share, a[2] + (b[2] - a[2]) * share))


def in_grey(code: str) -> str:
    """The grey that is as light as an ink (Rec. 709)."""
    r, g, b = rgb(code)
    level = 0.2126 * r + 0.7152 * g + 0.0722 * b
    return hex_code((level, level, level))


def band(i: int, count: int, use: Use) -> str:
    """The ink of the i-th of so many bands: the three of the tokens, and steps between where more are needed."""
    ending = {"fill": "-fill", "line": "-line", "street": ""}[use]
    stops = [TOKENS[f"b{nth}{ending}"] for nth in (1, 2, 3)]
    at = 1.0 if count == 1 else 2.0 * i / (count - 1)
    low = min(int(at), 1)
    return mixed(stops[low], stops[low + 1], at - low)


def share(i: int, count: int) -> str:
    """A step of one hue, from none to much."""
    return mixed(TOKENS["ground"], TOKENS["b1"], 0.46 if count == 1 else 0.1 + 0.72 * i / (count - 1))


def change(i: int, count: int) -> str:
    """A step from loss over none to gain."""
    at = 0.0 if count == 1 else 2.0 * i / (count - 1) - 1
    return mixed(TOKENS["ground"], TOKENS["b2"] if at < 0 else TOKENS["thread"], 0.06 + 0.8 * abs(at))


class Inks:
    """Inks by the names that views give them."""

    def __init__(self, grey: bool = False) -> None:
        self.grey = grey

    def __call__(self, name: str | None, use: Use = "fill") -> str:
        """The hex code of an ink: `token:ink`, `band:0/3`, `share:1/5`, `change:0/5`, `tint:2`, or a hex code; ink where None."""
        code = self._code(name or "token:ink", use)
        return in_grey(code) if self.grey else code.lower()

    def is_hatched(self, name: str | None) -> bool:
        """Whether an ink needs strokes besides: in grey a gain is as dark as a loss."""
        kind, _, rest = (name or "").partition(":")
        if not self.grey or kind != "change":
            return False
        i, _, count = rest.partition("/")
        return 2 * int(i) > int(count) - 1

    def _code(self, name: str, use: Use) -> str:
        if name.startswith("#"):
            return name
        kind, _, rest = name.partition(":")
        if kind == "token":
            return TOKENS[rest]
        i, _, count = rest.partition("/")
        if kind == "tint":
            return TOKENS[TINTS[int(i) % len(TINTS)]]
        steps = int(count or 1)
        return {"band": lambda: band(int(i), steps, use), "share": lambda: share(int(i), steps)}.get(
            kind, lambda: change(int(i), steps)
        )()
