"""Tokens: who may do what on a server that others reach.

One token reads and writes, one reads alone, and each form has one of its own, derived from the first, that allows that form and
nothing else. Programs send a token as `Authorization: Bearer ...`; a browser gives it once, in the address or on the page that
asks for it, and keeps it as a cookie that no script can read.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from dataclasses import dataclass
from typing import Literal

from awl.core.errors import AwlError

Right = Literal["write", "read"]
SHORTEST = 16
"""Characters that a token needs: fewer can be guessed."""
COOKIE = "awl_token"
FORM_COOKIE = "awl_form"


@dataclass(frozen=True)
class Tokens:
    """The tokens of a server.

    Attributes:
        write: allows everything.
        read: allows looking and asking, where nothing is changed.
    """

    write: str
    read: str

    @classmethod
    def given(cls, write: str | None, read: str | None) -> Tokens:
        """Tokens that were chosen, those left out made up.

        Raises:
            AwlError: one is too short, or cannot stand in an address, or both are the same.
        """
        for token in (write, read):
            if token is not None and (len(token) < SHORTEST or not token.isascii() or not _is_plain(token)):
                raise AwlError(
                    f"A token has at least {SHORTEST} letters and digits, - and _ among them",
                    remedy="Leave it out to have one made",
                )
        if write is not None and write == read:
            raise AwlError("The two tokens are the same", remedy="Give two, or leave one out")
        return cls(write or secrets.token_urlsafe(24), read or secrets.token_urlsafe(24))

    def right_of(self, token: str) -> Right | None:
        """What a token allows; None where it is none of these."""
        # Both are compared, and each in constant time: how long it takes tells nothing.
        writes, reads = _same(token, self.write), _same(token, self.read)
        return "write" if writes else "read" if reads else None

    def of_form(self, study: str, form: str) -> str:
        """The token of a form, which allows that form alone; the same as long as the token that writes is."""
        return hmac.new(self.write.encode(), f"form {study}/{form}".encode(), hashlib.sha256).hexdigest()[:32]

    def is_of_form(self, token: str, study: str, form: str) -> bool:
        """Whether a token is that of a form."""
        return _same(token, self.of_form(study, form))


def _same(token: str, other: str) -> bool:
    return hmac.compare_digest(token.encode(errors="replace"), other.encode())


def _is_plain(token: str) -> bool:
    return all(sign.isalnum() or sign in "-_" for sign in token)
