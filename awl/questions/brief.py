"""Which questions are answered while somebody waits: those that ask for a handful of places and search from each but once."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel

from awl.core.errors import AwlError
from awl.questions.inputs import AnswerSet, GeoJson, LayerSet
from awl.questions.question import Question
from awl.study.study import Study

FEW = 200
"""Places at most."""


def is_brief(question: type[Question], inputs: Any, study: Study) -> bool:
    """Whether a question is over in a moment, as far as can be seen beforehand.

    Parameters:
        question: the question.
        inputs: its checked inputs.
        study: the study it is asked of.
    """
    return not question.is_heavy and sum(_counts(inputs, study)) <= FEW


def _counts(value: Any, study: Study) -> Iterator[int]:
    """How many features each set holds that inputs name."""
    if isinstance(value, LayerSet):
        try:
            yield study.feature_count(value.layer)
        except AwlError:
            yield 0  # the question itself says what is wrong
    elif isinstance(value, AnswerSet):
        yield FEW + 1
    elif isinstance(value, GeoJson):
        features = (value.model_extra or {}).get("features")
        yield len(features) if isinstance(features, list) else 1
    elif isinstance(value, BaseModel):
        for name in type(value).model_fields:
            yield from _counts(getattr(value, name), study)
    elif isinstance(value, list):
        yield from (one for part in value for one in _counts(part, study))
