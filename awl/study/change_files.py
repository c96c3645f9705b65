"""Edits of a study as an OSM change file, and change files from elsewhere as edits of a study.

A study keeps what it computes with; a change file names every tag and node of what it changes. So both ways need the extract that
the streets were built from.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from awl.core.errors import AwlError
from awl.core.graph.edits.apply import apply
from awl.core.graph.osm_change.elements import Elements, OsmChange, Wanted
from awl.core.graph.osm_change.incoming import incoming, needed
from awl.core.graph.osm_change.outgoing import difference, outgoing
from awl.core.progress import Progress
from awl.io import osm_change
from awl.study import ledger, streets, what_ifs
from awl.study.ledger import BASE
from awl.study.street_edits import Outcome, edit_streets
from awl.study.study import Study


@dataclass(frozen=True)
class TakenIn:
    """What came of a change file: the step it became (None where nothing fitted), what did not fit, and what is no street."""

    outcome: Outcome | None
    misfits: tuple[str, ...]
    passed_over: int


def as_change(study: Study, what_if: str, extract: Path | None, progress: Progress | None = None) -> OsmChange:
    """All edits that hold, as a change of the extract the streets were built from.

    Parameters:
        study: the study.
        what_if: id of the what-if whose edits are written too, `BASE` for none.
        extract: the extract; None where no street of it is changed.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: there is no edit, or the extract is wanted and not given.
    """
    patches = ledger.patches(study.reading)
    after = study.graph
    if what_if != BASE:
        applied = apply(study.graph, ledger.edits_of(study.reading, what_if))
        patches.append(applied.patch)
        after = applied.graph
    links = [link.id for patch in patches for link in (*patch.links_before, *patch.links_after)]
    nodes = [node.id for patch in patches for node in (*patch.nodes_before, *patch.nodes_after)]
    change = difference(ledger.unedited(study.reading, study.graph), after, links, nodes)
    wanted = change.wanted()
    if not links and not nodes and not change.turns_after and not change.turns_before:
        raise AwlError("There is no edit to write", remedy="Edit the streets first", status=409, kind="no-edits")
    if extract is None and wanted != Wanted():
        raise AwlError(
            "The edits change streets of the extract, of which a change file has to tell every tag and node",
            remedy="Give the extract that the streets were built from",
            inputs=("extract",),
            kind="needs-extract",
        )
    return outgoing(change, Elements() if extract is None else osm_change.read_elements(extract, wanted, progress))


def take_in(
    study: Study,
    file: Path,
    what_if: str = BASE,
    extract: Path | None = None,
    expected: str | None = None,
    progress: Progress | None = None,
) -> TakenIn:
    """Apply a change file as one step of the ledger; what does not fit is told, the rest is done.

    Parameters:
        study: the study.
        file: the change file.
        what_if: id of the what-if that gets the edits, `BASE` for the streets themselves.
        extract: the extract the streets were built from, which tells where nodes are that the file does not.
        expected: the version of the ledger this was decided on.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: the file is no change file, or somebody else was faster.
    """
    change = osm_change.read(file)
    known = None
    if extract is not None:
        known = osm_change.read_elements(extract, needed(change), progress)
    seen = ledger.version(study.reading, what_if) if expected is None else expected
    variant = study if what_if == BASE else what_ifs.variant(study, [what_if])
    taken = incoming(variant.graph, change, known, streets.next_ids(study.reading))
    outcome = edit_streets(study, taken.edits, what_if, seen) if taken.edits else None
    return TakenIn(outcome, taken.misfits, taken.passed_over)
