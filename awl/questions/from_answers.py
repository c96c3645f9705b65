"""Answers that feed questions: features of a kept answer, and features of a layer inside its areas."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.cql2.rows import matching
from awl.io import geojson
from awl.io.table import Table
from awl.questions.inputs import AnswerSet, Json
from awl.study import records
from awl.study.study import Study

AREAS = ("areas", "strip", "zones")
"""Results that cover ground, the first that an answer has."""


def answer_features(study: Study, wanted: AnswerSet, name: str) -> tuple[Table, str]:
    """Features of a result of a kept answer, and words for them."""
    result = _kept(study, wanted.answer, name)
    drawn = {key: value for key, value in result.items() if isinstance(value, dict) and value.get("features")}
    part = wanted.part or next(iter(drawn), "")
    if part not in drawn:
        raise AwlError(
            f"The answer has no features '{part}'",
            remedy=f"Results with features are: {', '.join(drawn) or 'none'}",
            inputs=(name,),
            kind="no-features",
        )
    layer = geojson.from_document(drawn[part], name)
    if wanted.where:
        layer = layer.take(np.flatnonzero(matching(layer, wanted.where)).tolist())
    if len(layer) == 0:
        raise AwlError(
            f"No feature of the answer matches the filter {wanted.where}", inputs=(name,), kind="no-features"
        )
    return layer, f"{len(layer):,} {part.replace('_', ' ')} of '{result['title']}'"


def inside_answer(study: Study, layer: Table, question: str, name: str) -> Table:
    """The features of a layer whose middle lies inside the areas of a kept answer."""
    result = _kept(study, question, name)
    part = next((key for key in AREAS if isinstance(result.get(key), dict) and result[key].get("features")), None)
    if part is None:
        raise AwlError(
            "The answer has no areas that anything could lie inside",
            remedy="Name an isochrone, a catchment or what stands alongside",
            inputs=(name,),
        )
    shapes = shapely.make_valid(geojson.from_document(result[part], part).geometry)
    ground = shapely.union_all(shapes)
    shapely.prepare(ground)
    return layer.take(np.flatnonzero(shapely.intersects(ground, shapely.point_on_surface(layer.geometry))).tolist())


def _kept(study: Study, question: str, name: str) -> Json:
    answer: Any = records.answer(study.reading, question)
    if answer is None:
        raise AwlError(
            "The question that this one rests on has no answer", remedy="Ask it first", inputs=(name,), kind="no-answer"
        )
    result: Json = answer["result"]
    return result
