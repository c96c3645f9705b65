"""Limits that every reader keeps: a file is hostile until read."""

from __future__ import annotations

import errno
import lzma
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from awl.core.errors import AwlError

MAX_BYTES = 4 << 30
"""Largest file taken in, packed or not."""
MAX_FEATURES = 5_000_000
MAX_ROWS = 10_000_000
"""Rows of a table without shapes."""
MAX_FIELDS = 500
"""A layer with more fields is refused: no analyst reads so many, and SQLite stops at 2,000."""
MAX_MEMBERS = 1000
"""Files inside an archive."""
SMALL_BYTES = 16 << 20
"""What may unpack at any ratio."""
MAX_RATIO = 200
"""No honest archive of map data packs better than this."""


def check_size(path: Path, most: int = MAX_BYTES) -> None:
    """Refuse a missing, empty or absurdly large file.

    Parameters:
        path: the file.
        most: the most bytes it may have.
    """
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


@contextmanager
def opened_archive(path: Path, source: str) -> Iterator[zipfile.ZipFile]:
    """A zip archive, open; what is wrong with it or with a member of it is told.

    Parameters:
        path: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: it is no archive, or a member is damaged, cut short, locked or packed in a way that is not known.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            yield archive
    except (
        zipfile.BadZipFile,
        zlib.error,
        lzma.LZMAError,
        EOFError,
        OSError,
        RuntimeError,
        ValueError,
        NotImplementedError,
    ) as error:
        if isinstance(error, OSError) and error.errno not in (None, errno.EINVAL):
            raise  # of the disk, not of the archive
        raise AwlError(
            "The archive is damaged, cut short or locked",
            where=source,
            remedy="Pack it again, without a password",
        ) from error


def archive_members(path: Path, source: str) -> list[str]:
    """Names of the files in a zip archive whose sizes and names are within bounds.

    Parameters:
        path: the file.
        source: the name of the file, for messages.

    Raises:
        AwlError: it is no archive, holds too many files, unpacks to more than `MAX_BYTES` or more than `MAX_RATIO` times its
            size, or a name in it leads out of the folder it is unpacked to.
    """
    with opened_archive(path, source) as archive:
        members = [member for member in archive.infolist() if not member.is_dir()]
    unpacked = sum(member.file_size for member in members)
    too_dense = unpacked > SMALL_BYTES and unpacked > MAX_RATIO * path.stat().st_size
    if unpacked > MAX_BYTES or len(members) > MAX_MEMBERS or too_dense:
        raise AwlError("The archive unpacks to more than Awl takes in", where=source, remedy="Filter it first")
    names = [member.filename for member in members]
    for name in names:
        if name.startswith("/") or "\\" in name or ".." in Path(name).parts:
            raise AwlError(
                f"A name in the archive leads out of it ({name[:60]})", where=source, remedy="Pack the files again"
            )
    return names
