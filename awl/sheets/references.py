"""How questions of a sheet rest on each other: what they name, in which order they are asked, and what a copy names instead."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from awl.core.errors import AwlError
from awl.questions.inputs import Json
from awl.sheets.document import Blank, Block, Form, QuestionBlock, Sheet, Shown

NAMES_ANSWER = ("answer", "inside")
"""Members of inputs that name the question whose answer is meant."""


def rests_on(inputs: Any) -> list[str]:
    """Ids of the questions whose answers inputs name, however deep, each once."""
    return list(dict.fromkeys(_named(inputs)))


def _named(value: Any) -> Iterator[str]:
    if isinstance(value, list):
        for inner in value:
            yield from _named(inner)
    elif isinstance(value, dict):
        if "study" in value:
            return
        for key, inner in value.items():
            if key in NAMES_ANSWER and isinstance(inner, str):
                yield inner
            elif key == "answers" and isinstance(inner, list):
                yield from (one for one in inner if isinstance(one, str))
                yield from _named(inner)
            else:
                yield from _named(inner)


def in_order(sheet: Sheet, wanted: Collection[str] | None = None) -> list[QuestionBlock]:
    """The questions of a sheet, or those that are wanted with all they rest on, each after what it rests on.

    Raises:
        AwlError: questions rest on each other in a circle.
    """
    ordered: dict[str, QuestionBlock] = {}

    def take(block: QuestionBlock, way: tuple[str, ...]) -> None:
        if block.id in ordered:
            return
        if block.id in way:
            raise AwlError(
                "Questions of the sheet rest on each other in a circle",
                remedy="Change one of them to rest on a layer",
                inputs=("blocks",),
            )
        for ident in rests_on(block.inputs):
            known = sheet.question(ident)
            if known is not None:
                take(known, (*way, block.id))
        ordered[block.id] = block

    for block in sheet.questions:
        if wanted is None or block.id in wanted:
            take(block, ())
    return list(ordered.values())


def renamed(sheet: Sheet, taken: Collection[str]) -> tuple[Sheet, dict[str, str]]:
    """A sheet whose blocks have ids of their own, and those by the former ones.

    Parameters:
        sheet: the sheet.
        taken: ids that blocks must not have.
    """
    used = {*taken, *(block.id for block in sheet.blocks)}
    names: dict[str, str] = {}
    for block in sheet.blocks:
        if block.id in taken:
            names[block.id] = next(
                name for n in range(2, len(used) + 3) if (name := f"{block.id[:190]}_{n}") not in used
            )
            used.add(names[block.id])

    def called(ident: str) -> str:
        return names.get(ident, ident)

    blocks: list[Block] = []
    for block in sheet.blocks:
        changed: Json = {"id": called(block.id)}
        if isinstance(block, QuestionBlock):
            changed["inputs"] = redirected(block.inputs, names)
        blocks.append(block.model_copy(update=changed))
    blanks: list[Blank] = [blank.model_copy(update={"question": called(blank.question)}) for blank in sheet.blanks]
    forms: list[Form] = []
    for form in sheet.forms:
        shows: list[Shown] = [shown.model_copy(update={"question": called(shown.question)}) for shown in form.shows]
        forms.append(form.model_copy(update={"shows": shows}))
    return sheet.model_copy(update={"blocks": blocks, "blanks": blanks, "forms": forms}), names


def redirected(inputs: Any, names: Mapping[str, str]) -> Any:
    """Inputs that name other answers, by the former and the new ids of their questions."""
    if isinstance(inputs, list):
        return [redirected(inner, names) for inner in inputs]
    if not isinstance(inputs, dict) or "study" in inputs:
        return inputs
    changed: Json = {}
    for key, inner in inputs.items():
        if key in NAMES_ANSWER and isinstance(inner, str):
            changed[key] = names.get(inner, inner)
        elif key == "answers" and isinstance(inner, list):
            changed[key] = [names.get(one, one) if isinstance(one, str) else redirected(one, names) for one in inner]
        else:
            changed[key] = redirected(inner, names)
    return changed
