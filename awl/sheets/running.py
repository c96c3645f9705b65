"""A sheet run as a whole: each question after those it rests on, with the answers of this run."""

from __future__ import annotations

from collections.abc import Callable, Collection

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.questions.question import Answered
from awl.questions.run import ask, no_other_study
from awl.sheets.document import Sheet
from awl.sheets.references import in_order
from awl.study.study import Study


def run_sheet(
    study: Study,
    sheet: Sheet,
    progress: Progress | None = None,
    wanted: Collection[str] | None = None,
    other_study: Callable[[str], Study] = no_other_study,
) -> dict[str, Answered]:
    """The answers of a sheet by the ids of its questions, in the order of the sheet; nothing of it is kept.

    Parameters:
        study: the study.
        sheet: the sheet.
        progress: is told how far the work is, and stops it.
        wanted: ids of the questions that are wanted, which are asked with all they rest on; all where None.
        other_study: opens the other studies that questions may name.

    Raises:
        AwlError: a question cannot be answered; says which.
    """
    progress = progress or Progress()
    blocks = in_order(sheet, wanted)
    numbers = {block.id: number for number, block in enumerate(sheet.questions, 1)}
    answered: dict[str, Answered] = {}
    for nth, block in enumerate(blocks):
        part = progress.part(nth / len(blocks), (nth + 1) / len(blocks))
        try:
            answer = ask(study, block.process, block.inputs, part, other_study, answered)
        except AwlError as error:
            raise AwlError(
                error.what, where=f"question {numbers[block.id]}", remedy=error.remedy, inputs=error.inputs,
                status=error.status, kind=error.kind,
            ) from error  # fmt: skip
        answered[block.id] = Answered(block.process, block.inputs, answer)
    return {block.id: answered[block.id] for block in sheet.questions if block.id in answered}
