"""A layer in memory: geometries and columns, the common ground of all vector formats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray


@dataclass(frozen=True)
class Layer:
    """Features in WGS 84. `geometry` (n,) Shapely objects, each column a list of n plain values or None."""

    geometry: NDArray[np.object_]
    columns: dict[str, list[Any]]

    def __len__(self) -> int:
        return len(self.geometry)

    def take(self, rows: Sequence[int]) -> Layer:
        """Some of the features."""
        return Layer(self.geometry[list(rows)], {k: [v[i] for i in rows] for k, v in self.columns.items()})

    @staticmethod
    def kinds(geometry: NDArray[np.object_]) -> dict[str, int]:
        """How many features are `point`, `line`, `polygon` or `mixed` (a collection); those without geometry not counted."""
        names = {0: "point", 4: "point", 1: "line", 2: "line", 5: "line", 3: "polygon", 6: "polygon"}
        found: dict[str, int] = {}
        for number, count in zip(*np.unique(shapely.get_type_id(geometry), return_counts=True), strict=True):
            if number >= 0:
                name = names.get(int(number), "mixed")
                found[name] = found.get(name, 0) + int(count)
        return found

    @property
    def kind(self) -> str:
        """`point`, `line`, `polygon`, `mixed` or `empty`."""
        kinds = list(self.kinds(self.geometry))
        return "empty" if not kinds else kinds[0] if len(kinds) == 1 else "mixed"
