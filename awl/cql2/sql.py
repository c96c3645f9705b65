"""CQL2 text filters and value expressions (OGC 21-065) as SQL with parameters.

The text is parsed by pygeofilter, with the rules for AND, OR and NOT mended (see `_CONDITION`); only fields that exist are
let through, and every value travels as a parameter.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from lark import Lark
from lark.exceptions import LarkError, UnexpectedInput
from pygeofilter import ast
from pygeofilter.backends.evaluator import Evaluator, handle

from awl.core.errors import AwlError

Sql = tuple[str, list[Any]]
MAX_LENGTH = 4000
_TEXT = re.compile(r"'(?:[^']|'')*'")
_QUOTE = "\ue000"
"""Stands for a doubled quote inside a text, which the parser does not know but CQL2 has."""


_CONDITION = """
?condition: conjunction | condition "OR"i conjunction -> or_
?conjunction: condition_1 | conjunction "AND"i condition_1 -> and_
?condition_1: predicate | "NOT"i condition_1 -> not_ | "(" condition ")"

"""
"""CQL2, Annex B: AND binds more tightly than OR, and NOT takes any condition. The package's own rules do neither."""


@cache
def _parser(start: str) -> Lark:
    """The parser of a rule of the grammar; made when it is first used, which takes half a second."""
    import pygeofilter.parsers.cql2_text.parser as cql2

    package = Path(cql2.__file__).parent
    grammar = (package / "grammar.lark").read_text(encoding="utf-8")
    head, rest = grammar.replace("?start: condition", "").split("?condition:", 1)
    predicates = rest[rest.index("?predicate:") :]
    return Lark(
        head + _CONDITION + predicates,
        parser="lalr",
        start=start,
        maybe_placeholders=False,
        transformer=cql2.CQLTransformer(),
        import_paths=[str(package.parent)],
    )


class _ToSql(Evaluator):
    """Each handler returns SQL text and its parameters."""

    def __init__(self, fields: Sequence[str], what: str, types: Mapping[str, str], text: str) -> None:
        self._fields, self._what, self._types, self._text = set(fields), what, types, text

    def _at(self, name: str) -> str:
        """Where a name stands in the text, counted from 1."""
        match = re.search(rf"\b{re.escape(name)}\b", self._text)
        return f" at character {match.start() + 1}" if match else ""

    def _fitting(self, *sides: Any) -> None:
        """Refuse to compare a field with a value of another type; SQLite would do so and find nothing."""
        fields = [side.name for side in sides if isinstance(side, ast.Attribute)]
        for name in fields:
            text = self._types.get(name) == "TEXT"
            for side in sides:
                wrong = isinstance(side, str) != text if isinstance(side, str | int | float) else False
                if name in self._types and wrong:
                    raise AwlError(
                        f"'{name}' holds {'text' if text else 'numbers'} and is compared with {side!r}{self._at(name)}",
                        where=self._what,
                        remedy=f"Write {name} = 'some text'" if text else f"Write {name} > 3",
                        inputs=(self._what,),
                    )

    @handle(ast.Attribute)
    def attribute(self, node: ast.Attribute) -> Sql:
        if node.name not in self._fields:
            raise AwlError(
                f"There is no field '{node.name}'{self._at(node.name)}",
                where=self._what,
                remedy=f"Fields are: {', '.join(sorted(self._fields))}",
                inputs=(self._what,),
            )
        return f'"{node.name}"', []

    @handle(str, int, float, bool)
    def literal(self, node: Any) -> Sql:
        return "?", [node.replace(_QUOTE, "'") if isinstance(node, str) else node]

    @handle(ast.Not)
    def negation(self, _: ast.Not, sub: Sql) -> Sql:
        return f"NOT ({sub[0]})", sub[1]

    @handle(ast.And, ast.Or)
    def combination(self, node: ast.And | ast.Or, lhs: Sql, rhs: Sql) -> Sql:
        return f"({lhs[0]} {node.op.value} {rhs[0]})", lhs[1] + rhs[1]

    @handle(ast.Equal, ast.NotEqual, ast.LessThan, ast.LessEqual, ast.GreaterThan, ast.GreaterEqual)
    def comparison(self, node: Any, lhs: Sql, rhs: Sql) -> Sql:
        self._fitting(node.lhs, node.rhs)
        return f"({lhs[0]} {node.op.value} {rhs[0]})", lhs[1] + rhs[1]

    @handle(ast.Add, ast.Sub, ast.Mul, ast.Div)
    def arithmetic(self, node: Any, lhs: Sql, rhs: Sql) -> Sql:
        for side in (node.lhs, node.rhs):
            text = isinstance(side, str) or (isinstance(side, ast.Attribute) and self._types.get(side.name) == "TEXT")
            if text:
                name = side.name if isinstance(side, ast.Attribute) else side
                raise AwlError(
                    f"'{name}' is text and cannot be reckoned with{self._at(name)}",
                    where=self._what,
                    inputs=(self._what,),
                )
        # Division is of real numbers, as CQL2 has it; SQLite would cut whole ones short.
        left = f"CAST({lhs[0]} AS REAL)" if node.op.value == "/" else lhs[0]
        return f"({left} {node.op.value} {rhs[0]})", lhs[1] + rhs[1]

    @handle(ast.Between)
    def between(self, node: ast.Between, lhs: Sql, low: Sql, high: Sql) -> Sql:
        word = "NOT BETWEEN" if node.not_ else "BETWEEN"
        return f"({lhs[0]} {word} {low[0]} AND {high[0]})", lhs[1] + low[1] + high[1]

    @handle(ast.Like)
    def like(self, node: ast.Like, lhs: Sql) -> Sql:
        word = "NOT LIKE" if node.not_ else "LIKE"
        return f"({lhs[0]} {word} ? ESCAPE '\\')", [*lhs[1], node.pattern.replace(_QUOTE, "'")]

    @handle(ast.In)
    def member(self, node: ast.In, lhs: Sql, *options: Sql) -> Sql:
        self._fitting(node.lhs, *node.sub_nodes)
        word = "NOT IN" if node.not_ else "IN"
        values = [value for option in options for value in option[1]]
        return f"({lhs[0]} {word} ({','.join(option[0] for option in options)}))", lhs[1] + values

    @handle(ast.IsNull)
    def null(self, node: ast.IsNull, lhs: Sql) -> Sql:
        return f"({lhs[0]} IS {'NOT ' if node.not_ else ''}NULL)", lhs[1]


