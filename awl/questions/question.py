"""What a question is: inputs (a pydantic model), a sentence with changeable words, how it is answered and what is shown of it.

A question is defined in its own package, nowhere else: the process description, the command, the OpenAPI schema, the sentence in
the browser, the files it gives and all that is drawn of it are read from there.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from pydantic import BaseModel

from awl.core.progress import Progress
from awl.questions.compared_parts import ComparedPart
from awl.questions.context import Context
from awl.questions.faults import parse_inputs
from awl.questions.from_answers import AnswerSource, FeedingAnswer, kept_source
from awl.questions.inputs import Json
from awl.questions.results import Answer, Result
from awl.study import what_ifs
from awl.study.study import Study
from awl.views.view import View


@dataclass(frozen=True)
class Answered:
    """A question of a sheet with the answer it was given a moment ago, kept nowhere."""

    process: str
    inputs: Json
    answer: Answer


@dataclass(frozen=True)
class Around:
    """What a question may look at beside its own study.

    Attributes:
        questions: the other questions by id.
        study: opens other studies.
        answered: answers that stand for those the study keeps, by the ids of their questions.
    """

    questions: Mapping[str, type[Question]]
    study: Callable[[str], Study]
    answered: Mapping[str, Answered] = field(default_factory=dict)

    def answers(self, study: Study) -> AnswerSource:
        """The answers that questions of a study may rest on."""
        kept = kept_source(study)

        def known(question: str) -> FeedingAnswer | None:
            fresh = self.answered.get(question)
            return kept(question) if fresh is None else fresh.answer.feeding()

        return known


class Question:
    """Base of all questions. Subclasses set the class attributes, `run` and `view`."""

    id: ClassVar[str]
    title: ClassVar[str]
    description: ClassVar[str]
    opening: ClassVar[str]
    sentences: ClassVar[list[tuple[Json, str]]]
    """Templates with the inputs under which each holds; the first that fits is the sentence."""
    Inputs: ClassVar[type[BaseModel]]
    needs_hierarchy: ClassVar[bool] = False
    """Whether it is worth seconds to prepare the mode's hierarchy before it is asked."""
    is_heavy: ClassVar[bool] = False
    """Whether it looks at the whole study, however few places it names."""
    is_live: ClassVar[bool] = False
    """Whether the streets within its limits can be shown while a place is dragged."""
    outputs: ClassVar[dict[str, str]]
    compared: ClassVar[tuple[ComparedPart, ...]] = ()
    """How its answers are compared, part by part; they cannot be where it is empty."""

    run: ClassVar[staticmethod[[Any, Context], Any]]
    """Computes the `Result` of inputs."""
    view: ClassVar[staticmethod[[Any, Any], View]]
    """What the result of inputs says and shows."""

    @classmethod
    def parse(cls, inputs: Json) -> Any:
        """Check inputs; raises `AwlError` that names each faulty one."""
        return parse_inputs(cls.id, cls.Inputs, inputs)

    @classmethod
    def outputs_for(cls, inputs: Any) -> dict[str, str]:
        """The results there are for some inputs."""
        return cls.outputs

    @classmethod
    def answer(cls, inputs: Any, context: Context) -> Answer:
        """The result with its view."""
        result: Result = cls.run(inputs, context)
        return Answer(result, cls.view(inputs, result))

    @classmethod
    def asked_of(cls, study: Study, inputs: Any, progress: Progress, around: Around) -> Answer:
        """The answer to checked inputs, asked of a study."""
        if cls.needs_hierarchy:
            what_ifs.variant(study, inputs.what_ifs).wait_until_prepared(inputs.mode)
        return cls.answer(inputs, Context(study, inputs, progress, answers=around.answers(study)))
