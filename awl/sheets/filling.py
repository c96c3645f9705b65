"""Blanks filled in: values as a form, a command or a row of a table gives them, checked against what their author allows."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from typing import Any

from awl.core.errors import AwlError, nearest
from awl.questions import question
from awl.questions.describe import sentence
from awl.questions.inputs import LAYER_ID, Json
from awl.sheets.document import Blank, Block, QuestionBlock, Sheet
from awl.study.study import Study


def slot_of(blank: Blank, sheet: Sheet, study: Study) -> Json:
    """The word that a blank is, as its question describes it.

    Raises:
        AwlError: its question, or the word, is gone.
    """
    block = sheet.question(blank.question)
    slots = (
        {}
        if block is None
        else sentence(question(block.process), [mode for mode, _ in study.modes().values()])["slots"]
    )
    if block is None or blank.input not in slots:
        raise AwlError(
            f"The blank '{blank.name}' has lost its word", remedy="Mark a word of the sheet again", inputs=(blank.name,),
            status=409, kind="does-not-fit",
        )  # fmt: skip
    slot: Json = slots[blank.input]
    return slot


def filled(sheet: Sheet, values: Mapping[str, Any], study: Study, asks: list[str] | None = None) -> Sheet:
    """The sheet with its blanks filled in; those without a value keep what the sheet says.

    Parameters:
        sheet: the sheet.
        values: values by the names of blanks: JSON values, or text as it is typed.
        study: the study it is asked of.
        asks: blanks that may be filled in; all where None.

    Raises:
        AwlError: there is no such blank, one that begins empty has no value, or a value is not allowed; names them all.
    """
    known = [blank.name for blank in sheet.blanks if asks is None or blank.name in asks]
    unknown = sorted(set(values) - set(known))
    if unknown:
        raise AwlError(
            f"There is no blank '{unknown[0][:80]}'.{nearest(unknown[0], known)}".rstrip("."),
            remedy=f"Blanks are: {', '.join(known) or 'none; mark words of the sheet as blanks first'}",
            inputs=(unknown[0],),
        )
    inputs: dict[str, Json] = {block.id: dict(block.inputs) for block in sheet.questions}
    faults: list[AwlError] = []
    for name in known:
        blank = sheet.blank(name)
        assert blank is not None
        try:
            _fill(blank, values, inputs, sheet, study)
        except AwlError as error:
            faults.append(error)
    if len(faults) == 1:
        raise faults[0]
    if faults:
        raise AwlError(
            "; ".join(fault.what for fault in faults), inputs=tuple(name for fault in faults for name in fault.inputs)
        )
    blocks: list[Block] = [
        block.model_copy(update={"inputs": inputs[block.id]}) if isinstance(block, QuestionBlock) else block
        for block in sheet.blocks
    ]
    return sheet.model_copy(update={"blocks": blocks})


def _fill(blank: Blank, values: Mapping[str, Any], inputs: dict[str, Json], sheet: Sheet, study: Study) -> None:
    if blank.name not in values:
        if blank.empty:
            raise AwlError(f"'{blank.called}' is not filled in", inputs=(blank.name,), kind="not-filled-in")
        return
    slot = slot_of(blank, sheet, study)
    given = values[blank.name]
    if isinstance(given, str):
        given = given.strip()
    if given in ("", None, []):
        if slot.get("nothing") is None:
            raise AwlError(f"'{blank.called}' is not filled in", inputs=(blank.name,), kind="not-filled-in")
        inputs[blank.question].pop(blank.input, None)
        if slot["default"] is not None:
            inputs[blank.question][blank.input] = None
        return
    try:
        value = READ.get(slot["control"], _as_given)(given, blank, slot)
    except AwlError as error:
        raise AwlError(f"'{blank.called}': {error.what}", remedy=error.remedy, inputs=(blank.name,)) from error
    asked = inputs[blank.question]
    block = sheet.question(blank.question)
    assert block is not None
    process = question(block.process)
    try:
        process.parse({**asked, blank.input: value})
    except AwlError as error:
        if blank.input in error.inputs or not error.inputs:
            raise AwlError(f"'{blank.called}': {error.what}", remedy=error.remedy, inputs=(blank.name,)) from error
    asked[blank.input] = value


def _number(value: Any, blank: Blank, slot: Json) -> int | float:
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = math.nan
    if isinstance(value, bool) or not math.isfinite(number):
        raise AwlError(f"'{str(value)[:40]}' is no number", remedy="Give a number")
    if blank.least is not None and number < blank.least:
        raise AwlError(f"{number:g} is less than {blank.least:g}", remedy=_bounds(blank))
    if blank.most is not None and number > blank.most:
        raise AwlError(f"{number:g} is more than {blank.most:g}", remedy=_bounds(blank))
    return int(number) if number.is_integer() else number


def _bounds(blank: Blank) -> str:
    if blank.least is None or blank.most is None:
        return f"At least {blank.least:g}" if blank.least is not None else f"At most {blank.most:g}"
    return f"From {blank.least:g} to {blank.most:g}"


def _numbers(value: Any, blank: Blank, slot: Json) -> list[int | float]:
    return [_number(one, blank, slot) for one in _many(value)]


def _many(value: Any) -> list[Any]:
    if isinstance(value, str):
        return [part.strip() for part in value.replace(";", ",").split(",") if part.strip()]
    return value if isinstance(value, list) else [value]


def _option(value: Any, blank: Blank, slot: Json) -> str:
    """One of the values that may be chosen, by itself or by its words."""
    words: Json = slot.get("words") or {}
    allowed = blank.options or list(words)
    by_words = {str(word).lower(): key for key, word in words.items()}
    chosen = str(value)
    chosen = chosen if chosen in allowed or not allowed else by_words.get(chosen.lower(), chosen)
    if allowed and chosen not in allowed:
        named = ", ".join(str(words.get(one, one)) for one in allowed[:12])
        raise AwlError(f"'{str(value)[:40]}' cannot be chosen", remedy=f"Choose {named}")
    return chosen


def _options(value: Any, blank: Blank, slot: Json) -> list[str]:
    return [_option(one, blank, slot) for one in _many(value)]


def _features(value: Any, blank: Blank, slot: Json) -> Any:
    """Points as text or numbers, GeoJSON, the id of a layer, or a name or address."""
    if not isinstance(value, str):
        return value
    try:
        document = json.loads(value if value.startswith(("{", "[")) else f"[{value}]")
    except (ValueError, RecursionError):
        document = None
    if isinstance(document, dict | list):
        return document
    return {"layer": value} if LAYER_ID.match(value) and value in (blank.options or []) else {"name": value}


def _closures(value: Any, blank: Blank, slot: Json) -> Any:
    read = _features(value, blank, slot)
    if isinstance(read, list):
        points = read if read and isinstance(read[0], list) else [read]
        return {"type": "MultiPoint", "coordinates": points}
    return read


def _as_given(value: Any, blank: Blank, slot: Json) -> Any:
    return value


READ: Mapping[str, Callable[[Any, Blank, Json], Any]] = {
    "number": _number,
    "limit": _number,
    "limits": _numbers,
    "hours": _numbers,
    "mode": _option,
    "choice": _option,
    "field": _option,
    "several": _options,
    "measures": _options,
    "costs": _options,
    "fields": _options,
    "what-ifs": _options,
    "place": _features,
    "closures": _closures,
}
"""How a value is read, by how its word is changed; any other stays as it is given."""
