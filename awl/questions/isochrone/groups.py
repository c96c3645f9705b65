"""Places that are answered together: all of them, or those of one mode, hour and limits where rules let some differ."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.cql2.rows import matching
from awl.io.table import Table
from awl.questions.context import Context, Places
from awl.questions.inputs import Json, check_limits
from awl.questions.isochrone.inputs import Differing, IsochroneInputs


@dataclass(frozen=True)
class Group:
    """Places of one mode, at one hour, within the same limits.

    `head_start_min` (k,) is what every trip of a place takes longer.
    """

    context: Context
    places: Places
    limits: list[float]
    head_start_min: NDArray[np.float64]


def groups_of(inputs: IsochroneInputs, context: Context) -> list[Group]:
    """The places of a question in groups; raises `AwlError` for a rule that cannot hold."""
    places = context.places(inputs.places)
    limits = check_limits(inputs.limits, inputs.measure)
    if not inputs.differs:
        return [Group(context, places, limits, np.zeros(len(places)))]
    for rule in inputs.differs:
        _check_rule(rule, inputs)
    rule_of = _rules_of(places.layer, inputs.differs)
    own = [_own_inputs(inputs, rule) for rule in inputs.differs]
    keys = [_key(inputs) if number < 0 else _key(own[number]) for number in rule_of.tolist()]
    added = np.array([0.0, *(rule.add_minutes for rule in inputs.differs)])[rule_of + 1]
    groups = []
    for done, key in enumerate(dict.fromkeys(keys)):
        rows = np.array([row for row, other in enumerate(keys) if other == key])
        number = int(rule_of[rows[0]])
        asked = inputs if number < 0 else own[number]
        progress = context.progress.part(done / len(set(keys)) * 0.9, (done + 1) / len(set(keys)) * 0.9)
        of_group = context.beside(asked, progress)
        groups.append(Group(of_group, places.take(rows), check_limits(asked.limits, asked.measure), added[rows]))
    if len(groups) > 1 and inputs.merge == "nearest":
        raise AwlError(
            "Places that differ in more than added minutes cannot be shared out to the nearest: their times are not of one kind",
            remedy="Let areas be one by one, as rings or merged",
            inputs=("merge",),
        )
    return groups


def rule_summary(inputs: IsochroneInputs, groups: list[Group]) -> list[Json]:
    """How many places each rule holds for, and by which mode they are reached."""
    layer = Table.joined([group.places.layer for group in groups])
    counts = Counter(_rules_of(layer, inputs.differs).tolist())
    rules: list[tuple[int, Differing | None]] = [(-1, None), *enumerate(inputs.differs)]
    return [
        {
            "mode": inputs.mode if rule is None or rule.mode is None else rule.mode,
            "places": counts[number],
            "where": None if rule is None else rule.where,
        }
        for number, rule in rules
        if counts[number]
    ]


def _rules_of(layer: Table, rules: list[Differing]) -> NDArray[np.int64]:
    """Number of the first rule each place meets, -1 where it meets none."""
    number = np.full(len(layer), -1)
    for i, rule in reversed(list(enumerate(rules))):
        number[matching(layer, rule.where)] = i
    return number


def _check_rule(rule: Differing, inputs: IsochroneInputs) -> None:
    limits = rule.limits or inputs.limits
    if len(limits) != len(inputs.limits):
        raise AwlError(
            f"The rule {rule.where} has {len(limits)} limits where all have {len(inputs.limits)}",
            remedy="Give as many, or leave them out",
            inputs=("differs",),
        )
    if rule.add_minutes and inputs.measure != "time":
        raise AwlError("Minutes are added to limits in metres", remedy="Count time", inputs=("differs",))
    if rule.add_minutes >= limits[0]:
        raise AwlError(
            f"The rule {rule.where} adds {rule.add_minutes:g} min, which leaves nothing of {limits[0]:g} min",
            remedy="Add less, or give larger limits",
            inputs=("differs",),
        )


def _own_inputs(inputs: IsochroneInputs, rule: Differing) -> IsochroneInputs:
    """The question as it holds for the places of a rule."""
    own = {"limits": rule.limits, "mode": rule.mode, "at": rule.at}
    return inputs.model_copy(update={key: value for key, value in own.items() if value is not None} | {"differs": []})


def _key(inputs: IsochroneInputs) -> tuple[str, str | None, tuple[float, ...]]:
    return inputs.mode, inputs.at, tuple(inputs.limits)
