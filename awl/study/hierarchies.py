"""Prepared hierarchies beside a study: one folder for each way in which states hang together."""

from __future__ import annotations

from dataclasses import fields
from pathlib import Path

import numpy as np

from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.known_order import KnownOrder
from awl.core.routing.cch.topology import Topology
from awl.core.routing.path import accumulated_with
from awl.study import kept

LAYOUT = 6
MEASURES = ("time", "distance")
"""What is prepared for each mode."""
NAMES = tuple(item.name for item in fields(Topology))
EDGES_EACH = "edges_each"
"""Edges for each rank when the order of the states was made."""


def hierarchy_of(
    study: Path, network: Network, progress: Progress | None = None, order: KnownOrder | None = None
) -> Hierarchy:
    """The hierarchy of a network, read from the folder beside the study, or made and stored there.

    Parameters:
        study: the study file.
        network: the streets of a mode.
        progress: is told how far the work is, and stops it.
        order: in which the states of the streets before an edit were taken out, if that is known.
    """
    folder = _folder(study, network)
    stored = _loaded(folder, network)
    if stored is not None:
        return _with_metrics(study, network, stored)
    with kept.alone(folder):
        stored = _loaded(folder, network)  # another process may have made it meanwhile
        if stored is not None:
            return _with_metrics(study, network, stored)
        hierarchy = None if order is None else Hierarchy.in_order(network, order, progress)
        if hierarchy is None:
            hierarchy = Hierarchy.of(network, progress)
        arrays = {name: getattr(hierarchy.topology, name) for name in NAMES}
        kept.save(folder, arrays | {EDGES_EACH: np.array([hierarchy.edges_each])})
    return hierarchy


def keep_metrics(study: Path, network: Network, hierarchy: Hierarchy) -> None:
    """Store what was made of the costs of a network, for other processes to map.

    Parameters:
        study: the study file.
        network: the streets of a mode.
        hierarchy: its hierarchy.
    """
    for measure in MEASURES:
        hierarchy.trim(network, measure)
        hierarchy.unpacking(network, measure, accumulated_with(measure))
    folder = _metric_folder(study, network)
    if not folder.exists():
        with kept.alone(folder):
            kept.save(folder, hierarchy.arrays())


def _with_metrics(study: Path, network: Network, hierarchy: Hierarchy) -> Hierarchy:
    """The hierarchy with what is stored of costs, as it was where nothing is."""
    arrays = kept.loaded(_metric_folder(study, network))
    if arrays is not None:
        for measure in MEASURES:
            hierarchy.take_over(arrays, measure, accumulated_with(measure))
    return hierarchy


def _folder(study: Path, network: Network) -> Path:
    graph, steps = network.graph, network.states.steps
    made_of = (steps.tail, steps.head, network.states.node, graph.node_lon, graph.node_lat)
    return kept.place_of(study, "hierarchy", (np.array([network.states.count]), *made_of), LAYOUT)


def _metric_folder(study: Path, network: Network) -> Path:
    topology = np.frombuffer(_folder(study, network).name.encode(), np.uint8)
    return kept.place_of(study, "metric", (topology, *map(network.step_costs, MEASURES)), LAYOUT)


def _loaded(folder: Path, network: Network) -> Hierarchy | None:
    """The hierarchy of a folder, without metrics; None when it is not there, damaged or of other states."""
    arrays = kept.loaded(folder, (*NAMES, EDGES_EACH))
    if arrays is None:
        return None
    edges_each = float(arrays.pop(EDGES_EACH)[0])
    topology = Topology(**arrays)
    fits = len(topology.rank) == network.states.count and len(topology.edge) == len(network.states.steps)
    complete = len(topology.start) == topology.count + 1 and topology.start[-1] == len(topology.head)
    return Hierarchy(topology, edges_each=edges_each) if fits and complete else None
