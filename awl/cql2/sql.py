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
MAX_HEIGHT = 900
"""SQLite takes expressions up to a height of 1,000: a chain of sums is as high as it is long."""
MAX_DEPTH = 24
"""SQLite's parser holds at most 100 things that are not finished, a level of parentheses up to three of them."""
LARGEST = 2**63
CONDITION, VALUE = "condition", "expression"
"""Rules of the grammar that a text may be read by."""


@cache
def _parser(start: str) -> Lark:
    """The parser of a rule of the grammar."""
    grammar = Path(__file__).with_name("grammar.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="lalr", start=start, maybe_placeholders=True)


@dataclass(frozen=True)
class _Term:
    """SQL text with its parameters.

    `field` is the name of a field where it is one, `value` a constant; `chain` is the operator of a chain that can go on without
    further parentheses, `inner` what a negation negates, `height` that of the expression.
    """

    sql: str
    parameters: list[Any]
    field: str | None = None
    value: str | float | bool | None = None
    chain: str = ""
    inner: _Term | None = None
    height: int = 1

    def begun(self, chain: str) -> str:
        """The SQL as the beginning of a chain of operators that bind alike."""
        return self.sql[1:-1] if self.chain == chain else self.sql


def _joined(left: _Term, sign: str, right: _Term, chain: str) -> _Term:
    """Two terms with an operator between; a chain grows without parentheses within each other."""
    sql = f"({left.begun(chain)} {sign} {right.sql})"
    return _Term(sql, left.parameters + right.parameters, chain=chain, height=max(left.height, right.height) + 1)


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
        if abs(value) >= LARGEST:
            value = float(value)  # SQLite's whole numbers end there
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
        return _Term(f"({sign}{operand.sql})", operand.parameters, height=operand.height + 1)

    def function(self, name: Token, *_: _Term | None) -> _Term:
        raise AwlError(
            f"The {self._what} uses something Awl does not know yet: the function {name}{self._at(str(name))}",
            where=self._what,
            remedy="Comparisons, AND, OR, NOT, IN, BETWEEN, LIKE, IS NULL and arithmetic are known",
            inputs=(self._what,),
        )

    def arithmetic(self, left: _Term, sign: Token, right: _Term) -> _Term:
        self._check_numbers(left, right)
        if sign != "/":
            return _joined(left, sign, right, "+" if sign in "+-" else sign)
        # Division is of real numbers, as CQL2 has it; SQLite would cut whole ones short.
        if left.chain != "/":
            left = _Term(f"CAST({left.sql} AS REAL)", left.parameters, height=left.height + 1)
        return _joined(left, sign, right, "/")

    # -- conditions --------------------------------------------------------------------------------------------------------

    def either(self, left: _Term, right: _Term) -> _Term:
        return _joined(left, "OR", right, "OR")

    def both(self, left: _Term, right: _Term) -> _Term:
        return _joined(left, "AND", right, "AND")

    def negated(self, condition: _Term) -> _Term:
        if condition.inner is not None:
            return condition.inner
        return _Term(f"NOT ({condition.sql})", condition.parameters, inner=condition, height=condition.height + 1)

    def compared(self, left: _Term, sign: Token, right: _Term) -> _Term:
        self._check_fit(left, right)
        return _joined(left, str(sign), right, "compared")

    def between(self, term: _Term, no: Token | None, low: _Term, high: _Term) -> _Term:
        self._check_fit(term, low, high)
        word = "NOT BETWEEN" if no else "BETWEEN"
        parameters = term.parameters + low.parameters + high.parameters
        height = max(term.height, low.height, high.height) + 1
        return _Term(f"({term.sql} {word} {low.sql} AND {high.sql})", parameters, height=height)

    def like(self, term: _Term, no: Token | None, pattern: Token) -> _Term:
        word = "NOT LIKE" if no else "LIKE"
        parameters = [*term.parameters, *self.text(pattern).parameters]
        return _Term(f"({term.sql} {word} ? ESCAPE '\\')", parameters, height=term.height + 1)

    def member(self, term: _Term, no: Token | None, *options: _Term) -> _Term:
        self._check_fit(term, *options)
        word = "NOT IN" if no else "IN"
        values = [value for option in options for value in option.parameters]
        height = max(one.height for one in (term, *options)) + 1
        listing = ",".join(option.sql for option in options)
        return _Term(f"({term.sql} {word} ({listing}))", term.parameters + values, height=height)

    def null(self, term: _Term, no: Token | None) -> _Term:
        return _Term(f"({term.sql} IS {'NOT ' if no else ''}NULL)", term.parameters, height=term.height + 1)


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
    except RecursionError as error:
        raise AwlError(
            f"The {what} is too long or nested too deep", where=what, remedy="Use IN for many values", inputs=(what,)
        ) from error
    except (LarkError, ValueError) as error:
        raise AwlError(f"The {what} cannot be read", where=what, inputs=(what,)) from error
    if _depth(term.sql) > MAX_DEPTH or term.height > MAX_HEIGHT:
        raise AwlError(f"The {what} is nested too deep", where=what, remedy="Use IN for many values", inputs=(what,))
    return term.sql, term.parameters


def _depth(sql: str) -> int:
    """How deep its parentheses are nested; values are no part of it."""
    depth = most = 0
    for sign in re.findall(r'"(?:[^"]|"")*"|[()]', sql):
        depth += {"(": 1, ")": -1}.get(sign, 0)
        most = max(most, depth)
    return most
