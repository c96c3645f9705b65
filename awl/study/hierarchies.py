"""Prepared hierarchies beside a study: one folder for each way in which states hang together."""

from __future__ import annotations

from dataclasses import fields
from pathlib import Path

import numpy as np

from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.topology import Topology
from awl.study import kept

LAYOUT = 4
NAMES = tuple(item.name for item in fields(Topology))


def hierarchy_of(study: Path, network: Network, progress: Progress | None = None) -> Hierarchy:
    """The hierarchy of a network, read from the folder beside the study, or made and stored there."""
    graph, steps = network.graph, network.states.steps
    made_of = (steps.tail, steps.head, network.states.node, graph.node_lon, graph.node_lat)
    folder = kept.place_of(study, "hierarchy", (np.array([network.states.count]), *made_of), LAYOUT)
    topology = _loaded(folder, network)
    if topology is not None:
        return Hierarchy(topology)
    with kept.alone(folder):
        topology = _loaded(folder, network)  # another process may have made it meanwhile
        if topology is not None:
            return Hierarchy(topology)
        hierarchy = Hierarchy.of(network, progress)
        kept.save(folder, {name: getattr(hierarchy.topology, name) for name in NAMES})
    return hierarchy


def _loaded(folder: Path, network: Network) -> Topology | None:
    """The topology of a folder; None when it is not there, damaged or of other states."""
    arrays = kept.loaded(folder, NAMES)
    if arrays is None:
        return None
    topology = Topology(**arrays)
    fits = len(topology.rank) == network.states.count and len(topology.edge) == len(network.states.steps)
    complete = len(topology.start) == topology.count + 1 and topology.start[-1] == len(topology.head)
    return topology if fits and complete else None
