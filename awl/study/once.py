"""Things that take long to make and are made once, while nobody waits but those who need them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

Value = TypeVar("Value")


class Once(Generic[Value]):
    """Something made when it is first asked for; whoever else asks meanwhile waits for it, and for nothing else."""

    def __init__(self, make: Callable[[], Value]) -> None:
        self._make, self._lock = make, threading.Lock()

    @classmethod
    def of(cls, value: Value) -> Once[Value]:
        """Something that was made already."""
        entry = cls(lambda: value)
        entry.value()
        return entry

    def value(self) -> Value:
        """What was made; where making it fails, whoever asks next tries again."""
        with self._lock:
            if not hasattr(self, "_value"):
                self._value = self._make()
            return self._value

    def known(self) -> Value | None:
        """What was made, None where it was not made yet."""
        return getattr(self, "_value", None)
