"""A study as it would be with edits that nobody has made yet: a street that is being drawn. Nothing is stored."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.graph.edits.apply import apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.patch import Patch
from awl.core.graph.edits.records import LinkRecord
from awl.core.graph.street_graph import StreetGraph
from awl.study import streets
from awl.study.last_sketch import LastSketch, unsettled
from awl.study.once import Once
from awl.study.study import Study


class SketchedStudy(Study):
    """A study with other streets than its file holds, for as long as it is needed."""

    def __init__(self, study: Study, graph: StreetGraph) -> None:
        """The study `study` with the streets `graph`; what was derived of its own streets is gone on with."""
        self._of = study.content
        super().__init__(study.path)
        self.share(study)
        self._set_aside(study.revision)
        with self._derived_lock:
            self._derived["graph"] = None, Once.of(graph)

    @property
    def content(self) -> tuple[str, str]:
        """What it was made of, whatever becomes of the file."""
        return self._of


@dataclass(frozen=True)
class Sketched:
    """A study with edits, and where its links lie on those it had before.

    Attributes:
        study: the study as it would be.
        last: what was worked out, for whoever makes these edits in earnest.
        begin_row: of each link before (m,), the row of the link that begins where it does; -1 where it is gone.
        end_row: the row (m,) of the link that ends where it does; -1 where it is gone.
        base_row: of each link now (k,), the row of the one it was or is a piece of; -1 for a new one.
        offset: the share (k,) of that one that lies before it.
        share: the share (k,) of that one it makes up.
    """

    study: Study
    last: LastSketch
    begin_row: NDArray[np.int64]
    end_row: NDArray[np.int64]
    base_row: NDArray[np.int64]
    offset: NDArray[np.float64]
    share: NDArray[np.float64]


def sketched(study: Study, edits: Sequence[Edit]) -> Sketched:
    """A study as it would be.

    Parameters:
        study: the study, or one with what-ifs.
        edits: what would be changed, in order.

    Raises:
        AwlError: an edit does not fit.
    """
    before = study.graph
    next_ids = streets.next_ids(study.reading)
    applied = apply(before, edits, next_ids)
    graph = applied.graph
    begin_row = graph.link_rows(before.link_id)
    end_row, base_row = begin_row.copy(), before.link_rows(graph.link_id)
    offset, share = np.zeros(graph.link_count), np.ones(graph.link_count)
    for link, pieces in _broken(applied.patch):
        row, rows = int(before.link_rows([link.id])[0]), graph.link_rows([piece.id for piece in pieces])
        along = np.cumsum([0.0, *(piece.length for piece in pieces)])
        end_row[row], base_row[rows] = rows[-1], row
        offset[rows], share[rows] = along[:-1] / along[-1], np.diff(along) / along[-1]
    drawn = SketchedStudy(study, graph)
    last = LastSketch(before, next_ids, unsettled(edits), applied, drawn)
    return Sketched(drawn, last, begin_row, end_row, base_row, offset, share)


def _broken(patch: Patch) -> list[tuple[LinkRecord, list[LinkRecord]]]:
    """Links that were broken into pieces, with these in their order from the begin."""
    known = {link.id for link in patch.links_before}
    after = {link.id: link for link in patch.links_after}
    # A piece goes on where one ends, with the ways of the whole: a street that was drawn there has none.
    new = {(link.tail, link.ways): link for link in patch.links_after if link.id not in known}
    broken = []
    for link in patch.links_before:
        pieces = [after[link.id]] if link.id in after else []
        while pieces and len(pieces) < len(after) and (pieces[-1].head, link.ways) in new:
            pieces.append(new[pieces[-1].head, link.ways])
        if len(pieces) > 1 and pieces[-1].head == link.head:
            broken.append((link, pieces))
    return broken
