"""The one error that reaches a user: what is wrong, where, and what to do about it."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from typing import Any


class AwlError(Exception):
    """A fault in what the user gave, said in the user's terms.

    `what` states the fault, `where` names the file, line, feature or input, `remedy` says what to do.
    `inputs` lists the faulty inputs of a question; `status` is the HTTP status a server answers with.
    """

    def __init__(
        self,
        what: str,
        *,
        where: str = "",
        remedy: str = "",
        inputs: tuple[str, ...] = (),
        status: int = 400,
        kind: str = "bad-input",
    ) -> None:
        self.what = what.rstrip(".")
        self.where = where
        self.remedy = remedy.rstrip(".")
        self.inputs = inputs
        self.status = status
        self.kind = kind
        super().__init__(self.detail)

    def fields(self) -> dict[str, Any]:
        """What it is made of again, `AwlError(**fields)`, in another process."""
        return {
            "what": self.what, "where": self.where, "remedy": self.remedy, "inputs": self.inputs,
            "status": self.status, "kind": self.kind,
        }  # fmt: skip

    @property
    def detail(self) -> str:
        """The whole message in one line."""
        end = "" if self.what.endswith("?") else "."
        text = f"{self.where}: {self.what}{end}" if self.where else f"{self.what}{end}"
        return f"{text} {self.remedy}." if self.remedy else text


class Cancelled(Exception):
    """Raised inside long work when its user has stopped it."""


def nearest(word: str, known: Iterable[str]) -> str:
    """A question that offers the known word most like a mistyped one, such as " Is it 'walk'?"; empty where none is like it.

    Parameters:
        word: what was written.
        known: the words there are.

    >>> nearest("isochron", ["isochrone", "route"])
    " Is it 'isochrone'?"
    """
    lower = {name.lower(): name for name in known}
    close = difflib.get_close_matches(word.lower(), lower, n=1, cutoff=0.6)
    return f" Is it '{lower[close[0]]}'?" if close else ""
