"""What a question is: inputs (a pydantic model), a sentence with changeable words, how it is answered and what is shown of it.

A question is defined in its own package, nowhere else: the process description, the command, the OpenAPI schema, the sentence in
the browser, the files it gives and all that is drawn of it are read from there.
"""

from __future__ import annotations

from typing import Any, ClassVar

from awl.questions.context import Context
from awl.questions.faults import parse_inputs
from awl.questions.inputs import Json, SharedInputs
from awl.questions.results import Answer, Result
from awl.views.view import View


class Question:
    """Base of all questions. Subclasses set the class attributes, `run` and `view`."""

    id: ClassVar[str]
    title: ClassVar[str]
    description: ClassVar[str]
    opening: ClassVar[str]
    sentences: ClassVar[list[tuple[Json, str]]]
    """Templates with the inputs under which each holds; the first that fits is the sentence."""
    Inputs: ClassVar[type[SharedInputs]]
    needs_hierarchy: ClassVar[bool] = False
    """Whether it is worth seconds to prepare the mode's hierarchy before it is asked."""
    is_live: ClassVar[bool] = False
    """Whether the streets within its limits can be shown while a place is dragged."""
    outputs: ClassVar[dict[str, str]]

    run: ClassVar[staticmethod[[Any, Context], Any]]
    """Computes the `Result` of inputs."""
    view: ClassVar[staticmethod[[Any, Any], View]]
    """What the result of inputs says and shows."""

    @classmethod
    def parse(cls, inputs: Json) -> SharedInputs:
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
