"""Mend what the health check found: see first what would change, then change it as one step of the ledger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.health.findings import NAMES
from awl.core.analysis.health.fixes import Fix, Fixer
from awl.core.errors import AwlError
from awl.core.graph.edits.apply import Misfit, apply
from awl.core.graph.edits.edit import Edit
from awl.study import streets
from awl.study.health import findings_of, key_of
from awl.study.ledger import BASE
from awl.study.street_edits import Outcome, edit_streets
from awl.study.study import Study


@dataclass(frozen=True)
class Mending:
    """What mending some findings would do.

    Attributes:
        findings: how many are mended.
        unmended: how many have no such fix, or one that does not fit any more.
        edits: what is done, in order.
        lines: the links (k,) that are put in or changed, as they would be, in degrees.
    """

    findings: int
    unmended: int
    edits: tuple[Edit, ...]
    lines: NDArray[np.object_]


def fixes_of(study: Study) -> list[list[Fix]]:
    """The ways to mend each finding of a study, in the order of the findings."""
    findings = findings_of(study)
    fixer = Fixer(study.graph, findings)
    return study.cached(("fixes", key_of(study)), lambda: [fixer.fixes(row) for row in range(len(findings))])


def planned(study: Study, kind: str, numbers: Sequence[int] | None = None, fix: str | None = None) -> Mending:
    """What would mend findings of a kind: those of these numbers among all findings, or all of the kind.

    `fix` is the label of the way to mend them, the likeliest of each where it is left out.

    Raises `AwlError` where there is no such finding, or none that can be mended so.
    """
    findings = findings_of(study)
    if kind not in NAMES:
        raise AwlError(f"'{kind}' is no kind of finding", remedy=f"Kinds are: {', '.join(NAMES)}", inputs=("kind",))
    rows = np.flatnonzero(findings.kind == NAMES.index(kind)).tolist()
    if numbers is not None:
        rows = [row for row in rows if row in set(numbers)]
    every = fixes_of(study)
    chosen = [next((way for way in every[row] if fix in (None, way.label)), None) for row in rows]
    ways = [way for way in chosen if way is not None]
    if not ways:
        raise AwlError(
            "Nothing here can be mended this way", remedy="Edit the streets by hand", status=409, kind="no-fix"
        )
    edits = [edit for way in ways for edit in way.edits]
    applied = apply(study.graph, edits, streets.next_ids(study.reading), strict=False)
    lines = np.array([shapely.LineString(link.line) for link in applied.patch.links_after], object)
    lost = _ways_lost(ways, applied.misfits)
    return Mending(len(ways) - lost, len(rows) - len(ways) + lost, applied.edits, lines)


def _ways_lost(ways: Sequence[Fix], misfits: Sequence[Misfit]) -> int:
    """How many fixes have an edit that does not fit."""
    owner = np.repeat(np.arange(len(ways)), [len(way.edits) for way in ways])
    return len({int(owner[misfit.number - 1]) for misfit in misfits})


def mend(
    study: Study,
    kind: str,
    numbers: Sequence[int] | None = None,
    fix: str | None = None,
    what_if: str = BASE,
    expected: str | None = None,
) -> tuple[Mending, Outcome]:
    """Do what `planned` tells, in the streets of the study or in a what-if."""
    mending = planned(study, kind, numbers, fix)
    return mending, edit_streets(study, mending.edits, what_if, expected)
