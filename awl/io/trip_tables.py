"""Read tables of trips between places known by their ids: CSV, XLSX, Parquet, and matrices as OMX."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import h5py
import numpy as np
from pyarrow import ArrowException, parquet

from awl.core.errors import AwlError
from awl.io import place_tables
from awl.io.limits import MAX_FEATURES, MAX_FIELDS, check_size

ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".parquet", ".omx")
ORIGIN_NAMES = ("origin_id", "origin", "from", "from_id", "from_zone", "o")
DESTINATION_NAMES = ("destination_id", "destination", "to", "to_id", "to_zone", "d")
COUNT_NAMES = ("count", "trips", "number", "flow", "volume")
MOST_CELLS = 50_000_000
"""Cells of a matrix."""
SIMPLE = ("int", "uint", "float", "double", "halffloat", "string", "large_string", "bool", "dictionary", "decimal")


def columns(path: Path, source: str) -> dict[str, list[Any]]:
    """The columns of a table of trips; of matrices `origin_id`, `destination_id`, and one for each matrix.

    Parameters:
        path: the file.
        source: its name, for messages and for the format.

    Raises:
        AwlError: the file cannot be read, or holds more than Awl takes in.
    """
    ending = Path(source).suffix.lower()
    if ending == ".parquet":
        return _parquet(path, source)
    return _omx(path, source) if ending == ".omx" else place_tables.plain_rows(path, source)


def guessed(names: list[str], known: tuple[str, ...]) -> str | None:
    """The first of some usual names that is among the columns.

    Parameters:
        names: the columns.
        known: usual names, best first.
    """
    lower = {name.lower(): name for name in reversed(names)}
    return next((lower[name] for name in known if name in lower), None)


def _parquet(path: Path, source: str) -> dict[str, list[Any]]:
    check_size(path)
    try:
        file = parquet.ParquetFile(path)
        if file.metadata.num_rows > MAX_FEATURES or file.metadata.num_columns > MAX_FIELDS:
            raise AwlError(
                "The table has more rows or fields than Awl takes in", where=source, remedy="Filter it first"
            )
        simple = [field.name for field in file.schema_arrow if str(field.type).startswith(SIMPLE)]
        return dict(file.read(simple).to_pydict())
    except (ArrowException, OSError, ValueError) as error:
        raise AwlError(
            f"The file is no Parquet that can be read ({error})", where=source, remedy="Save it again"
        ) from error


def _omx(path: Path, source: str) -> dict[str, list[Any]]:
    """Matrices of one file as rows; pairs that are nothing in all of them are none."""
    check_size(path)
    try:
        with h5py.File(path, "r") as file:
            matrices = _own_datasets(file, "data", source)
            lookups = _own_datasets(file, "lookup", source) if "lookup" in file else {}
            shapes = {tuple(one.shape) for one in matrices.values()}
            if len(shapes) != 1 or len(shape := next(iter(shapes))) != 2:
                raise AwlError("Its matrices are not of one size", where=source, remedy="Write them as OMX again")
            if shape[0] * shape[1] > MOST_CELLS or len(matrices) > MAX_FIELDS:
                raise AwlError("Its matrices have more cells than Awl takes in", where=source, remedy="Cut them first")
            values = {name: np.asarray(one[()], np.float64) for name, one in matrices.items()}
            origins, destinations = (_idents(lookups, size, dim) for dim, size in enumerate(shape))
    except (OSError, KeyError, ValueError, TypeError, RuntimeError) as error:
        raise AwlError(
            f"The file is no OMX that can be read ({error})", where=source, remedy="Write it again"
        ) from error
    used = np.any([np.isfinite(one) & (one != 0) for one in values.values()], axis=0)
    row, column = np.nonzero(used)
    table: dict[str, list[Any]] = {
        "origin_id": [origins[i] for i in row.tolist()], "destination_id": [destinations[i] for i in column.tolist()],
    }  # fmt: skip
    return table | {name: one[row, column].tolist() for name, one in values.items()}


def _own_datasets(file: Any, group: str, source: str) -> dict[str, Any]:
    """Datasets of a group that lie in the file itself: links and outside storage could lead to any file of this machine."""
    datasets = {}
    if group not in file or not isinstance(file.get(group, getlink=True), h5py.HardLink):
        raise AwlError(f"The file has no group '{group}'", where=source, remedy="Write it as OMX 0.2")
    for name in file[group]:
        if not isinstance(file[group].get(name, getlink=True), h5py.HardLink):
            raise AwlError(f"'{name[:60]}' lies in another file", where=source, remedy="Write it as OMX again")
        one = file[group][name]
        if not isinstance(one, h5py.Dataset):
            continue
        if one.is_virtual or one.external:
            raise AwlError(f"'{name[:60]}' lies in another file", where=source, remedy="Write it as OMX again")
        datasets[name] = one
    if not datasets:
        raise AwlError(f"The group '{group}' is empty", where=source, remedy="Write it as OMX again")
    return datasets


def _idents(lookups: dict[str, Any], size: int, dim: int) -> list[Any]:
    """Ids of rows (0) or columns (1) by the lookup of that dimension; numbers from 1 where there is none."""
    fitting = {
        name: one for name, one in lookups.items() if one.shape == (size,) and int(one.attrs.get("DIM", dim)) == dim
    }
    if not fitting:
        return list(range(1, size + 1))
    values = next(iter(fitting.values()))[()].tolist()
    return [value.decode("utf-8", "replace") if isinstance(value, bytes) else value for value in values]
