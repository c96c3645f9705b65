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

    @property
    def kind(self) -> str:
        """`point`, `line`, `polygon`, `mixed` or `empty`."""
        names = {0: "point", 4: "point", 1: "line", 2: "line", 5: "line", 3: "polygon", 6: "polygon"}
        kinds = {names.get(int(t), "mixed") for t in np.unique(shapely.get_type_id(self.geometry)) if t >= 0}
        return "empty" if not kinds else kinds.pop() if len(kinds) == 1 else "mixed"
