"""JSON that clients send: read strictly, and refused where it holds what nothing further in could."""

from __future__ import annotations

from typing import Any

import orjson

from awl.core.errors import AwlError

DEEPEST = 60
"""Levels of lists and objects within each other; no document of Awl has a third of it."""
MOST_NUMBER = 1e300
"""No number that means something comes near it, and what is reckoned with a larger one overflows."""
LARGEST = 2**63
"""Whole numbers are below it: neither a study nor an array holds a larger one."""


def read_object(data: bytes) -> dict[str, Any]:
    """The JSON object in a request's body.

    Texts are Unicode, without halves of characters; numbers are finite.

    Parameters:
        data: the body.

    Raises:
        AwlError: it is no JSON object, is nested too deep, or holds a number that is too large.
    """
    try:
        document = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise AwlError(
            f"The request body is no JSON ({error.msg}, line {error.lineno}, column {error.colno})",
            remedy="Send JSON in UTF-8, with finite numbers",
        ) from error
    if not isinstance(document, dict):
        raise AwlError("The request body is not a JSON object", remedy='Send {"inputs": {...}}')
    _check(document)
    return document


def _check(document: dict[str, Any]) -> None:
    level: list[Any] = [document]
    for _ in range(DEEPEST):
        deeper: list[Any] = []
        for holder in level:
            for value in holder.values() if isinstance(holder, dict) else holder:
                if isinstance(value, dict | list):
                    deeper.append(value)
                elif isinstance(value, int) and not -LARGEST <= value < LARGEST:
                    raise AwlError(
                        "A whole number in the request is larger than 64 bits hold", remedy="Give a smaller one"
                    )
                elif isinstance(value, float) and abs(value) >= MOST_NUMBER:
                    raise AwlError("A number in the request is too large", remedy="Give a smaller one")
        level = deeper
        if not level:
            return
    raise AwlError(f"The request is nested more than {DEEPEST} levels deep", remedy="Flatten it")
