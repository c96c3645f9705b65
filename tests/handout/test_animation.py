"""People on paper and in animations: where the core says they are, in the inks of their states."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from awl.core.errors import AwlError
from awl.handout.animation import animation_gif
from awl.handout.animation_options import AnimationOptions
from awl.handout.answers import fresh_content
from awl.handout.inks import Inks
from awl.handout.map_sheet import draw_map_sheet
from awl.handout.paper import MapOptions
from awl.questions.run import ask

INPUTS = {
    "places": {"layer": "cool_rooms"}, "zones": {"layer": "zones"}, "people": 200, "capacity": 20, "within": 25,
    "start": "13:00/13:20", "stay": 10,
}  # fmt: skip


@pytest.fixture(scope="module")
def content(study):
    return fresh_content(study, "simulate", INPUTS, ask(study, "simulate", INPUTS))


def near(picture: Image.Image, ink: str) -> int:
    """Pixels of an ink, or all but."""
    wanted = np.array([int(ink[i : i + 2], 16) for i in (1, 3, 5)])
    return int((np.abs(np.asarray(picture.convert("RGB")).astype(int) - wanted).max(axis=2) <= 12).sum())


def test_people_are_seen_where_the_core_says(study, content):
    """Who is on the map is who travels or waits at the moment, at the places of the tracks."""
    shown = content.people(13 * 60 + 10)
    answer = ask(study, "simulate", INPUTS)
    played = answer.result.playback()
    where = played.tracks.positions_at((13 * 60 + 10) * 60_000)
    there = np.isfinite(where[:, 0])
    counts = dict(shown.counts)
    travelling = [xy for xy, state in zip(shown.xy.tolist(), shown.state, strict=True) if state == "travelling"]
    assert len(travelling) == counts["travelling"] > 10
    known = {tuple(np.round(xy, 7)) for xy in where[there].tolist()}
    assert {tuple(np.round(xy, 7)) for xy in travelling} <= known
    assert sum(counts.values()) == 200
    assert sum(place.inside for place in shown.places) == counts["inside"]


def test_a_sheet_of_a_moment_holds_people_and_says_when(study, content):
    def sheet(**more):
        data = draw_map_sheet(study, content, MapOptions.model_validate({"paper": "A5", "dpi": 120, **more}), "png")
        return Image.open(io.BytesIO(data))

    ink = Inks()("token:b1")
    assert near(sheet(moment="13:10", legend=False), ink) > near(sheet(moment="13:45", legend=False), ink) + 50
    svg = draw_map_sheet(study, content, MapOptions.model_validate({"moment": "13:10"}), "svg").decode()
    assert "13:10" in svg
    with pytest.raises(AwlError, match=r"Nothing moves at 09:00.*from 13:00"):
        sheet(moment="09:00")


def test_an_animation_has_a_picture_for_each_step(study, content):
    options = AnimationOptions.model_validate(
        {"width": 400, "begin": "13:00", "end": "13:12", "step": 4, "per_second": 10}
    )
    film = Image.open(io.BytesIO(animation_gif(study, content, options)))
    assert (film.n_frames, film.size[0], film.info["duration"], film.info["loop"]) == (4, 400, 100, 0)
    pixels = []
    for nth in range(4):
        film.seek(nth)
        pixels.append(near(film, Inks()("token:b1")))
    assert pixels[0] < pixels[2] and pixels[3] > 0


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"begin": "15:00", "end": "14:00"}, "Nothing moves between these times"),
        ({"step": 0.01}, "pictures are more than"),
    ],
)
def test_animations_that_cannot_be_are_refused(study, content, more, words):
    with pytest.raises(AwlError, match=words):
        animation_gif(study, content, AnimationOptions.model_validate(more))
    still = fresh_content(
        study, "catchment", {"places": INPUTS["places"]}, ask(study, "catchment", {"places": INPUTS["places"]})
    )
    with pytest.raises(AwlError, match="Nothing moves in this answer"):
        animation_gif(study, still, AnimationOptions.model_validate({}))
    with pytest.raises(AwlError, match="Nothing moves in this answer"):
        draw_map_sheet(study, still, MapOptions.model_validate({"moment": "13:00"}), "png")
