"""A question in words, as the sheet reads it: its changeable words, and its whole sentence."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from awl.core.modes.mode import Mode
from awl.questions.describe import CLAUSES, sentence
from awl.questions.inputs import Json
from awl.questions.question import Question
from awl.study import sheet_records, what_ifs
from awl.study.records import canonical
from awl.study.study import Study


@dataclass(frozen=True)
class Vocabulary:
    """What words of a study are read with.

    Attributes:
        layers: title and number of features of each layer, by its id.
        what_ifs: titles of what-ifs by their ids.
        questions: what questions of sheets are called, by their ids.
        modes: the modes; a question is worded for the one it is asked with.
    """

    layers: Mapping[str, tuple[str, int]]
    what_ifs: Mapping[str, str]
    questions: Mapping[str, str]
    modes: Sequence[Mode]


@dataclass(frozen=True)
class Known:
    """What words of a question are read with: those of its study, its own slots, and what its limits count."""

    words: Vocabulary
    slots: Json
    sentences: list[Json]
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


def vocabulary_of(study: Study) -> Vocabulary:
    """The words of a study."""
    questions = {}
    for sheet in sheet_records.listed(study.reading):
        for number, block in enumerate(sheet_records.questions(study.reading, sheet["id"]), 1):
            questions[block["id"]] = f"'{block['title']}'" if block.get("title") else f"answer {number}"
    return Vocabulary(
        {entry["id"]: (entry["title"], entry.get("count", 0)) for entry in study.layers()},
        {idea.id: idea.title for idea in what_ifs.listed(study.reading)},
        questions,
        [mode for mode, _ in study.modes().values()],
    )


def words_of(question: type[Question], inputs: Json, words: Vocabulary) -> dict[str, str]:
    """What each changeable word of a question reads, by the input it is."""
    known = _known(question, inputs, words)
    return {name: _read(slot, inputs.get(name), known) for name, slot in known.slots.items()}


@dataclass(frozen=True)
class Word:
    """A changeable word where it stands in a sentence: the input that it is, and what it reads."""

    name: str
    text: str


def sentence_of(question: type[Question], inputs: Json, study: Study) -> str:
    """A question as a sentence, asked of a study."""
    return as_text(sentence_pieces(question, inputs, vocabulary_of(study)))


def as_text(pieces: list[str | Word]) -> str:
    """A sentence of its pieces."""
    return "".join(piece if isinstance(piece, str) else piece.text for piece in pieces)


def sentence_pieces(
    question: type[Question], inputs: Json, words: Vocabulary, wanted: Collection[str] = ()
) -> list[str | Word]:
    """A question as a sentence, text and changeable words in turn.

    Parameters:
        question: the question.
        inputs: what is asked.
        words: the words of the study it is asked of.
        wanted: words that are in it even where they have their default, as far as it has a place for them.
    """
    known, text = _known(question, inputs, words), words_of(question, inputs, words)

    def given(name: str) -> Any:
        value = inputs.get(name)
        return known.slots.get(name, {}).get("default") if value is None else value

    fits = next(
        (one["text"] for one in known.sentences if all(given(name) == value for name, value in one["when"].items())),
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
    words = [vocabulary_of(study) for study in studies]
    texts = [words_of(question, inputs, own) for inputs, own in zip(asked, words, strict=True)]
    each = [_known(question, inputs, own).slots for inputs, own in zip(asked, words, strict=True)]
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


def _known(question: type[Question], inputs: Json, words: Vocabulary) -> Known:
    described = sentence(question, words.modes)
    asked = next((mode for mode in words.modes if mode.id == str(inputs.get("mode") or "walk")), None)
    rides = asked is not None and asked.transit is not None
    # Some words mean something by public transport alone, others nothing there.
    slots = {name: slot for name, slot in described["slots"].items() if slot.get("transit", rides) == rides}
    measure = question.Inputs.model_fields.get("measure")
    counted = inputs.get("measure") or (None if measure is None else measure.default)
    return Known(words, slots, described["sentences"], counted if isinstance(counted, str) else "time")


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


def _layer(value: Json, known: Known, counted: bool = True) -> str:
    title, count = known.words.layers.get(value["layer"], (_spaced(value["layer"]), None))
    if value.get("where"):
        return f"{title.lower()} where {value['where']}"
    return f"{count:,} {title.lower()}" if counted and count is not None else title.lower()


def _places(value: Any, slot: Json, known: Known) -> str:
    if value is None:
        return "somewhere"
    if isinstance(value, str):
        return _layer({"layer": value}, known) if value in known.words.layers else _spaced(value)
    if isinstance(value, list):
        return "a point" if len(value) == 1 or not isinstance(value[0], list) else f"{len(value)} points"
    if "layer" in value:
        if value.get("inside"):
            answer = known.words.questions.get(value["inside"], "an answer")
            return f"{_layer(value, known, False)} inside {answer}"
        return _layer(value, known)
    if "answer" in value:
        answer = known.words.questions.get(value["answer"], "an answer")
        return f"{_spaced(value.get('part') or 'results')} of {answer}"
    if "name" in value and "type" not in value:
        return str(value["name"])
    features = value.get("features")
    if features is None:
        return "a drawn shape" if value.get("type") not in ("Point", "MultiPoint") else "points"
    names = [(feature.get("properties") or {}).get("name") or f"point {i + 1}" for i, feature in enumerate(features)]
    if not names:
        return str((slot.get("points") or {}).get("empty", "a point"))
    return _joined(names) if len(names) <= 3 else f"{len(names)} points"


def _closures(value: Any, slot: Json, known: Known) -> str:
    if value is None:
        return "no street closed"
    if "features" not in value and (value.get("properties") or {}).get("name"):
        value = {"features": [value]}
    factors = [(feature.get("properties") or {}).get("factor") or 0 for feature in value.get("features", [])]
    slowed = [factor > 0 for factor in factors]
    state = "slowed" if slowed and all(slowed) else "closed or slowed" if any(slowed) else "closed"
    return f"{_places(value, slot, known)} {state}"


def _chain(value: Any, slot: Json, known: Known) -> str:
    titles = []
    for one in _many(value or []):
        is_layer = isinstance(one, dict) and "layer" in one
        titles.append(_layer(one, known, False) if is_layer else _places(one, slot, known))
    return ", then on them ".join(titles) or "no layer"


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


def _hours(hours: list[int]) -> str:
    """Hours of a day, those that follow each other as a stretch."""
    stretches: list[list[int]] = []
    for hour in sorted(set(hours)):
        if stretches and stretches[-1][1] == hour - 1:
            stretches[-1][1] = hour
        else:
            stretches.append([hour, hour])
    texts: list[str] = []
    for first, last in stretches:
        texts += [f"{first} to {last}"] if last - first > 1 else [str(hour) for hour in range(first, last + 1)]
    return _joined(texts)


def _against(value: Json, slot: Json, known: Known) -> str:
    modes = known.slots.get("mode", {}).get("words", {})
    parts = [f"a {modes.get(value['mode'], value['mode'])}" if value.get("mode") else "the same"]
    if "at" in value:
        parts.append(f"on {_moment(value['at'], slot, known)}" if value["at"] else "in free flow")
    if "closures" in value:
        parts.append(f"with {_closures(value['closures'], slot, known)}")
    if value.get("places"):
        parts.append(f"for {_places(value['places'], slot, known)}")
    if value.get("direction"):
        words = (known.slots.get("direction") or {}).get("words") or {}
        parts.append(str(words.get(value["direction"], value["direction"])))
    return " ".join(parts)


def _window(value: Any, slot: Json, known: Known) -> str:
    begin, slash, end = str(value).partition("/")
    return f"between {begin} and {end}" if slash else f"at the times in {_spaced(value)}"


def _room(value: Any, slot: Json, known: Known) -> str:
    return f"as many as {_spaced(value)} says" if isinstance(value, str) else f"{value:,} each"


def _shares(value: Json, slot: Json, known: Known) -> str:
    modes = known.slots.get("mode", {}).get("words", {})
    return _joined([f"{share:g}% as a {modes.get(mode, _spaced(mode))}" for mode, share in value.items()])


def _sweep(value: Json, slot: Json, known: Known) -> str:
    words = slot.get("words") or {}
    return _joined([f"{_numbers(values)} {words.get(name, _spaced(name))}" for name, values in value.items()])


def _numbers(values: list[Any]) -> str:
    """All of a few numbers, the first and the last of many."""
    plain = [f"{value:,}".removesuffix(".0") for value in values]
    return ", ".join(plain) if len(plain) <= 5 else f"{plain[0]} to {plain[-1]}"


READ: dict[str, Callable[[Any, Json, Known], str]] = {
    "mode": _word,
    "choice": _word,
    "several": _several,
    "measures": _several,
    "costs": _costs,
    "moment": _moment,
    "hours": lambda value, slot, known: _hours(_many(value)),
    "place": _places,
    "closures": _closures,
    "chain": _chain,
    "rules": _rules,
    "comparison": _against,
    "fields": lambda value, slot, known: _joined([_spaced(one) for one in _many(value)]),
    "number": lambda value, slot, known: f"{value:,}".removesuffix(".0"),
    "limit": lambda value, slot, known: f"{value:g} {_unit(known)}",
    "limits": _limits,
    "window": _window,
    "room": _room,
    "shares": _shares,
    "sweep": _sweep,
    "names": lambda value, slot, known: _joined([str(one) for one in _many(value)]),
    "what-ifs": lambda value, slot, known: _joined(
        [known.words.what_ifs.get(one, _spaced(one)) for one in _many(value)]
    ),
}
"""What a word reads, by how it is changed; any other is its value."""
