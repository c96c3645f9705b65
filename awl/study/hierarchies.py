"""Prepared hierarchies beside a study: one folder for each way in which states hang together, checked before it is trusted."""

from __future__ import annotations

import hashlib
import json
import shutil
import tempfile
import zlib
from dataclasses import fields
from pathlib import Path

import numpy as np

from awl.core.engine.hierarchy import Hierarchy
from awl.core.engine.topology import Topology
from awl.core.modes.network import Network
from awl.study.arrays import folder_of

FORMAT = 2
KEPT = 12
"""Folders that stay; of more the oldest go."""
NAMES = tuple(item.name for item in fields(Topology))


def hierarchy_of(study: Path, network: Network) -> Hierarchy:
    """The hierarchy of a network, from the folder beside the study or made anew and kept there."""
    folder = folder_of(study) / f"hierarchy-{_digest(network)}"
    topology = _loaded(folder, network)
    if topology is not None:
        return Hierarchy(topology)
    made = Hierarchy.of(network)
    _save(folder, made.topology)
    return made


def _digest(network: Network) -> str:
    """A name for how the states of a network hang together and where they lie."""
    graph, steps = network.graph, network.states.steps
    digest = hashlib.sha256(f"{FORMAT} {network.states.count}".encode())
    for array in (steps.tail, steps.head, network.states.node, graph.node_lon, graph.node_lat):
        digest.update(np.ascontiguousarray(array).tobytes())
    return digest.hexdigest()[:24]


def _save(folder: Path, topology: Topology) -> None:
    folder.parent.mkdir(exist_ok=True)
    scratch = Path(tempfile.mkdtemp(prefix=".new-", dir=folder.parent))
    for name in NAMES:
        np.save(scratch / f"{name}.npy", getattr(topology, name))
    sums = {name: zlib.crc32((scratch / f"{name}.npy").read_bytes()) for name in NAMES}
    (scratch / "head.json").write_text(json.dumps(sums))
    shutil.rmtree(folder, ignore_errors=True)
    scratch.rename(folder)
    for old in sorted(folder.parent.glob("hierarchy-*"), key=lambda path: -path.stat().st_mtime)[KEPT:]:
        shutil.rmtree(old, ignore_errors=True)


def _loaded(folder: Path, network: Network) -> Topology | None:
    """The topology of a folder; None when it is not there, damaged or of other states."""
    try:
        sums = json.loads((folder / "head.json").read_text())
        if any(zlib.crc32((folder / f"{name}.npy").read_bytes()) != sums[name] for name in NAMES):
            return None
        # Copy on write, as plain arrays: kernels are compiled for arrays that may be written.
        arrays = {name: np.asarray(np.load(folder / f"{name}.npy", mmap_mode="c")) for name in NAMES}
        topology = Topology(**arrays)
        fits = len(topology.rank) == network.states.count and len(topology.edge) == len(network.states.steps)
        whole = len(topology.start) == topology.count + 1 and topology.start[-1] == len(topology.head)
    except (OSError, ValueError, EOFError, KeyError, TypeError):
        return None
    return topology if fits and whole else None
