"""Isochrones of places that differ: some reached by another mode, within other limits, at another hour, or with minutes added.

Places fall into groups, each is answered by itself, and the areas are put together: merged over all, as rings, or one by one.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.cql2.rows import matching
from awl.io import geojson
from awl.io.table import Layer
from awl.questions.base import Answer, Column, Doubt, Figure, Json
from awl.questions.context import Context, limit_column, limit_word
from awl.questions.isochrone.alike import alike_answer
from awl.questions.isochrone.inputs import Differing, IsochroneInputs
from awl.questions.reach_areas import contours_of

GRID_M = 0.01
"""Areas are put together on a grid this fine."""


def mixed_answer(inputs: IsochroneInputs, context: Context) -> Answer:
    """One answer for all groups. Sharing out to the nearest place is not possible between modes."""
    if inputs.merge == "nearest":
        raise AwlError(
            "Places that differ cannot be shared out to the nearest: their times are not of one kind",
            remedy="Let areas be one by one, as rings or merged",
            inputs=("merge",),
        )
    layer, words = context.features(inputs.places, "places")
    group = _groups(layer, inputs.differs)
    parts: list[tuple[Differing | None, Answer]] = []
    numbers = np.unique(group)
    for done, number in enumerate(numbers.tolist()):
        rule = None if number < 0 else inputs.differs[number]
        own = _own_inputs(inputs, rule, layer.take(np.flatnonzero(group == number).tolist()))
        progress = context.progress.part(done / len(numbers) * 0.9, (done + 1) / len(numbers) * 0.9)
        parts.append((rule, alike_answer(own, Context(context.study, own, progress), [])))
    return _together(inputs, context, parts, words)


def _groups(layer: Layer, rules: list[Differing]) -> NDArray[np.int64]:
    """Number of the first rule each place meets, -1 where it meets none."""
    group = np.full(len(layer), -1)
    for number, rule in reversed(list(enumerate(rules))):
        group[matching(layer, rule.where)] = number
    return group


def _own_inputs(inputs: IsochroneInputs, rule: Differing | None, layer: Layer) -> IsochroneInputs:
    """The question for one group alone: minutes added to every trip are taken off its limits."""
    own: Json = inputs.model_dump(by_alias=True, exclude={"differs", "places"}, exclude_none=True)
    own["places"] = geojson.collection(layer)
    if rule is not None:
        limits = rule.limits or inputs.limits
        if len(limits) != len(inputs.limits):
            raise AwlError(
                f"The rule {rule.where} has {len(limits)} limits where all have {len(inputs.limits)}",
                remedy="Give as many, or leave them out",
                inputs=("differs",),
            )
        added = rule.add_minutes
        if added and inputs.measure != "time":
            raise AwlError("Minutes are added to limits in metres", remedy="Count time", inputs=("differs",))
        if added >= limits[0]:
            raise AwlError(
                f"The rule {rule.where} adds {added:g} min, which leaves nothing of {limits[0]:g} min",
                remedy="Add less, or give larger limits",
                inputs=("differs",),
            )
        own["limits"] = [limit - added for limit in limits]
        own |= {key: value for key, value in (("mode", rule.mode), ("at", rule.at)) if value is not None}
    return IsochroneInputs.model_validate(own)


def _together(
    inputs: IsochroneInputs, context: Context, parts: list[tuple[Differing | None, Answer]], words: str
) -> Answer:
    """Areas put together by limit; streets, ends and places one after another with the mode they belong to."""
    limits = inputs.limits
    plane = context.network.graph.plane
    modes = [(rule.mode if rule is not None and rule.mode else inputs.mode) for rule, _ in parts]
    shapes = [_areas(answer, plane) for _, answer in parts]
    whole = [
        shapely.union_all([shape for group in shapes for at, shape in group if at == level], grid_size=GRID_M)
        for level in range(len(limits))
    ]
    if inputs.merge == "bands":  # rings of a group hold no inner part: those of lower limits belong to the whole too
        whole = [shapely.union_all(whole[: level + 1], grid_size=GRID_M) for level in range(len(limits))]
    drawn = [
        shapely.difference(shape, whole[i - 1], grid_size=GRID_M) if inputs.merge == "bands" and i else shape
        for i, shape in enumerate(whole)
    ]
    if inputs.merge == "each":
        areas = _joined(
            [_with(answer.parts["areas"], mode, limits) for (_, answer), mode in zip(parts, modes, strict=True)]
        )
        lines = [shape for group in shapes for _, shape in group]
        at = [limits[level] for group in shapes for level, _ in group]
    else:
        columns: dict[str, list[Any]] = {
            "limit": limits,
            "from_limit": [limits[i - 1] if i and inputs.merge == "bands" else 0.0 for i in range(len(limits))],
            "area_km2": [round(shape.area / 1e6, 5) for shape in drawn],
        }
        areas = geojson.collection(Layer(plane.unproject(np.array(drawn, dtype=object)), columns))
        lines, at = drawn, limits
    rows = [
        {"limit": limit, "area_km2": round(shape.area / 1e6, 4)} for limit, shape in zip(limits, whole, strict=True)
    ]

    last = limit_word(limits[-1], inputs.measure)
    titles = " and ".join(dict.fromkeys(context.study.mode(mode).title.lower() for mode in modes))
    return Answer(
        title=f"{titles.capitalize()} {last} {inputs.direction} {words}",
        summary={
            "places": sum(answer.summary["places"] for _, answer in parts),
            "places_used": sum(answer.summary["places_used"] for _, answer in parts),
            "limits_min" if inputs.measure == "time" else "limits_m": limits,
            "area_km2": [row["area_km2"] for row in rows],
            "groups": [
                {"mode": mode, "places": answer.summary["places"], "where": None if rule is None else rule.where}
                for (rule, answer), mode in zip(parts, modes, strict=True)
            ],
        },
        figures=[
            Figure(round(whole[-1].area / 1e6, 2), "km²", f"within {last}"),
            *(
                Figure(answer.summary["places"], "", f"places, {context.study.mode(mode).title.lower()}")
                for (_, answer), mode in zip(parts[:2], modes, strict=False)
            ),
        ],
        doubts=_doubts(parts),
        method=list(dict.fromkeys(line for _, answer in parts for line in answer.method)),
        parts={
            "areas": areas,
            "contours": lambda: geojson.collection(contours_of(context, lines, at)),
            **{
                name: (
                    lambda name=name: _joined(
                        [
                            _with(_made(answer.parts[name]), mode, None)
                            for (_, answer), mode in zip(parts, modes, strict=True)
                        ]
                    )
                )
                for name in ("streets", "ends", "places")
            },
            "by_limit": rows,
        },
        table=(
            "by_limit",
            [
                limit_column(limits, inputs.measure),
                Column("area_km2", "Area", "km²", 2),
            ],
        ),
    )


def _areas(answer: Answer, plane: Any) -> list[tuple[int, shapely.Geometry]]:
    """Areas of a group in the plane, each with the row of its limit."""
    layer = geojson.from_document(answer.parts["areas"], "areas")
    own = list(dict.fromkeys(layer.columns["limit"]))
    return [
        (own.index(limit), shape)
        # Degrees were rounded, so that edges may cross by a hair.
        for limit, shape in zip(layer.columns["limit"], shapely.make_valid(plane.project(layer.geometry)), strict=True)
    ]


def _made(part: Any) -> Json:
    made: Json = part() if callable(part) else part
    return made


def _with(collection: Json, mode: str, limits: list[float] | None) -> Json:
    """Features with their mode; their limits named as those of all, where they are given."""
    own = list(dict.fromkeys(feature["properties"].get("limit") for feature in collection["features"]))
    for feature in collection["features"]:
        feature["properties"]["mode"] = mode
        if limits is not None:
            feature["properties"]["limit"] = limits[own.index(feature["properties"]["limit"])]
    return collection


def _joined(collections: list[Json]) -> Json:
    return {"type": "FeatureCollection", "features": [f for one in collections for f in one["features"]]}


def _doubts(parts: list[tuple[Differing | None, Answer]]) -> list[Doubt]:
    """Doubts of all groups, each text once."""
    return list({doubt.text: doubt for _, answer in parts for doubt in answer.doubts}.values())
