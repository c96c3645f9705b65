"""The files of a feed, in a zip archive or a folder, read as streams within bounds."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

import pyarrow as pa
from pyarrow import csv as arrow_csv

from awl.core.errors import AwlError
from awl.core.progress import raise_if_cancelled
from awl.io.gtfs.specification import FILES, REQUIRED
from awl.io.limits import archive_members, check_size

BLOCK_BYTES = 8 << 20
"""What is read at once; no row may be longer."""


@dataclass(frozen=True)
class Source:
    """The files of a feed.

    Attributes:
        name: that of the archive or folder, for messages.
        open_file: opens one of them for reading bytes.
        files: the names of those that are there and are read.
        others: names of further files, which are not read.
    """

    name: str
    open_file: Callable[[str], IO[bytes]]
    files: frozenset[str]
    others: tuple[str, ...] = ()

    def batches(self, file: str, breaks: bool = False) -> Iterator[pa.RecordBatch]:
        """The rows of a file as text, some at a time; columns that the file lacks are not among them.

        Parameters:
            file: its name.
            breaks: whether a quoted cell may hold a line break, which takes longer to read.

        Raises:
            AwlError: the file has no header, lacks a required field, is no CSV in UTF-8, or has too many rows.
        """
        fields = FILES[file]
        rows = 0
        with self._reading(file) as stream:
            header = self._header(file, stream)
            has_rows = bool(stream.read(1))
        for name in fields.required:
            if name not in header:
                raise AwlError(
                    f"The field '{name}' is missing",
                    where=f"{self.name}, {file}, line 1",
                    remedy="The specification requires it; ask whoever published the feed",
                )
        wanted = [name for name in fields.all if name in header]
        if not has_rows:
            return
        with self._reading(file) as stream:
            reader = arrow_csv.open_csv(
                stream,
                arrow_csv.ReadOptions(block_size=BLOCK_BYTES, column_names=header, skip_rows=1, use_threads=True),
                arrow_csv.ParseOptions(newlines_in_values=breaks),
                arrow_csv.ConvertOptions(
                    include_columns=wanted,
                    column_types={name: pa.string() for name in wanted},
                    strings_can_be_null=True,
                    null_values=[""],
                    quoted_strings_can_be_null=True,
                ),
            )
            for batch in reader:
                raise_if_cancelled()
                rows += batch.num_rows
                if rows > fields.most_rows:
                    raise AwlError(
                        f"It has more than {fields.most_rows:,} rows, more than Awl takes in",
                        where=f"{self.name}, {file}",
                        remedy="Cut the feed to the area and the days you need",
                    )
                yield batch

    @contextmanager
    def _reading(self, file: str) -> Iterator[IO[bytes]]:
        """The bytes of a file; what cannot be read is told in a user's words."""
        try:
            with self.open_file(file) as stream:
                yield stream
        except pa.ArrowInvalid as error:
            raise _unreadable(self.name, file, str(error)) from error
        except (zipfile.BadZipFile, zlib.error, EOFError, OSError, RuntimeError, NotImplementedError) as error:
            where = f"{self.name}, {file}"
            raise AwlError(
                "The file ends too soon, is damaged or locked", where=where, remedy="Fetch it again"
            ) from error

    def table(self, file: str) -> pa.Table:
        """All rows of a file as text, with every field that is read; none where the file is not there.

        Parameters:
            file: its name.
        """
        schema = pa.schema([(name, pa.string()) for name in FILES[file].all])
        if file not in self.files:
            return schema.empty_table()
        batches = list(self.batches(file, breaks=True))
        if not batches:
            return schema.empty_table()
        table = pa.Table.from_batches(batches)
        for name in FILES[file].all:
            if name not in table.column_names:
                table = table.append_column(name, pa.nulls(table.num_rows, pa.string()))
        return table.combine_chunks()

    def _header(self, file: str, stream: IO[bytes]) -> list[str]:
        """The names of the columns, in their order, without spaces and the mark at the begin."""
        line = stream.readline(1 << 16)
        try:
            text = line.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise _unreadable(self.name, file, "invalid UTF8") from error
        if not text.strip():
            return []
        names = [name.strip().strip('"').strip() for name in text.rstrip("\r\n").split(",")]
        if len(names) > 200:
            raise AwlError(
                "It has more than 200 columns", where=f"{self.name}, {file}, line 1", remedy="Check the file"
            )
        # Columns of one name would be mistaken for each other; the first counts.
        seen: set[str] = set()
        unique = []
        for number, name in enumerate(names):
            unique.append(name if name not in seen else f"{name} ({number})")
            seen.add(name)
        return unique


def _unreadable(name: str, file: str, message: str) -> AwlError:
    where = f"{name}, {file}"
    if "UTF8" in message or "UTF-8" in message:
        return AwlError(
            "The file is not text in UTF-8", where=where, remedy="Save it as UTF-8, as the specification asks"
        )
    if "Expected" in message and "columns" in message:
        # Arrow says: CSV parse error: Expected 3 columns, got 2: the row
        return AwlError(
            f"A row has another number of cells than the header ({message[:120]})", where=where, remedy="Mend that row"
        )
    return AwlError(f"The file is no readable CSV ({message[:120]})", where=where, remedy="Fetch or export it again")


def names_in(path: Path) -> dict[str, str]:
    """The files of a feed in an archive or folder: where each lies, by its name; those in one folder of an archive as well.

    Parameters:
        path: a zip archive or a folder.
    """
    if path.is_dir():
        return {item.name: item.name for item in sorted(path.iterdir()) if item.is_file()}
    members = archive_members(path, path.name)
    return {Path(name).name: name for name in members if len(Path(name).parts) <= 2 and "__MACOSX" not in name}


@contextmanager
def opened(path: Path) -> Iterator[Source]:
    """The files of a feed.

    Parameters:
        path: a zip archive or a folder.

    Raises:
        AwlError: it is neither, or a required file is missing.
    """
    if not path.is_dir():
        check_size(path)
    names = names_in(path)
    for required in REQUIRED:
        if required not in names:
            raise AwlError(
                f"The feed has no {required}", where=path.name, remedy="A feed needs it; check what was packed"
            )
    others = tuple(sorted(name for name in names if name not in FILES))
    known = frozenset(names) & frozenset(FILES)
    if path.is_dir():
        for name in known:
            if (path / name).stat().st_size:
                check_size(path / name)
        yield Source(path.name, lambda name: (path / name).open("rb"), known, others)
        return
    with zipfile.ZipFile(path) as archive:
        yield Source(path.name, lambda name: archive.open(names[name]), known, others)
