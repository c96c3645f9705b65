"""The last answers that can be played on the map, held so that none is run twice."""

from __future__ import annotations

import threading
from collections import OrderedDict

from awl.questions.inputs import Json
from awl.questions.results import Answer
from awl.questions.simulate.run import SimulateResult
from awl.study.records import canonical
from awl.study.study import Study

MOST_HELD = 3


class LastPlayed:
    """The last answers that can be played, by what was asked of which streets."""

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[str, str, str], Answer] = OrderedDict()
        self._lock = threading.Lock()

    def keep(self, study: Study, process: str, inputs: Json, answer: Answer) -> None:
        """Hold an answer if it can be played."""
        if isinstance(answer.result, SimulateResult):
            with self._lock:
                self._held[self._key(study, process, inputs)] = answer
                while len(self._held) > MOST_HELD:
                    self._held.popitem(last=False)

    def find(self, study: Study, process: str, inputs: Json) -> Answer | None:
        """The answer to a question if it is held."""
        with self._lock:
            return self._held.get(self._key(study, process, inputs))

    @staticmethod
    def _key(study: Study, process: str, inputs: Json) -> tuple[str, str, str]:
        return f"{study.path} {study.content}", process, canonical(inputs)
