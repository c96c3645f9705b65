"""Edit the streets of a study, or of a what-if: each act lands whole or not at all, and can be undone and redone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.edits.apply import apply
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.patch import Patch, patched
from awl.study import ledger, streets, what_ifs
from awl.study.last_sketch import unsettled
from awl.study.ledger import BASE
from awl.study.study import Study


@dataclass(frozen=True)
class Outcome:
    """What an act did: the number of its step, its edits with their ids, and the links (k,) that are other than before."""

    step: int
    edits: tuple[Edit, ...]
    changed_links: NDArray[np.int64]


def edit_streets(study: Study, edits: Sequence[Edit], what_if: str = BASE, expected: str | None = None) -> Outcome:
    """Apply edits as one step; `expected` is the version of the ledger they were made from.

    Raises `AwlError` where one does not fit, or somebody else was faster.
    """
    if not edits:
        raise AwlError("There is no edit", inputs=("edits",), kind="no-edits")
    if study.graph.drawn:
        raise AwlError(
            "A drawing without geography cannot be edited", remedy="Change its tables and build it anew", status=409
        )
    seen = ledger.version(study.reading, what_if) if expected is None and what_if != BASE else expected
    variant = study if what_if == BASE else what_ifs.variant(study, [what_if])
    with study.writing() as connection:
        _check(study, what_if, seen)
        next_ids, drawn = streets.next_ids(connection), variant.last_sketch
        if drawn is None or not drawn.is_of(variant.graph, next_ids, edits):
            drawn = None
        applied = apply(variant.graph, unsettled(edits), next_ids) if drawn is None else drawn.applied
        if what_if == BASE:
            study.change_streets(connection, applied.patch, applied.graph)
            step = ledger.add_step(connection, applied.edits, BASE, applied.patch)
        else:
            streets.settle_ids(connection, applied.graph)
            step = ledger.add_step(connection, applied.edits, what_if)
            what_ifs.touch(connection, what_if)
    if what_if == BASE:
        study.hold_streets(applied.graph)
        if drawn is not None:
            study.take_over_sketch(drawn)
    else:
        what_ifs.follow(study, what_if, variant, applied)
    return Outcome(step, applied.edits, applied.patch.changed_links)


def undo(study: Study, what_if: str = BASE, expected: str | None = None) -> Outcome:
    """Take the last step back that holds."""
    return _turn(study, what_if, expected, undoing=True)


def redo(study: Study, what_if: str = BASE, expected: str | None = None) -> Outcome:
    """Do the first step again that is undone."""
    return _turn(study, what_if, expected, undoing=False)


def _turn(study: Study, what_if: str, expected: str | None, undoing: bool) -> Outcome:
    with study.writing() as connection:
        _check(study, what_if, expected)
        step = (ledger.step_to_undo if undoing else ledger.step_to_redo)(connection, what_if)
        graph, patch = None, Patch()
        if what_if == BASE:
            patch = ledger.patch_of(connection, step.number)
            patch = patch.inverse() if undoing else patch
            graph = patched(study.graph, patch)
            study.change_streets(connection, patch, graph)
        else:
            what_ifs.touch(connection, what_if)
        ledger.mark(connection, step.number, undoing)
    if graph is not None:
        study.hold_streets(graph)
    return Outcome(step.number, step.edits, patch.changed_links)


def merge(study: Study, what_if: str, expected: str | None = None) -> Outcome:
    """Make the edits of a what-if edits of the streets themselves, as one step; the what-if goes.

    Its other changes (modes, places, lines, a time) stay with nobody: a what-if that has some is not merged.
    """
    idea = what_ifs.what_if(study, what_if)
    if idea.modes or idea.places or idea.lines or idea.at:
        raise AwlError(
            "Only edits of streets can be merged",
            remedy="Change modes and places in the study itself, then drop the what-if",
            status=409,
            kind="not-only-streets",
        )
    with study.writing() as connection:
        _check(study, what_if, expected)
        edits = ledger.edits_of(connection, what_if)
        if not edits:
            raise AwlError("The what-if changes no street", status=409, kind="no-edits")
        applied = apply(study.graph, edits, streets.next_ids(connection))
        study.change_streets(connection, applied.patch, applied.graph)
        step = ledger.add_step(connection, applied.edits, BASE, applied.patch)
        what_ifs.remove(connection, what_if)
    study.hold_streets(applied.graph)
    return Outcome(step, applied.edits, applied.patch.changed_links)


def _check(study: Study, what_if: str, expected: str | None) -> None:
    """Refuse a change of what was changed since it was looked at."""
    if what_if != BASE:
        what_ifs.what_if(study, what_if)
    if expected is not None and expected != ledger.version(study.reading, what_if):
        raise AwlError(
            "The streets were edited elsewhere in the meantime",
            remedy="Look at them again, then edit",
            status=412,
            kind="changed-meanwhile",
        )
