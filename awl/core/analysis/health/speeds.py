"""Posted limits that are missing, cannot be, or do not suit the class of street."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.health.findings import Findings
from awl.core.analysis.health.levels import middles
from awl.core.modes.rules import posted_speed
from awl.core.network.network import Network

MAIN = ("motorway", "trunk", "primary", "secondary", "motorway_link", "trunk_link", "primary_link", "secondary_link")
USUALLY_POSTED = 0.8
"""A class has limits where this share of its length has one."""
ODD_FACTOR = 2.5
"""A limit is odd where it is this many times the usual speed of the class, or one part in as many."""
HIGHEST_KMH = 140.0
WORDS = ("none", "signals", "variable", "walk")
"""What stands in place of a number; so do zones, as `XX:urban`."""


def speeds(network: Network) -> list[Findings]:
    """Faults of posted limits, once for each source way.

    Parameters:
        network: of a mode that reads posted limits.
    """
    graph = network.graph
    highway, limit = graph.tag("highway"), graph.tag("maxspeed")
    usual = highway.lookup([network.mode.class_speed.get(name, np.nan) for name in highway.values], np.nan)
    street = np.isfinite(usual)
    posted, present = posted_speed(limit), limit.present()
    worded = limit.isin([text for text in limit.values if text in WORDS or ":" in text])
    with np.errstate(invalid="ignore"):
        absurd = street & present & ~worded & ~(posted <= HIGHEST_KMH)
        odd = street & present & ~worded & ~absurd & ((posted > ODD_FACTOR * usual) | (posted * ODD_FACTOR < usual))
    missing = np.zeros(graph.link_count, bool)
    for name in MAIN:
        of_class = highway.equals(name)
        length = graph.link_length[of_class].sum()
        if length and graph.link_length[of_class & present].sum() >= USUALLY_POSTED * length:
            missing |= of_class & ~present
    return [
        _by_way(network, "absurd-speed", absurd, posted),
        _by_way(network, "odd-speed", odd, posted),
        _by_way(network, "missing-speed", missing, usual),
    ]


def _by_way(network: Network, kind: str, mask: NDArray[np.bool_], size: NDArray[np.float64]) -> Findings:
    """The longest link of each source way among some links."""
    graph = network.graph
    rows = np.flatnonzero(mask)
    rows = rows[np.argsort(-graph.link_length[rows], kind="stable")]
    _, first = np.unique(graph.link_way[rows], return_index=True)
    rows = rows[np.sort(first)]
    return Findings.of(kind, middles(graph, rows), rows, size[rows])
