"""Edits in their order on a graph: another graph, what differs, and what did not fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from awl.core.errors import AwlError
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.operations import OPERATIONS
from awl.core.graph.edits.patch import Patch, patched
from awl.core.graph.edits.workspace import Workspace
from awl.core.graph.street_graph import StreetGraph


@dataclass(frozen=True)
class Misfit:
    """An edit that does not fit the streets: its number in the list, and why."""

    number: int
    why: str


@dataclass(frozen=True)
class Applied:
    """What came of edits.

    Attributes:
        graph: the streets with the edits.
        patch: what differs from the streets without.
        edits: those that were applied, each with the ids its new nodes and links begin at.
        misfits: those that were left out.
    """

    graph: StreetGraph
    patch: Patch
    edits: tuple[Edit, ...]
    misfits: tuple[Misfit, ...]


def most_new(edit: Edit) -> tuple[int, int]:
    """How many nodes and links an edit makes at most, whatever streets it is applied to.

    Parameters:
        edit: the edit.
    """
    count = len(edit.links)
    return {"add": (2, 3), "split": (1, 1), "separate": (1, 0), "join": (count, count)}.get(edit.kind, (0, 0))


def apply(
    graph: StreetGraph, edits: Sequence[Edit], next_ids: tuple[int, int] = (0, 0), strict: bool = True
) -> Applied:
    """Edits in their order on a graph.

    An edit whose first ids are settled numbers its new nodes and links from these on, whatever else is applied: so the ids stand
    for the same streets in every stack of edits.

    Parameters:
        graph: the streets.
        edits: what is changed, in order.
        next_ids: the lowest ids a new node and link may get; those never given in the graph where they are higher.
        strict: raise `AwlError` at the first edit that does not fit, instead of leaving it out.

    Raises:
        AwlError: where an edit does not fit and `strict` is set.
    """
    current, done, misfits = graph, list[Edit](), list[Misfit]()
    highest = [max(graph.next_node_id, next_ids[0]), max(graph.next_link_id, next_ids[1])]
    work = Workspace(current)
    for number, edit in enumerate(edits, 1):
        settled = edit if edit.first_ids != (0, 0) else edit.with_first_ids(*highest)
        trial = work.copy()
        trial.next_node, trial.next_link = settled.first_ids
        try:
            OPERATIONS[edit.kind](trial, settled)
        except AwlError as error:
            if strict:
                where = f"edit {number}" if len(edits) > 1 else ""
                raise AwlError(
                    error.what, where=where, remedy=error.remedy, inputs=error.inputs, status=409, kind=error.kind
                ) from error
            misfits.append(Misfit(number, error.what))
            continue
        work = trial
        done.append(settled)
        # On other streets it may need more: what it has set aside is enough for all.
        needs = most_new(settled)
        highest = [max(a, b + c) for a, b, c in zip(highest, settled.first_ids, needs, strict=True)]
    patch = work.patch()
    # What was set aside for an edit is never given to another.
    edited = patched(graph, patch).with_highest_ids(highest[0] - 1, highest[1] - 1)
    return Applied(edited, patch, tuple(done), tuple(misfits))
