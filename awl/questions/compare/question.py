"""What differs? Answers of a kind against the first of them."""

from __future__ import annotations

from typing import Any

from awl.core.progress import Progress
from awl.questions.compare.inputs import CompareInputs
from awl.questions.compare.run import compare
from awl.questions.compare.sides import kept_sides
from awl.questions.compare.view import view_compare
from awl.questions.question import Around, Question
from awl.questions.results import Answer
from awl.study.study import Study


class Compare(Question):
    """The question that compares answers."""

    id = "compare"
    title = "Comparison"
    is_heavy = True
    description = "What differs between answers of a kind: both values, differences by key, what changes most, and why."
    opening = "What differs"
    sentences = [({}, "What differs between {answers}?")]
    Inputs = CompareInputs
    outputs = {
        "key_figures": "Key figures of each answer, differences and percent, as rows",
        "groups": "People within each limit by group: in each answer, gained, lost, and Gini's coefficient, as rows",
        "most_changed": "Rows that change most, as rows",
        "areas": "Ground within reach in both answers and in either alone, GeoJSON",
        "ground": "The areas of the last limit, which the map draws, GeoJSON",
        "streets": "Streets that are reached sooner, later, as well or no longer, or that change place, GeoJSON",
        "moved": "Street that goes over from one place to another, as rows",
        "zones": "Zones with both values and differences, GeoJSON",
        "totals": "Groups likewise, as rows",
        "places": "Places likewise, GeoJSON",
        "rows": "Pairs likewise, as rows",
        "starts": "Starts of pairs by their mean time likewise, GeoJSON",
        "by_limit": "Limits likewise, as rows",
        "trips": "Trips likewise, as rows",
        "load": "Streets by the trips on them likewise, GeoJSON",
        "routes": "Streets that all ways take, and that one takes alone, GeoJSON",
        "pins": "The places of the first answer, GeoJSON",
    }

    @classmethod
    def asked_of(cls, study: Study, inputs: Any, progress: Progress, around: Around) -> Answer:
        """Take the answers up, and set them against the first."""
        asked, sides = kept_sides(study, inputs.answers, around, progress)
        result = compare(asked, sides, progress)
        return Answer(result, view_compare(result))
