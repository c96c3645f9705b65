"""What faults of disks and databases mean to who uses Awl, without the paths of this machine."""

from __future__ import annotations

import errno
import sqlite3
from typing import NamedTuple

from awl.core.errors import AwlError


class Explanation(NamedTuple):
    """How a fault is told."""

    what: str
    remedy: str
    status: int
    kind: str


FULL = Explanation("The disk is full", "Free some space and try again; what was saved before stands", 507, "disk-full")
READ_ONLY = Explanation(
    "The study cannot be written: its file or folder is read-only",
    "Give the right to write, or work on a copy",
    409,
    "read-only",
)
DAMAGED = Explanation(
    "The file of the study is damaged", "See 'awl check --file', and put a copy in its place", 422, "damaged"
)
BUSY = Explanation("Another program is writing the study", "Try again in a moment", 503, "busy")
TOO_LONG = Explanation("A query on the study took too long and was ended", "Ask for less at once", 422, "too-long")
UNSTEADY = Explanation(
    "The disk does not answer as it should", "Check it; what was written before stands", 500, "storage"
)

OF_DATABASE = {
    sqlite3.SQLITE_FULL: FULL,
    sqlite3.SQLITE_READONLY: READ_ONLY,
    sqlite3.SQLITE_PERM: READ_ONLY,
    sqlite3.SQLITE_CANTOPEN: READ_ONLY,
    sqlite3.SQLITE_CORRUPT: DAMAGED,
    sqlite3.SQLITE_NOTADB: DAMAGED,
    sqlite3.SQLITE_FORMAT: DAMAGED,
    sqlite3.SQLITE_BUSY: BUSY,
    sqlite3.SQLITE_LOCKED: BUSY,
    sqlite3.SQLITE_INTERRUPT: TOO_LONG,
    sqlite3.SQLITE_IOERR: UNSTEADY,
}
OF_FILES = {
    errno.ENOSPC: FULL,
    errno.EDQUOT: FULL,
    errno.EACCES: READ_ONLY,
    errno.EPERM: READ_ONLY,
    errno.EROFS: READ_ONLY,
}


def storage_fault(error: BaseException) -> AwlError | None:
    """The fault as it is told; None where the error is none of storage.

    Parameters:
        error: what was raised.
    """
    explanation = None
    if isinstance(error, sqlite3.Error):
        explanation = OF_DATABASE.get(
            getattr(error, "sqlite_errorcode", 0) & 0xFF
        )  # the rest says where it was noticed
    elif isinstance(error, OSError):
        explanation = OF_FILES.get(error.errno or 0)
    return None if explanation is None else AwlError(**explanation._asdict())
