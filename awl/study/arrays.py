"""The array folder beside a study: derived arrays as memory-mappable files. Deleting it loses nothing but time."""

from __future__ import annotations

import json
import shutil
import tempfile
from dataclasses import fields
from pathlib import Path

import numpy as np

from awl.core.columns import Categorical
from awl.core.streets.graph import StreetGraph


def folder_of(study: Path) -> Path:
    """`NAME.awl` beside `NAME.gpkg`."""
    return study.with_suffix(".awl")


def save_graph(study: Path, stamp: str, graph: StreetGraph) -> None:
    """Write the arrays of a graph; they appear whole or not at all, and older ones go."""
    parent = folder_of(study)
    parent.mkdir(exist_ok=True)
    target = parent / f"graph-{stamp}"
    scratch = Path(tempfile.mkdtemp(prefix=".new-", dir=parent))
    for item in fields(StreetGraph):
        if item.name != "tags":
            np.save(scratch / f"{item.name}.npy", getattr(graph, item.name))
    vocabulary = {}
    for number, (key, column) in enumerate(graph.tags.items()):
        np.save(scratch / f"tag-{number}.npy", column.codes)
        vocabulary[key] = column.values
    (scratch / "tags.json").write_text(json.dumps(vocabulary))
    shutil.rmtree(target, ignore_errors=True)
    scratch.rename(target)
    for old in parent.glob("graph-*"):
        if old != target:
            shutil.rmtree(old, ignore_errors=True)


def load_graph(study: Path, stamp: str) -> StreetGraph | None:
    """The graph of that stamp, or None when the folder lacks it or is damaged."""
    folder = folder_of(study) / f"graph-{stamp}"
    try:
        arrays = {
            item.name: np.load(folder / f"{item.name}.npy", mmap_mode="r")
            for item in fields(StreetGraph)
            if item.name != "tags"
        }
        vocabulary = json.loads((folder / "tags.json").read_text())
        tags = {
            key: Categorical(np.load(folder / f"tag-{number}.npy"), tuple(values))
            for number, (key, values) in enumerate(vocabulary.items())
        }
        graph = StreetGraph(**arrays, tags=tags)
        whole = len(graph.shape_start) == graph.link_count + 1 and graph.shape_start[-1] == len(graph.shape_m)
    except (OSError, ValueError, EOFError, TypeError, IndexError):
        return None
    return graph if whole else None
