"""What long work is: a function with its arguments, and the room it is done in.

Work crosses over to another process, so a task names a function of a module and arguments that are plain values, never a closure.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from awl.core.errors import AwlError, Cancelled
from awl.core.progress import Progress
from awl.io.geojson import dumps
from awl.server.catalogue import Catalogue
from awl.server.last_played import LastPlayed

JSON = "application/json"


@dataclass
class Workroom:
    """What tasks find where they are done: the studies, and the last answers that can be played."""

    studies: Catalogue
    played: LastPlayed = field(default_factory=LastPlayed)


@dataclass(frozen=True)
class File:
    """A result that is no JSON: its bytes, media type and further headers."""

    data: bytes
    media: str
    headers: dict[str, str] = field(default_factory=dict)

    @classmethod
    def json(cls, value: Any) -> File:
        """A value as JSON."""
        return cls(dumps(value), JSON)


@dataclass(frozen=True)
class Task:
    """Work to do: `function(room, progress, **arguments)`, which gives a `File`, or a value that JSON can hold."""

    function: Callable[..., Any]
    arguments: dict[str, Any]

    def done(self, room: Workroom, progress: Progress) -> File:
        """The result of the work, done here and now.

        Raises:
            AwlError: what was asked for cannot be had.
            Cancelled: somebody has stopped it.
        """
        with progress.running():
            result = self.function(room, progress, **self.arguments)
        return result if isinstance(result, File) else File.json(result)


Outcome = File | AwlError | Cancelled
"""How work ended: with a result, with a fault that is told, or stopped."""


def task(function: Callable[..., Any], **arguments: Any) -> Task:
    """A task of a function of a module."""
    return Task(function, arguments)
