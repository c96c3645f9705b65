"""The one error that reaches a user: what is wrong, where, and what to do about it."""

from __future__ import annotations


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

    @property
    def detail(self) -> str:
        """The whole message in one line."""
        text = f"{self.where}: {self.what}." if self.where else f"{self.what}."
        return f"{text} {self.remedy}." if self.remedy else text


class Cancelled(Exception):
    """Raised inside long work when its user has stopped it."""
