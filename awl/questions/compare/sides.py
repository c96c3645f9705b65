"""The answers that are set against each other, each with its parts, wherever these come from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.io.table import Table
from awl.questions.compare.inputs import KeptOne
from awl.questions.compared_parts import parts_compared
from awl.questions.inputs import Json
from awl.questions.kept_answers import KeptAnswer, kept_answer
from awl.questions.question import Answered, Around, Question
from awl.questions.results import Answer
from awl.study import records, sheet_records
from awl.study.study import Study


@dataclass(frozen=True)
class Side:
    """One of the answers.

    Attributes:
        kept: the answer as it is kept; None where it was computed a moment ago.
        study: the study it is of.
        inputs: what was asked.
        title: what it is called.
        figures: its key figures, as documents hold them.
        doubts: what to know before trusting it, likewise.
        made: when it was made.
        streets: what tells the streets apart that it was computed on.
        part: gives a part of it, None where it has none of that name.
        parts: names of its parts.
        is_stale: whether it lacks what it was not kept with, because asking again would give another answer.
    """

    kept: KeptOne | None
    study: Study
    inputs: Json
    title: str
    figures: list[Json]
    doubts: list[Json]
    made: str
    streets: tuple[str, str]
    part: Callable[[str], Table | None]
    parts: list[str]
    is_stale: bool = False


def kept_sides(
    study: Study, wanted: list[KeptOne], around: Around, progress: Progress
) -> tuple[type[Question], list[Side]]:
    """Kept answers as sides, with the question that they all answer.

    What an answer was not kept with, such as the streets it reaches, is computed once more where nothing has changed since.

    Raises:
        AwlError: an answer is missing, they answer different questions, or cannot be compared.
    """
    opened = [study if one.study is None else around.study(one.study) for one in wanted]
    kept = [_kept_or_asked(own, one, around, progress) for own, one in zip(opened, wanted, strict=True)]
    if len({(one.study, one.answer) for one in wanted}) < len(wanted):
        raise AwlError("An answer is named twice", remedy="Name different answers", inputs=("answers",))
    processes = list(dict.fromkeys(answer.process for answer in kept))
    if len(processes) > 1:
        raise AwlError(
            f"The answers are of different kinds: {' and '.join(processes)}",
            remedy="Compare answers of one question",
            inputs=("answers",),
            kind="different-kinds",
        )
    asked = around.questions.get(processes[0])
    if asked is None or not asked.compared:
        raise AwlError(
            f"Answers of '{processes[0]}' cannot be compared",
            remedy=f"Those of {', '.join(ident for ident, one in around.questions.items() if one.compared)} can",
            inputs=("answers",),
        )
    sides = []
    for nth, (own, one, answer) in enumerate(zip(opened, wanted, kept, strict=True)):
        share = progress.part(0.7 * nth / len(kept), 0.7 * (nth + 1) / len(kept))
        sides.append(_kept_side(own, one, answer, asked, around, share))
    return asked, sides


def _kept_or_asked(study: Study, one: KeptOne, around: Around, progress: Progress) -> KeptAnswer | Answered:
    """The answer under a name: given a moment ago, or kept; a question of a sheet that has none yet is asked."""
    if one.study is None and one.answer in around.answered:
        return around.answered[one.answer]
    block = sheet_records.block(study.reading, one.answer)
    known = records.has_answer(study.reading, one.answer)
    if block is None or known or block.get("process") not in around.questions:
        return kept_answer(study, one.answer)
    asked, revision = around.questions[block["process"]], study.revision
    answer = asked.asked_of(study, asked.parse(block["inputs"]), progress.part(0.0, 0.3), around)
    wanted = answer.view.parts | (set(parts_compared(asked.compared)) & set(answer.parts))
    return KeptAnswer(one.answer, asked.id, block["inputs"], records.now(), revision, answer.document(wanted))


def _kept_side(
    study: Study,
    one: KeptOne,
    answer: KeptAnswer | Answered,
    asked: type[Question],
    around: Around,
    progress: Progress,
) -> Side:
    if isinstance(answer, Answered):
        return replace(side_of(answer.answer, study, answer.inputs), kept=one)
    document = answer.document
    lacking = answer.lacks(parts_compared(asked.compared))
    parts, part = answer.parts, lambda name: answer.part(name) if name in answer.parts else None
    is_stale = bool(lacking) and not answer.is_current(study)
    if lacking and not is_stale:
        again = asked.asked_of(study, asked.parse(answer.inputs), progress, around)
        side = side_of(again, study, answer.inputs)
        parts, part = side.parts, side.part
    return Side(
        one, study, answer.inputs, document["title"], document["figures"], document["doubts"], answer.made,
        (str(study.path), answer.revision), part, parts, is_stale,
    )  # fmt: skip


def side_of(answer: Answer, study: Study, inputs: Json) -> Side:
    """An answer that was computed a moment ago."""
    document = answer.document(set())
    return Side(
        None, study, inputs, answer.title, document["figures"], document["doubts"], records.now(),
        (str(study.path), study.revision), lambda name: answer.part(name) if name in answer.parts else None, answer.parts,
    )  # fmt: skip
