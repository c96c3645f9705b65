"""CQL2 text filters and value expressions (OGC 21-065r2) as SQL with parameters.

The grammar is `grammar.lark`; only fields that exist are let through, and every value travels as a parameter.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import LarkError, UnexpectedInput, VisitError

from awl.core.errors import AwlError

Sql = tuple[str, list[Any]]
MAX_LENGTH = 4000
MAX_DEPTH = 900
"""SQLite takes expressions up to a depth of 1,000."""
CONDITION, VALUE = "condition", "expression"
"""Rules of the grammar that a text may be read by."""


@cache
def _parser(start: str) -> Lark:
    """The parser of a rule of the grammar."""
    grammar = Path(__file__).with_name("grammar.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="lalr", start=start, maybe_placeholders=True)


@dataclass(frozen=True)
class _Term:
    """SQL text with its parameters; `field` is the name of a field where it is one, `value` a constant."""

    sql: str
    parameters: list[Any]
    field: str | None = None
    value: str | float | bool | None = None


@v_args(inline=True)
class _ToSql(Transformer[Token, _Term]):
    """A parsed text as SQL; `types` is the SQL type of each field that is known."""

    def __init__(self, fields: Sequence[str], what: str, types: Mapping[str, str], text: str) -> None:
        super().__init__()
        self._fields, self._what, self._types, self._text = set(fields), what, types, text

    def _at(self, name: str) -> str:
        """Where a name stands in the text, counted from 1."""
        match = re.search(rf"\b{re.escape(name)}\b", self._text)
        return f" at character {match.start() + 1}" if match else ""

    def _check_fit(self, *terms: _Term) -> None:
        """Refuse to compare a field with a value of another type; SQLite would do so and find nothing."""
        for name in (term.field for term in terms if term.field in self._types):
            assert name is not None
            text = self._types[name] == "TEXT"
            wrong = next((t.value for t in terms if t.value is not None and isinstance(t.value, str) != text), None)
            if wrong is not None:
                raise AwlError(
                    f"'{name}' holds {'text' if text else 'numbers'} and is compared with {wrong!r}{self._at(name)}",
                    where=self._what,
                    remedy=f"Write {name} = 'some text'" if text else f"Write {name} > 3",
                    inputs=(self._what,),
                )

    def _check_numbers(self, *terms: _Term) -> None:
        for term in terms:
            if isinstance(term.value, str) or (term.field is not None and self._types.get(term.field) == "TEXT"):
                name = str(term.field if term.field is not None else term.value)
                raise AwlError(
                    f"'{name}' is text and cannot be reckoned with{self._at(name)}",
                    where=self._what,
                    inputs=(self._what,),
                )

    # -- operands ----------------------------------------------------------------------------------------------------------

    def field(self, token: Token) -> _Term:
        return self._named(str(token))

    def quoted(self, token: Token) -> _Term:
        return self._named(token[1:-1].replace('""', '"'))

    def _named(self, name: str) -> _Term:
        if name not in self._fields:
            raise AwlError(
                f"There is no field '{name}'{self._at(name)}",
                where=self._what,
                remedy=f"Fields are: {', '.join(sorted(self._fields))}",
                inputs=(self._what,),
            )
        return _Term('"' + name.replace('"', '""') + '"', [], field=name)

    def number(self, token: Token) -> _Term:
        value = float(token) if re.search("[.eE]", token) else int(token)
        return _Term("?", [value], value=value)

    def text(self, token: Token) -> _Term:
        value = token[1:-1].replace("''", "'")
        return _Term("?", [value], value=value)

    def truth(self, token: Token) -> _Term:
        value = token.upper() == "TRUE"
        return _Term("?", [value], value=value)

    def signed(self, sign: Token, operand: _Term) -> _Term:
        self._check_numbers(operand)
        if isinstance(operand.value, int | float):
            value = -operand.value if sign == "-" else operand.value
            return _Term("?", [value], value=value)
        return _Term(f"({sign}{operand.sql})", operand.parameters)

    def function(self, name: Token, *_: _Term | None) -> _Term:
        raise AwlError(
            f"The {self._what} uses something Awl does not know yet: the function {name}{self._at(str(name))}",
            where=self._what,
            remedy="Comparisons, AND, OR, NOT, IN, BETWEEN, LIKE, IS NULL and arithmetic are known",
            inputs=(self._what,),
        )

    def arithmetic(self, left: _Term, sign: Token, right: _Term) -> _Term:
        self._check_numbers(left, right)
        # Division is of real numbers, as CQL2 has it; SQLite would cut whole ones short.
        first = f"CAST({left.sql} AS REAL)" if sign == "/" else left.sql
        return _Term(f"({first} {sign} {right.sql})", left.parameters + right.parameters)

    # -- conditions --------------------------------------------------------------------------------------------------------

    def either(self, left: _Term, right: _Term) -> _Term:
        return _Term(f"({left.sql} OR {right.sql})", left.parameters + right.parameters)

    def both(self, left: _Term, right: _Term) -> _Term:
        return _Term(f"({left.sql} AND {right.sql})", left.parameters + right.parameters)

    def negated(self, condition: _Term) -> _Term:
        return _Term(f"NOT ({condition.sql})", condition.parameters)

    def compared(self, left: _Term, sign: Token, right: _Term) -> _Term:
        self._check_fit(left, right)
        return _Term(f"({left.sql} {sign} {right.sql})", left.parameters + right.parameters)

    def between(self, term: _Term, no: Token | None, low: _Term, high: _Term) -> _Term:
        self._check_fit(term, low, high)
        word = "NOT BETWEEN" if no else "BETWEEN"
        parameters = term.parameters + low.parameters + high.parameters
        return _Term(f"({term.sql} {word} {low.sql} AND {high.sql})", parameters)

    def like(self, term: _Term, no: Token | None, pattern: Token) -> _Term:
        word = "NOT LIKE" if no else "LIKE"
        return _Term(f"({term.sql} {word} ? ESCAPE '\\')", [*term.parameters, *self.text(pattern).parameters])

    def member(self, term: _Term, no: Token | None, *options: _Term) -> _Term:
        self._check_fit(term, *options)
        word = "NOT IN" if no else "IN"
        values = [value for option in options for value in option.parameters]
        return _Term(f"({term.sql} {word} ({','.join(option.sql for option in options)}))", term.parameters + values)

    def null(self, term: _Term, no: Token | None) -> _Term:
        return _Term(f"({term.sql} IS {'NOT ' if no else ''}NULL)", term.parameters)


def to_sql(text: str, fields: Sequence[str], types: Mapping[str, str] | None = None) -> Sql:
    """SQL condition and parameters for a CQL2 filter over a table with `fields`.

    With `types` (SQL type of each field) a number is not compared with a text. Raises `AwlError` with the place in the text
    where it cannot be read.
    """
    return _translated(text, fields, CONDITION, "filter", "kind = 'library' AND seats > 40", types)


def value_to_sql(text: str, fields: Sequence[str], types: Mapping[str, str] | None = None) -> Sql:
    """SQL and parameters for a CQL2 expression that gives a value, such as `length / speed`; NULL where it has none.

    With `types` a text is not reckoned with.
    """
    return _translated(text, fields, VALUE, "expression", "length / speed", types)


def _translated(
    text: str, fields: Sequence[str], rule: str, what: str, example: str, types: Mapping[str, str] | None = None
) -> Sql:
    if len(text) > MAX_LENGTH:
        raise AwlError(f"The {what} is longer than {MAX_LENGTH} characters", inputs=(what,))
    try:
        term = _ToSql([*fields, "fid"], what, types or {}, text).transform(_parser(rule).parse(text))
    except UnexpectedInput as error:
        at = error.column if isinstance(error.column, int) and error.column > 0 else len(text)
        raise AwlError(
            f"The {what} cannot be read at character {at}: '{text[max(at - 1, 0) : at + 20]}'",
            where=what,
            remedy=f"Write CQL2 (no spatial, temporal or array operators), for example: {example}",
            inputs=(what,),
        ) from error
    except VisitError as error:
        raise error.orig_exc from error
    except (LarkError, ValueError, RecursionError) as error:
        raise AwlError(f"The {what} cannot be read", where=what, inputs=(what,)) from error
    if _depth(term.sql) > MAX_DEPTH:
        raise AwlError(f"The {what} is nested too deep", where=what, remedy="Use IN for many values", inputs=(what,))
    return term.sql, term.parameters


def _depth(sql: str) -> int:
    """How deep its parentheses are nested; values are no part of it."""
    depth = most = 0
    for sign in re.findall(r'"(?:[^"]|"")*"|[()]', sql):
        depth += {"(": 1, ")": -1}.get(sign, 0)
        most = max(most, depth)
    return most
