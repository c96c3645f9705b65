"""Inputs of a question as the command takes them: a JSON file, and settings that go before it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from awl.core.errors import AwlError


def inputs_of(file: Path | None, pairs: tuple[str, ...]) -> dict[str, Any]:
    """The inputs of a file with the settings `name=value` put over them."""
    inputs: dict[str, Any] = {}
    if file is not None:
        try:
            inputs = json.loads(file.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise AwlError(
                f"The inputs cannot be read ({error})", where=str(file), remedy="Give a JSON object"
            ) from error
        if not isinstance(inputs, dict):
            raise AwlError("The inputs are not a JSON object", where=str(file))
    for name, value in settings(pairs).items():
        known = inputs.get(name)
        inputs[name] = {**known, **value} if isinstance(known, dict) and isinstance(value, dict) else value
    return inputs


def _value(text: str) -> Any:
    """A value of `--set`: JSON where it is JSON, `5,10,15` as a list of numbers, text otherwise."""
    for written in (text, f"[{text}]"):
        try:
            value = json.loads(written)
        except ValueError:
            continue
        if written is text or all(isinstance(one, int | float) for one in value):
            return value
    return text


def settings(pairs: tuple[str, ...]) -> dict[str, Any]:
    """`name=value` pairs; `name.part=value` sets a member of an object."""
    values: dict[str, Any] = {}
    for pair in pairs:
        name, equals, text = pair.partition("=")
        if not equals or not name:
            raise AwlError(f"'{pair}' is no setting", remedy="Write --set name=value", inputs=("set",))
        head, _, part = name.partition(".")
        if part:
            inner = values.setdefault(head, {})
            if not isinstance(inner, dict):
                raise AwlError(f"'{head}' is set twice", inputs=("set",))
            inner[part] = _value(text)
        else:
            values[head] = _value(text)
    return values
