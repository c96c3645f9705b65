"""All questions, by process identifier. Adding one is adding its module and a line here."""

from __future__ import annotations

from awl.core.errors import AwlError, nearest
from awl.questions.access.question import Access
from awl.questions.alongside.question import Alongside
from awl.questions.catchment.question import Catchment
from awl.questions.centrality.question import CentralityQuestion
from awl.questions.compare.question import Compare
from awl.questions.isochrone.question import Isochrone
from awl.questions.matrix.question import Matrix
from awl.questions.neighbours.question import Neighbours
from awl.questions.question import Question
from awl.questions.route.question import Route
from awl.questions.simulate.question import Simulate
from awl.questions.trips.question import TripsQuestion

QUESTIONS: dict[str, type[Question]] = {
    question.id: question
    for question in (
        Isochrone,
        Access,
        Route,
        TripsQuestion,
        Catchment,
        Alongside,
        Neighbours,
        CentralityQuestion,
        Matrix,
        Simulate,
        Compare,
    )
}


def question(ident: str) -> type[Question]:
    """A question by its id; raises `AwlError` (404) naming those that exist."""
    if ident not in QUESTIONS:
        raise AwlError(
            f"There is no question '{ident}'.{nearest(ident, QUESTIONS)}",
            remedy=f"Questions are: {', '.join(QUESTIONS)}",
            status=404,
            kind="no-such-process",
        )
    return QUESTIONS[ident]
