"""The array folder beside a study: derived arrays as memory-mappable files. Deleting it loses nothing but time."""

from __future__ import annotations

import json
import logging
import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

import numpy as np

from awl.core.columns import Categorical
from awl.core.graph.street_graph import StreetGraph
from awl.core.graph.turns import FIELDS, TurnRestrictions
from awl.study import npy
from awl.study.litter import SCRATCH

log = logging.getLogger(__name__)
COLUMNS = ("tags", "node_tags")
APART = (*COLUMNS, "costs", "restrictions", "drawn", "highest_ids")
"""Fields of the graph that are no plain array."""
FORMAT = 4
"""Counts the layouts of this folder; a folder of another layout is rebuilt."""


def folder_of(study: Path) -> Path:
    """`NAME.awl` beside `NAME.gpkg`."""
    return study.with_suffix(".awl")


def save_graph(study: Path, revision: str, graph: StreetGraph) -> None:
    """Write the arrays of a graph; they appear whole or not at all, and older ones go.

    Where the disk does not take them nothing is kept: they are read from the tables when they are needed.
    """
    target = folder_of(study) / f"graph-{revision}"
    keep_folder(target, lambda scratch: _write(scratch, graph))
    for old in target.parent.glob("graph-*"):
        if old != target:
            shutil.rmtree(old, ignore_errors=True)


def keep_folder(target: Path, write: Callable[[Path], None]) -> None:
    """Put a folder in place that `write` fills, whole or not at all; nothing is put there where the disk does not take it."""
    scratch = None
    try:
        target.parent.mkdir(exist_ok=True)
        scratch = Path(tempfile.mkdtemp(prefix=f"{SCRATCH}{os.getpid()}-", dir=target.parent))
        write(scratch)
        shutil.rmtree(target, ignore_errors=True)
        scratch.rename(target)
    except OSError as error:
        log.warning("derived arrays are not kept (%s)", error.strerror)
    finally:
        if scratch is not None:
            shutil.rmtree(scratch, ignore_errors=True)


def _write(scratch: Path, graph: StreetGraph) -> None:
    for item in fields(StreetGraph):
        if item.name not in APART:
            np.save(scratch / f"{item.name}.npy", getattr(graph, item.name))
    head: dict[str, Any] = {"format": FORMAT, "drawn": graph.drawn, "costs": list(graph.costs)}
    head["highest_ids"] = graph.highest_ids
    for name in COLUMNS:
        head[name] = {}
        for number, (key, column) in enumerate(getattr(graph, name).items()):
            np.save(scratch / f"{name}-{number}.npy", column.codes)
            head[name][key] = column.values
    for number, pair in enumerate(graph.costs.values()):
        np.save(scratch / f"costs-{number}.npy", pair)
    head["restrictions"] = {}
    for name in FIELDS:
        value = getattr(graph.restrictions, name)
        if isinstance(value, Categorical):
            head["restrictions"][name] = value.values
        np.save(scratch / f"turn-{name}.npy", value.codes if isinstance(value, Categorical) else value)
    (scratch / "head.json").write_text(json.dumps(head))


def load_graph(study: Path, revision: str) -> StreetGraph | None:
    """The graph of that revision, or None when the folder lacks it or is damaged."""
    folder = folder_of(study) / f"graph-{revision}"
    try:
        head = json.loads((folder / "head.json").read_text())
        if head["format"] != FORMAT:
            return None
        arrays: dict[str, Any] = {
            item.name: npy.mapped(folder / f"{item.name}.npy") for item in fields(StreetGraph) if item.name not in APART
        }
        graph = StreetGraph(
            **arrays,
            tags=_columns(folder, "tags", head),
            node_tags=_columns(folder, "node_tags", head),
            costs={key: npy.read(folder / f"costs-{n}.npy") for n, key in enumerate(head["costs"])},
            drawn=bool(head["drawn"]),
            highest_ids=tuple(head["highest_ids"]),
        )
        graph = replace(graph, restrictions=_restrictions(folder, head["restrictions"]))
        complete = len(graph.shape_start) == graph.link_count + 1 and graph.shape_start[-1] == len(graph.shape_m)
    except (OSError, ValueError, EOFError, TypeError, IndexError, KeyError):
        return None
    return graph if complete else None


def _columns(folder: Path, name: str, head: dict[str, Any]) -> dict[str, Categorical]:
    return {
        key: Categorical(npy.read(folder / f"{name}-{number}.npy"), tuple(values))
        for number, (key, values) in enumerate(head[name].items())
    }


def _restrictions(folder: Path, values: dict[str, list[str]]) -> TurnRestrictions:
    loaded = {name: npy.read(folder / f"turn-{name}.npy") for name in FIELDS}
    parts: dict[str, Any] = {
        name: Categorical(array, tuple(values[name])) if name in values else array for name, array in loaded.items()
    }
    return TurnRestrictions(**parts)
