"""Inputs of the question `compare`."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from awl.questions.slots import slot

MOST_ANSWERS = 5


class KeptOne(BaseModel):
    """A kept answer, of this study or of another one that is served beside it."""

    model_config = ConfigDict(extra="forbid")

    answer: str = Field(min_length=1, max_length=200, description="The name it is kept under: the id of its question.")
    study: str | None = Field(None, max_length=200, description="The other study; this one where left out.")


def _as_kept(value: Any) -> Any:
    return {"answer": value} if isinstance(value, str) else value


def _as_list(value: Any) -> Any:
    """Names with commas between as a list."""
    return [name.strip() for name in value.split(",")] if isinstance(value, str) else value


class CompareInputs(BaseModel):
    """Inputs of `compare`."""

    model_config = ConfigDict(extra="forbid")

    answers: Annotated[list[Annotated[KeptOne, BeforeValidator(_as_kept)]], BeforeValidator(_as_list)] = Field(
        min_length=2,
        max_length=MOST_ANSWERS,
        description="Answers of one question, by the names they are kept under; the others are set against the first.",
        json_schema_extra=slot("place", "Answers", "answers"),
    )
