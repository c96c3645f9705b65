"""A question in words, as the sheet reads it: its changeable words, and its whole sentence."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from awl.questions.describe import CLAUSES, sentence
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.study import what_ifs
from awl.study.records import canonical
from awl.study.study import Study


@dataclass(frozen=True)
class Known:
    """What words are read with: the layers and what-ifs of the study by their ids, and the slots of the question."""

    layers: Mapping[str, str]
    what_ifs: Mapping[str, str]
    slots: Json
    measure: str


@dataclass(frozen=True)
class DifferingWord:
    """A changeable word that is not the same in several questions of a kind.

    Attributes:
        name: the input.
        kind: what it stands for, which decides its ink.
        label: what it is called.
        texts: what it reads in each of the questions.
    """

    name: str
    kind: str
    label: str
    texts: list[str]


def words_of(question: type[Question], inputs: Json, study: Study) -> dict[str, str]:
    """What each changeable word of a question reads, by the input it is."""
    known = _known(question, inputs, study)
    return {name: _read(slot, inputs.get(name), known) for name, slot in known.slots.items()}


@dataclass(frozen=True)
class Word:
    """A changeable word where it stands in a sentence: the input that it is, and what it reads."""

    name: str
    text: str


def sentence_of(question: type[Question], inputs: Json, study: Study) -> str:
    """A question as a sentence."""
    pieces = sentence_pieces(question, inputs, study)
    return "".join(piece if isinstance(piece, str) else piece.text for piece in pieces)


def sentence_pieces(
    question: type[Question], inputs: Json, study: Study, wanted: Collection[str] = ()
) -> list[str | Word]:
    """A question as a sentence, text and changeable words in turn.

    Parameters:
        question: the question.
        inputs: what is asked.
        study: the study it is asked of.
        wanted: words that are in it even where they have their default, as far as it has a place for them.
    """
    known, text = _known(question, inputs, study), words_of(question, inputs, study)
    templates = sentence(question, [mode for mode, _ in study.modes().values()])["sentences"]

    def given(name: str) -> Any:
        value = inputs.get(name)
        return known.slots.get(name, {}).get("default") if value is None else value

    fits = next(
        (one["text"] for one in templates if all(given(name) == value for name, value in one["when"].items())),
        question.title,
    )
    clauses = sorted(
        (slot["clause"]["rank"], slot["clause"]["text"])
        for name, slot in known.slots.items()
        if (clause := slot.get("clause"))
        and (clause["always"] or name in wanted or inputs.get(name) not in (None, [], slot["default"]))
    )
    template = str(fits.replace(CLAUSES, "".join(f", {clause}" for _, clause in clauses)))
    for name in set(re.findall(r"\{(\w+)\}", template)) - set(text):
        template = re.sub(rf", \{{{name}\}}", "", template)
    parts = re.split(r"\{(\w+)\}", template)
    return [part if i % 2 == 0 else Word(part, text.get(part, "")) for i, part in enumerate(parts) if part]


def differing_words(question: type[Question], asked: list[Json], studies: list[Study]) -> list[DifferingWord]:
    """The words in which questions of a kind differ, in the order of the sentence; other inputs by their names."""
    texts = [words_of(question, inputs, study) for inputs, study in zip(asked, studies, strict=True)]
    each = [_known(question, inputs, study).slots for inputs, study in zip(asked, studies, strict=True)]
    slots = {name: slot for own in reversed(each) for name, slot in own.items()}
    slots = {name: slots[name] for name in sentence(question)["slots"] if name in slots}
    defaults = {info.alias or name: info for name, info in question.Inputs.model_fields.items()}

    def value(inputs: Json, name: str) -> str:
        given = inputs.get(name)
        info = defaults.get(name)
        if given is None and info is not None and not info.is_required():
            given = info.get_default(call_default_factory=True)
        return canonical({"": given})

    names = [*slots, *(name for name in defaults if name not in slots)]
    differing = []
    for name in names:
        if len({value(inputs, name) for inputs in asked}) == 1:
            continue
        slot = slots.get(name, {"kind": "way", "label": _spaced(name).capitalize()})
        read = [text.get(name) or _plain(name, inputs) for text, inputs in zip(texts, asked, strict=True)]
        differing.append(DifferingWord(name, slot["kind"], slot["label"], read))
    return differing


def _known(question: type[Question], inputs: Json, study: Study) -> Known:
    modes = study.modes()
    slots = sentence(question, [mode for mode, _ in modes.values()])["slots"]
    asked = modes.get(str(inputs.get("mode") or "walk"))
    rides = asked is not None and asked[0].transit is not None
    # Some words mean something by public transport alone, others nothing there.
    slots = {name: slot for name, slot in slots.items() if slot.get("transit", rides) == rides}
    titles = {entry["id"]: entry["title"].lower() for entry in study.layers()}
    ideas = {idea.id: idea.title for idea in what_ifs.listed(study.reading)}
    measure = question.Inputs.model_fields.get("measure")
    counted = inputs.get("measure") or (None if measure is None else measure.default)
    return Known(titles, ideas, slots, counted if isinstance(counted, str) else "time")


def _read(slot: Json, value: Any, known: Known) -> str:
    shown = slot.get("default") if value is None else value
    if shown in (None, []):
        read = READ.get(slot["control"]) if slot["control"] in ("place", "closures") else None
        return str(slot.get("nothing") or ("nothing" if read is None else read(None, slot, known)))
    text = READ.get(slot["control"], lambda value, slot, known: _spaced(value))(shown, slot, known)
    return str(slot["text"]).replace("{}", text) if slot.get("text") else text


def _plain(name: str, inputs: Json) -> str:
    value = inputs.get(name)
    return f"no {_spaced(name)}" if value in (None, False, []) else f"{_spaced(name)} {_spaced(value)}"


def _spaced(value: Any) -> str:
    return str(value).replace("_", " ")


def _many(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [value]


def _joined(words: list[str]) -> str:
    return "".join(words) if len(words) < 2 else f"{', '.join(words[:-1])} and {words[-1]}"


def _word(value: Any, slot: Json, known: Known) -> str:
    return str((slot.get("words") or {}).get(str(value), value))


def _several(value: Any, slot: Json, known: Known) -> str:
    every = slot.get("every")
    if every and len(_many(value)) == len(slot.get("words") or {}):
        return str(every)
    return _joined([_word(one, slot, known) for one in _many(value)])


def _costs(value: Any, slot: Json, known: Known) -> str:
    words = slot.get("words") or {}
    return _joined([words.get(one, f"least {_spaced(one)}") for one in _many(value)])


def _moment(value: Any, slot: Json, known: Known) -> str:
    when = datetime.fromisoformat(str(value))
    return f"{when:%A} {when.day} {when:%B %Y, %H:%M}"


def _unit(known: Known) -> str:
    return "metres" if known.measure == "distance" else "minutes"


def _limits(value: Any, slot: Json, known: Known) -> str:
    return f"{', '.join(f'{limit:g}' for limit in _many(value))} {_unit(known)}"


def _layer(value: Json, known: Known) -> str:
    title = known.layers.get(value["layer"], _spaced(value["layer"]))
    if value.get("inside"):
        return f"{title} inside an answer"
    return f"{title} where {value['where']}" if value.get("where") else title


def _places(value: Any, slot: Json, known: Known) -> str:
    if value is None:
        return "somewhere"
    if isinstance(value, str):
        return known.layers.get(value, _spaced(value))
    if isinstance(value, list):
        return "a point" if len(value) == 1 or not isinstance(value[0], list) else f"{len(value)} points"
    if "layer" in value:
        return _layer(value, known)
    if "answer" in value:
        return f"{_spaced(value.get('part') or 'results')} of an answer"
    if "name" in value and "type" not in value:
        return str(value["name"])
    features = value.get("features")
    if features is None:
        return "a drawn shape" if value.get("type") not in ("Point", "MultiPoint") else "points"
    names = [(feature.get("properties") or {}).get("name") or f"point {i + 1}" for i, feature in enumerate(features)]
    return _joined(names) if 0 < len(names) <= 3 else f"{len(names)} points"


def _closures(value: Any, slot: Json, known: Known) -> str:
    if value is None:
        return "no street closed"
    factors = [(feature.get("properties") or {}).get("factor") or 0 for feature in value.get("features", [])]
    slowed = [factor > 0 for factor in factors]
    state = "slowed" if slowed and all(slowed) else "closed or slowed" if any(slowed) else "closed"
    return f"{_places(value, slot, known)} {state}"


def _chain(value: Any, slot: Json, known: Known) -> str:
    return ", then on them ".join(_places(one, slot, known) for one in _many(value or [])) or "no layer"


def _rules(value: Any, slot: Json, known: Known) -> str:
    modes = known.slots.get("mode", {}).get("words", {})

    def one(rule: Json) -> str:
        parts = [
            f"by a {modes.get(rule['mode'], rule['mode'])}" if rule.get("mode") else "",
            f"within {', '.join(f'{limit:g}' for limit in rule['limits'])} minutes" if rule.get("limits") else "",
            f"on {_moment(rule['at'], slot, known)}" if rule.get("at") else "",
            f"{rule['add_minutes']:g} min longer" if rule.get("add_minutes") else "",
            f"where {rule['where']}",
        ]
        return ", ".join(part for part in parts if part)

    return "; ".join(one(rule) for rule in value)


def _against(value: Json, slot: Json, known: Known) -> str:
    modes = known.slots.get("mode", {}).get("words", {})
    parts = [f"a {modes.get(value['mode'], value['mode'])}" if value.get("mode") else "the same"]
    if "at" in value:
        parts.append(f"on {_moment(value['at'], slot, known)}" if value["at"] else "in free flow")
    if "closures" in value:
        parts.append(f"with {_closures(value['closures'], slot, known)}")
    if value.get("places"):
        parts.append(f"for {_places(value['places'], slot, known)}")
    return " ".join(parts)


READ: dict[str, Callable[[Any, Json, Known], str]] = {
    "mode": _word,
    "choice": _word,
    "several": _several,
    "measures": _several,
    "costs": _costs,
    "moment": _moment,
    "hours": lambda value, slot, known: _joined([str(hour) for hour in sorted(set(_many(value)))]),
    "place": _places,
    "closures": _closures,
    "chain": _chain,
    "rules": _rules,
    "comparison": _against,
    "fields": lambda value, slot, known: _joined([_spaced(one) for one in _many(value)]),
    "number": lambda value, slot, known: f"{value:,g}",
    "limit": lambda value, slot, known: f"{value:g} {_unit(known)}",
    "limits": _limits,
    "what-ifs": lambda value, slot, known: _joined([known.what_ifs.get(one, _spaced(one)) for one in _many(value)]),
}
"""What a word reads, by how it is changed; any other is its value."""