_CONDITIONS, _VALUES = "condition", "expression"
"""Rules of the grammar."""


def to_sql(text: str, fields: Sequence[str], types: Mapping[str, str] | None = None) -> Sql:
    """SQL condition and parameters for a CQL2 filter over a table with `fields`.

    With `types` (SQL type of each field) a number is not compared with a text. Raises `AwlError` with the place in the text
    where it cannot be read.
    """
    return _translated(text, fields, _CONDITIONS, "filter", "kind = 'library' AND seats > 40", types)


def value_to_sql(text: str, fields: Sequence[str], types: Mapping[str, str] | None = None) -> Sql:
    """SQL and parameters for a CQL2 expression that gives a value, such as `length / speed`; NULL where it has none.

    With `types` a text is not reckoned with.
    """
    return _translated(text, fields, _VALUES, "expression", "length / speed", types)


def _translated(
    text: str, fields: Sequence[str], rule: str, what: str, example: str, types: Mapping[str, str] | None = None
) -> Sql:
    if len(text) > MAX_LENGTH:
        raise AwlError(f"The {what} is longer than {MAX_LENGTH} characters", inputs=(what,))
    try:
        tree = _parser(rule).parse(_TEXT.sub(lambda match: "'" + match[0][1:-1].replace("''", _QUOTE) + "'", text))
    except UnexpectedInput as error:
        at = error.column if isinstance(error.column, int) and error.column > 0 else len(text)
        raise AwlError(
            f"The {what} cannot be read at character {at}: '{text[max(at - 1, 0) : at + 20]}'",
            where=what,
            remedy=f"Write CQL2, for example: {example}",
            inputs=(what,),
        ) from error
    except (LarkError, ValueError) as error:
        raise AwlError(f"The {what} cannot be read", where=what, inputs=(what,)) from error
    try:
        sql, parameters = _ToSql([*fields, "fid"], what, types or {}, text).evaluate(tree)
    except NotImplementedError as error:
        raise AwlError(
            f"The {what} uses something Awl does not know yet ({error})",
            where=what,
            remedy="Comparisons, AND, OR, NOT, IN, BETWEEN, LIKE, IS NULL and arithmetic are known",
            inputs=(what,),
        ) from error
    return sql, list(parameters)
