"""What was worked out for streets while they were only drawn, for when they are drawn in earnest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from awl.core.graph.edits.apply import Applied
from awl.core.graph.edits.edit import Edit
from awl.core.graph.street_graph import StreetGraph
from awl.study.study_database import StudyDatabase

MOST_LINKS = 300_000
"""Of larger streets nothing is held: it would take as much memory again."""


@dataclass(frozen=True)
class LastSketch:
    """What edits that nobody has made yet made of streets.

    Attributes:
        before: the streets they were applied to.
        next_ids: the lowest ids that a new node and link could get then.
        asked: the edits as they were given.
        applied: what came of them.
        study: the study as it would be, with what was derived of it.
    """

    before: StreetGraph
    next_ids: tuple[int, int]
    asked: tuple[Edit, ...]
    applied: Applied
    study: StudyDatabase

    def is_of(self, before: StreetGraph, next_ids: tuple[int, int], edits: Sequence[Edit]) -> bool:
        """Whether these edits on these streets make what was made here.

        Parameters:
            before: the streets.
            next_ids: the lowest ids that a new node and link may get.
            edits: what is changed, in order.
        """
        return before is self.before and next_ids == self.next_ids and unsettled(edits) == self.asked


def unsettled(edits: Sequence[Edit]) -> tuple[Edit, ...]:
    """The edits without ids of what they make.

    Parameters:
        edits: edits in order.
    """
    return tuple(replace(edit, first_ids=(0, 0)) for edit in edits)
