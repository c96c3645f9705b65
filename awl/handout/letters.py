"""Letters of map sheets: the fonts that ship with Awl, and how wide a text is."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from fontTools.ttLib import TTFont
from matplotlib import font_manager
from matplotlib.font_manager import FontProperties

FOLDER = Path(__file__).parent / "fonts"
SANS, MEDIUM, SEMIBOLD = "Awl Sans", "Awl Sans Medium", "Awl Sans SemiBold"
SERIF, TITLE, ITALIC = "Awl Serif", "Awl Serif SemiBold", "Awl Serif Italic"
FALLBACK = "DejaVu Sans"
"""Has the letters of most scripts."""
OTHER_LETTER = 0.64
"""About as wide are letters of other scripts, as a share of their size."""


@lru_cache(maxsize=1)
def _registered() -> bool:
    for path in sorted(FOLDER.glob("*.ttf")):
        font_manager.fontManager.addfont(str(path))
    return True


def path_of(family: str) -> Path:
    """The file of a family."""
    return FOLDER / f"{family.replace(' ', '')}.ttf"


def font(family: str, points: float) -> FontProperties:
    """A font at a size in points; letters that it lacks are taken from another."""
    _registered()
    return FontProperties(family=[family, FALLBACK], size=points)


@lru_cache(maxsize=16)
def _advances(family: str) -> dict[str, float]:
    """How far each letter of a family goes, as a share of its size; read once, so that several sheets can be drawn at once."""
    with TTFont(path_of(family)) as face:
        units, widths = face["head"].unitsPerEm, face["hmtx"].metrics
        return {chr(code): widths[glyph][0] / units for code, glyph in face.getBestCmap().items()}


@lru_cache(maxsize=20_000)
def _width(text: str, family: str) -> float:
    advances = _advances(family)
    return sum(advances.get(letter, OTHER_LETTER) for letter in text)


def width_mm(text: str, family: str, points: float) -> float:
    """How wide a text is, in mm."""
    return _width(text, family) * points * 25.4 / 72


def wrapped(text: str, family: str, points: float, most_mm: float, lines: int | None = None) -> list[str]:
    """A text in lines that are no wider than `most_mm`; where it needs more than `lines` the last ends in an ellipsis."""
    rows: list[str] = []
    for word in text.split():
        if rows and width_mm(f"{rows[-1]} {word}", family, points) <= most_mm:
            rows[-1] = f"{rows[-1]} {word}"
        else:
            rows.append(word)
    if lines is not None and len(rows) > lines:
        last = rows[lines - 1]
        while last and width_mm(f"{last} …", family, points) > most_mm:
            last = last.rpartition(" ")[0]
        rows = [*rows[: lines - 1], f"{last} …"]
    return rows
