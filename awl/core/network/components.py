"""Connected components of the streets a mode may use: which are kept, and what is left out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.network.parts import strong_parts


@dataclass(frozen=True)
class KeepParts:
    """Which connected parts a mode uses: the `largest`, those `above` a length in metres, or `all`."""

    rule: str = "largest"
    above_m: float = 0.0


@dataclass(frozen=True)
class PartsReport:
    """The connected parts, and what was left out, lengths in metres.

    `length_m` and `links` are those of each part, the longest first; `kept` of them are used.
    """

    length_m: NDArray[np.float64]
    links: NDArray[np.int64]
    kept: int
    kept_m: float
    left_out_m: float
    left_out_links: int

    @property
    def parts(self) -> int:
        """How many there are."""
        return len(self.length_m)


@dataclass(frozen=True)
class Components:
    """Links of a network by connected component.

    Attributes:
        rank: (m,) rank of each link's component by length, 0 for the longest; -1 where it has none.
        kept: (m,) usable links of the components that are used.
        report: the components and what is left out.
    """

    rank: NDArray[np.int32]
    kept: NDArray[np.bool_]
    report: PartsReport


def components_of(
    start: NDArray[np.int64],
    head: NDArray[np.int32],
    ends: tuple[NDArray[np.int32], NDArray[np.int32]],
    usable: NDArray[np.bool_],
    length_m: NDArray[np.float64],
    keep: KeepParts,
) -> Components | None:
    """Find the components in which every node can reach every other.

    Parameters:
        start, head: arcs by the node they leave, as compressed rows.
        ends: (m,) nodes at the begin and the end of each link.
        usable: (m,) links that may be used at least one way.
        length_m: (m,) lengths of the links in metres; components are weighed by them, not by their number of nodes.
        keep: which components are used.

    Returns:
        None where no component holds a link.
    """
    label = strong_parts(start, head)
    begin, end = ends
    inside = usable & (label[begin] == label[end])
    count = int(label.max(initial=-1)) + 1
    weight = np.bincount(label[begin[inside]], weights=length_m[inside], minlength=count)
    if len(weight) == 0 or weight.max() == 0:
        return None
    order = np.argsort(-weight, kind="stable")[: int((weight > 0).sum())]
    rank = np.full(count, -1, np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    link_rank = np.where(inside, rank[label[begin]], -1).astype(np.int32)
    number = {"largest": 1, "above": int((weight[order] >= keep.above_m).sum()), "all": len(order)}[keep.rule]
    kept = usable.copy() if keep.rule == "all" else (link_rank >= 0) & (link_rank < max(number, 1))
    report = PartsReport(
        weight[order].astype(float),
        np.bincount(link_rank[link_rank >= 0], minlength=len(order)),
        max(number, 1),
        float(length_m[kept].sum()),
        float(length_m[usable & ~kept].sum()),
        int((usable & ~kept).sum()),
    )
    return Components(link_rank, kept, report)
