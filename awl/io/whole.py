"""Files that appear under their name once they are complete, or not at all."""

from __future__ import annotations

from pathlib import Path

from awl.core.errors import AwlError


def write_whole(path: Path, data: bytes) -> None:
    """Write a file; raises `AwlError` where the disk does not take it, and leaves what stood there.

    Parameters:
        path: the file.
        data: its content.
    """
    scratch = path.with_name(f".{path.name}.new")
    try:
        scratch.write_bytes(data)
        scratch.replace(path)
    except OSError as error:
        scratch.unlink(missing_ok=True)
        raise AwlError(f"The file cannot be written ({error.strerror})", where=str(path)) from error
