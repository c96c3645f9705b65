"""What kernels of the reader are given together: bytes with the keys that matter, and room for what they find."""

from __future__ import annotations

from typing import Any, NamedTuple


class Group(NamedTuple):
    """Bytes of a block from `start` to `stop`, the key (s,) that each of its strings spells, and which keys select an element.

    A string that spells no key has -1.
    """

    content: Any
    start: Any
    stop: Any
    key_of: Any
    selects: Any


class TagRoom(NamedTuple):
    """Room for tags: the element of each, its key, and its value, a string number."""

    row: Any
    key: Any
    value: Any


class MemberRoom(NamedTuple):
    """Room for members of relations: where those of each end; of each its id, type and role, a string number."""

    end: Any
    id: Any
    kind: Any
    role: Any
