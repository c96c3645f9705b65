"""Limits that every reader keeps: a file is hostile until read."""

from __future__ import annotations

from pathlib import Path

from awl.core.errors import AwlError

MAX_BYTES = 4 << 30
"""Largest file taken in."""
MAX_FEATURES = 5_000_000
MAX_FIELDS = 500
"""A layer with more fields is refused: no analyst reads so many, and SQLite stops at 2,000."""


def check_size(path: Path, most: int = MAX_BYTES) -> None:
    """Refuse a missing, empty or absurdly large file."""
    if not path.is_file():
        raise AwlError("There is no such file", where=str(path), remedy="Check the path", kind="no-such-file")
    size = path.stat().st_size
    if size == 0:
        raise AwlError("The file is empty", where=path.name, remedy="Check how it was saved")
    if size > most:
        raise AwlError(
            f"The file has {size / 2**30:.1f} GB, more than the {most / 2**30:.0f} GB Awl takes in",
            where=path.name,
            remedy="Cut it to the study area first",
        )
