"""The sheet of paper: its size, where things stand on it, and the scale of its map."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

SIZES_MM = {"A5": (148.0, 210.0), "A4": (210.0, 297.0), "A3": (297.0, 420.0), "A2": (420.0, 594.0)}
"""Width and height upright (ISO 216)."""
STEPS = (1.0, 1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 7.5, 10.0)
"""First digits of scales."""
MOST_PIXELS = 60_000_000
Box = tuple[float, float, float, float]


class MapOptions(BaseModel):
    """What is on a map sheet, and on which paper."""

    model_config = ConfigDict(extra="forbid")

    paper: Literal["A5", "A4", "A3", "A2"] = Field("A4", description="ISO paper size.")
    orientation: Literal["landscape", "portrait"] = Field("landscape", description="Which way the sheet lies.")
    dpi: int = Field(200, ge=50, le=600, description="Pixels per inch of a PNG.")
    colour: Literal["colour", "grey"] = Field("colour", description="Printed in colour or in grey.")
    scale: int | None = Field(
        None, ge=500, le=5_000_000, description="1:this; where left out the answer fills the map."
    )
    centre: Annotated[list[float], Field(min_length=2, max_length=2)] | None = Field(
        None, description="Longitude, latitude of the middle of the map; that of the answer where left out."
    )
    title: str | None = Field(None, max_length=200, description="Above the map; that of the answer where left out.")
    credit: str | None = Field(None, max_length=400, description="Whose data it is; files by name where left out.")
    moment: str | None = Field(
        None,
        pattern=r"^\d{1,2}:[0-5]\d$",
        description="Where people move: draw them as they are at this time of the day, such as 13:40.",
    )
    legend: bool = Field(True, description="Whether the legend stands beside the map.")
    method: bool = Field(True, description="Whether method and doubts stand below it.")

    @model_validator(mode="after")
    def _not_too_many_pixels(self) -> MapOptions:
        width, height = self.size_mm
        if width * height * (self.dpi / 25.4) ** 2 > MOST_PIXELS:
            raise ValueError(f"{self.paper} at {self.dpi} dpi has more than {MOST_PIXELS:,} pixels: take fewer")
        return self

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height."""
        short, tall = SIZES_MM[self.paper]
        return (tall, short) if self.orientation == "landscape" else (short, tall)


@dataclass(frozen=True)
class Layout:
    """Where things stand, in mm from the left and the top: x, y, width, height."""

    width: float
    height: float
    title: Box
    map: Box
    legend: Box
    foot: Box
    letter: float
    """How large letters are, as a multiple of those of A4."""


def layout_of(options: MapOptions) -> Layout:
    """The layout of a sheet: the legend at the right of a landscape map and below an upright one, the foot at the bottom."""
    width, height = options.size_mm
    letter = {"A5": 0.85, "A4": 1.0, "A3": 1.25, "A2": 1.6}[options.paper]
    margin, gap = 9.0 * letter, 4.0 * letter
    head, foot = 17.0 * letter, (24.0 if options.method else 12.0) * letter
    inner = width - 2 * margin
    top, bottom = margin + head, height - margin - foot
    side = 50.0 * letter if options.legend else 0.0
    if options.orientation == "landscape":
        map_box = (margin, top, inner - (side + gap if options.legend else 0), bottom - gap - top)
        legend = (width - margin - side, top, side, bottom - gap - top)
    else:
        tall = 46.0 * letter if options.legend else 0.0
        map_box = (margin, top, inner, bottom - gap - top - (tall + gap if options.legend else 0))
        legend = (margin, bottom - gap - tall, inner, tall)
    return Layout(width, height, (margin, margin, inner, head), map_box, legend, (margin, bottom, inner, foot), letter)


def scale_for(extent: Box, frame_mm: tuple[float, float]) -> int:
    """The largest usual scale, as its denominator, at which an extent (west, south, east, north in metres) fits a frame."""
    wanted = max((extent[2] - extent[0]) / (frame_mm[0] / 1000), (extent[3] - extent[1]) / (frame_mm[1] / 1000), 500.0)
    power = 10.0 ** math.floor(math.log10(wanted))
    return round(next(step * power for step in STEPS if step * power >= wanted * (1 - 1e-9)))


def view_at(middle: tuple[float, float], scale: int, frame_mm: tuple[float, float]) -> Box:
    """West, south, east, north in metres of what a frame shows at a scale."""
    half = frame_mm[0] / 2000 * scale, frame_mm[1] / 2000 * scale
    return middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1]


def bar_length(scale: int, most_mm: float) -> float:
    """A round length in metres that a bar of at most so many mm stands for."""
    most = most_mm / 1000 * scale
    power = 10.0 ** math.floor(math.log10(most))
    return float(next(step * power for step in (5, 2, 1) if step * power <= most))
