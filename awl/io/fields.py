"""Fields that somebody names are those a table has."""

from __future__ import annotations

from collections.abc import Collection

from awl.core.errors import AwlError


def check_field(field: str, fields: Collection[str], what: str, inputs: tuple[str, ...], where: str = "") -> None:
    """Refuse a field a table does not have; `what` names the table.

    Parameters:
        field: the field that is asked for.
        fields: the fields there are.
        what: what the table is called.
        inputs: the inputs that named it.
        where: where it was named, for the message.
    """
    if field not in fields:
        raise AwlError(
            f"{what} no field '{field}'",
            where=where,
            remedy=f"Fields are: {', '.join(fields) or 'none'}",
            inputs=inputs,
            kind="no-such-field",
        )


def check_key(key: str, fields: Collection[str], source: str) -> None:
    """Refuse a key that is none of the fields of a layer; `source` names the layer or its file for the message.

    Parameters:
        key: the key that is asked for.
        fields: the fields there are.
        source: the name of the file, for messages.
    """
    check_field(key, fields, "The layer has", ("key",), source)
