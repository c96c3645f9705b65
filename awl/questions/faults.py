"""Inputs of questions, checked: what is wrong with each, in plain words."""

from __future__ import annotations

from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from awl.core.errors import AwlError, nearest
from awl.questions.inputs import FEATURE_WORDS, Json, takes_features

Inputs = TypeVar("Inputs", bound=BaseModel)


def parse_inputs(question: str, model: type[Inputs], inputs: Json) -> Inputs:
    """Inputs of a question as its model.

    Raises:
        AwlError: names each faulty input.
    """
    try:
        return model.model_validate(inputs)
    except ValidationError as error:
        raise _as_problem(question, model, error) from error


def _as_problem(question: str, model: type[BaseModel], error: ValidationError) -> AwlError:
    """The faults of inputs, one for each input, in plain words."""
    fields = {info.alias or name: info for name, info in model.model_fields.items()}
    faults: dict[str, list[Any]] = {}
    for item in error.errors():
        faults.setdefault(str(item["loc"][0]) if item["loc"] else "inputs", []).append(item)
    parts = [_fault_text(question, name, items, fields) for name, items in faults.items()]
    return AwlError("; ".join(parts), remedy=f"See the inputs of '{question}'", inputs=tuple(faults))


def _fault_text(question: str, name: str, items: list[Any], fields: dict[str, FieldInfo]) -> str:
    first = items[0]
    if first["type"] == "extra_forbidden" and len(first["loc"]) == 1:
        return f"'{name}' is not an input of {question}.{nearest(name, fields)}".rstrip(".")
    if first["type"] == "missing" and len(first["loc"]) == 1:
        return f"'{name}' is required"
    if name in fields and takes_features(fields[name]):
        return _feature_fault(name, items)
    texts = list(dict.fromkeys(_message(item) for item in items))
    text = ", or ".join(texts)
    return (
        f"'{name}' should be {text}" if not text[:1].isupper() and not text.startswith("the ") else f"'{name}': {text}"
    )


FEATURE_KINDS = {
    "LayerSet": ("layer", "a layer set has 'layer', 'where' and 'inside'"),
    "AnswerSet": ("answer", "a set from an answer has 'answer', 'part' and 'where'"),
    "NamedPlace": ("name", "a named place has 'name' alone"),
}
"""Kinds of feature set: the member by which each is known, and what members it has."""


def _feature_fault(name: str, items: list[Any]) -> str:
    """What is wrong with a set of features: of the kinds it could be, the one whose own member is there."""
    for kind, (own, members) in FEATURE_KINDS.items():
        of_kind = [item for item in items if kind in map(str, item["loc"])]
        lacking = any(item["type"] != "extra_forbidden" and item["loc"][-1] in (own, kind) for item in of_kind)
        if of_kind and not lacking:
            member = str(of_kind[0]["loc"][-1])
            if of_kind[0]["type"] == "extra_forbidden":
                return f"'{name}' has no member '{member}': {members}"
            return f"'{name}.{member}' should be {_message(of_kind[0])}"
    return f"'{name}' should be {FEATURE_WORDS}"


def _message(item: Any) -> str:
    return str(item["msg"]).removeprefix("Value error, ").removeprefix("Input should be ")
