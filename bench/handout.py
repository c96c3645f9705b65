"""What is handed out: a comparison against asking once, and map sheets of the city against the time that was aimed at."""

from __future__ import annotations

from awl.handout.answers import fresh_content
from awl.handout.map_sheet import draw_map_sheet
from awl.handout.paper import MapOptions
from awl.questions import question
from awl.questions.compare.run import compare
from awl.questions.compare.sides import side_of
from awl.questions.run import ask
from awl.study.study import Study
from bench.measure import Row, medians

AIM_S = 10.0
"""A sheet of A3 at 300 dpi."""


def handed_out(study: Study) -> list[Row]:
    """Comparison of streets and of people, and a sheet in each format."""
    rooms = {"layer": "cool_rooms"}
    reach = [{"places": rooms, "direction": "to", "mode": mode} for mode in ("walk", "cycle")]
    people = [
        {"places": rooms, "zones": {"layer": "zones"}, "fields": ["population"], "mode": mode}
        for mode in ("walk", "cycle")
    ]
    rows = []
    for ident, words, asked in (
        ("isochrone", "reach, 31,000 streets changed", reach),
        ("access", "people of 187 zones", people),
    ):
        sides = [side_of(ask(study, ident, inputs), study, inputs) for inputs in asked]
        for side in sides:
            [side.part(name) for name in side.parts]
        ours, once = medians(
            lambda ident=ident, sides=sides: compare(question(ident), sides),  # type: ignore[misc]
            lambda ident=ident, asked=asked: ask(study, ident, asked[0]),  # type: ignore[misc]
            rounds=3,
        )
        rows.append(
            Row(f"Ferrow: two answers compared, {words}; bound: asking once", ours, once, "of the bound's speed")
        )
    content = fresh_content(study, "access", people[0], ask(study, "access", people[0]))
    options = MapOptions.model_validate({"paper": "A3", "dpi": 300})
    for ending in ("png", "pdf", "svg"):
        seconds = medians(lambda ending=ending: draw_map_sheet(study, content, options, ending), rounds=2)[0]  # type: ignore[misc]
        rows.append(
            Row(
                f"Ferrow: map sheet, A3 at 300 dpi, {ending.upper()}; bound: aimed at",
                seconds,
                AIM_S,
                "of the bound's speed",
            )
        )
    return rows
