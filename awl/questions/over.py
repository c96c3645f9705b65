"""One question asked of the study as it is and with each of several what-ifs: its key figures, a column for each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from awl.core.progress import Progress
from awl.io.table import Table
from awl.questions.inputs import Json
from awl.questions.run import ask
from awl.study import what_ifs
from awl.study.study import Study

AS_IT_IS = "As it is"


def ask_over(
    study: Study, process: str, inputs: Json, idents: Sequence[str], progress: Progress | None = None
) -> Table:
    """The key figures of a question, a row each: `figure`, `unit`, and a column for the study and for every what-if.

    Parameters:
        study: the study.
        process: id of the question.
        inputs: its inputs; what-ifs they name hold in every column, below the one of the column.
        idents: ids or titles of what-ifs; all of the study where none is named.
        progress: is told how far the work is, and stops it.

    Raises:
        AwlError: an input is wrong, or the study has no such what-if.
    """
    progress = progress or Progress()
    known = [what_ifs.what_if(study, ident) for ident in idents] if idents else what_ifs.listed(study.reading)
    below = inputs.get("what_if") or []
    below = [below] if isinstance(below, str) else list(below)
    columns: dict[str, Json] = {AS_IT_IS: inputs}
    for one in known:
        columns[one.title] = {**inputs, "what_if": [*below, one.id]}
    rows: dict[tuple[str, str], dict[str, Any]] = {}
    for nth, (title, given) in enumerate(columns.items()):
        part = progress.part(nth / len(columns), (nth + 1) / len(columns))
        for figure in ask(study, process, given, part).view.figures:
            rows.setdefault((figure.label, figure.unit or ""), {})[title] = figure.value
    return Table.of_records(
        [
            {"figure": label, "unit": unit, **{title: values.get(title) for title in columns}}
            for (label, unit), values in rows.items()
        ]
    )
