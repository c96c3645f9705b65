"""Answers that feed questions: features of an answer, and features of a layer inside its areas."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from awl.core.errors import AwlError
from awl.cql2.rows import matching
from awl.io import geojson
from awl.io.table import Table
from awl.questions.inputs import AnswerSet
from awl.study import records
from awl.study.study import Study

AREAS = ("areas", "strip", "zones")
"""Results that cover ground, the first that an answer has."""


@dataclass(frozen=True)
class FeedingAnswer:
    """An answer that questions rest on, kept or computed a moment ago.

    Attributes:
        title: what it is called.
        parts: names of its parts that may have features, the one that leads first.
        part: gives one of them.
    """

    title: str
    parts: Sequence[str]
    part: Callable[[str], Table]

    def with_features(self, name: str) -> bool:
        """Whether a part has features."""
        return name in self.parts and (table := self.part(name)).has_geometry and len(table) > 0


AnswerSource = Callable[[str], FeedingAnswer | None]
"""Gives the answer of a question by its id, None where it has none."""


def kept_source(study: Study) -> AnswerSource:
    """The answers that a study keeps."""

    def kept(question: str) -> FeedingAnswer | None:
        answer = records.answer(study.reading, question)
        if answer is None:
            return None
        result = answer["result"]
        drawn = [key for key, value in result.items() if isinstance(value, dict) and value.get("features")]
        return FeedingAnswer(result["title"], drawn, lambda name: geojson.from_document(result[name], name))

    return kept


def answer_features(answers: AnswerSource, wanted: AnswerSet, name: str) -> tuple[Table, str]:
    """Features of a part of an answer, and words for them."""
    answer = _known(answers, wanted.answer, name)
    part = wanted.part or next((key for key in answer.parts if answer.with_features(key)), "")
    if not answer.with_features(part):
        drawn = [key for key in answer.parts if answer.with_features(key)]
        raise AwlError(
            f"The answer has no features '{part}'",
            remedy=f"Results with features are: {', '.join(drawn) or 'none'}",
            inputs=(name,),
            kind="no-features",
        )
    layer = answer.part(part)
    if wanted.where:
        layer = layer.take(np.flatnonzero(matching(layer, wanted.where)).tolist())
    if len(layer) == 0:
        raise AwlError(
            f"No feature of the answer matches the filter {wanted.where}", inputs=(name,), kind="no-features"
        )
    return layer, f"{len(layer):,} {part.replace('_', ' ')} of '{answer.title}'"


def inside_answer(answers: AnswerSource, layer: Table, question: str, name: str) -> Table:
    """The features of a layer whose middle lies inside the areas of an answer."""
    answer = _known(answers, question, name)
    part = next((key for key in AREAS if answer.with_features(key)), None)
    if part is None:
        raise AwlError(
            "The answer has no areas that anything could lie inside",
            remedy="Name an isochrone, a catchment or what stands alongside",
            inputs=(name,),
        )
    ground = shapely.union_all(shapely.make_valid(answer.part(part).geometry))
    shapely.prepare(ground)
    return layer.take(np.flatnonzero(shapely.intersects(ground, shapely.point_on_surface(layer.geometry))).tolist())


def _known(answers: AnswerSource, question: str, name: str) -> FeedingAnswer:
    answer = answers(question)
    if answer is None:
        raise AwlError(
            "The question that this one rests on has no answer", remedy="Ask it first", inputs=(name,), kind="no-answer"
        )
    return answer
