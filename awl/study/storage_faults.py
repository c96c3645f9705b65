"""What faults of disks and databases mean to who uses Awl, without the paths of this machine."""

from __future__ import annotations

import errno
import sqlite3

from awl.core.errors import AwlError

DAMAGED = (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_FORMAT)
READ_ONLY = (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM, sqlite3.SQLITE_CANTOPEN)
BUSY = (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)


def storage_fault(error: BaseException) -> AwlError | None:
    """The fault as it is told; None where the error is none of storage.

    Parameters:
        error: what was raised.
    """
    if isinstance(error, sqlite3.Error):
        return _of_database(getattr(error, "sqlite_errorcode", 0) & 0xFF)
    if isinstance(error, OSError):
        return _of_files(error)
    return None


def _of_database(code: int) -> AwlError | None:
    if code == sqlite3.SQLITE_FULL:
        return _full()
    if code in READ_ONLY:
        return _read_only()
    if code in DAMAGED:
        return AwlError(
            "The file of the study is damaged",
            remedy="See 'awl check --file', and put a copy in its place",
            status=422,
            kind="damaged",
        )
    if code in BUSY:
        return AwlError("Another program is writing the study", remedy="Try again in a moment", status=503, kind="busy")
    if code == sqlite3.SQLITE_INTERRUPT:
        return AwlError(
            "A query on the study took too long and was ended",
            remedy="Ask for less at once",
            status=422,
            kind="too-long",
        )
    if code == sqlite3.SQLITE_IOERR:
        return AwlError(
            "The disk does not answer as it should",
            remedy="Check it; what was written before stands",
            status=500,
            kind="storage",
        )
    return None


def _of_files(error: OSError) -> AwlError | None:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return _full()
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return _read_only()
    return None


def _full() -> AwlError:
    return AwlError(
        "The disk is full",
        remedy="Free some space and try again; what was saved before stands",
        status=507,
        kind="disk-full",
    )


def _read_only() -> AwlError:
    return AwlError(
        "The study cannot be written: its file or folder is read-only",
        remedy="Give the right to write, or work on a copy",
        status=409,
        kind="read-only",
    )
