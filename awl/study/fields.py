"""The fields on which areas are drawn, kept beside a study: triangulating a town takes a second, reading it nothing."""

from __future__ import annotations

import contextlib
from dataclasses import fields
from pathlib import Path

from awl.core.analysis.isochrone_areas.field import Field, field_of
from awl.core.network.network import Network
from awl.study import kept

LAYOUT = 1
NAMES = tuple(item.name for item in fields(Field))


def kept_field(study: Path, network: Network) -> Field:
    """The field of a network, read from the folder beside the study, or made and stored there if the folder is writable."""
    graph = network.graph
    made_of = (network.usable, graph.shape_start, graph.shape_m, *graph.shape_xy)
    folder = kept.place_of(study, "field", made_of, LAYOUT)
    arrays = kept.loaded(folder, NAMES)
    if arrays is not None:
        return Field(**arrays)
    field = field_of(network)
    with contextlib.suppress(OSError):
        kept.save(folder, {name: getattr(field, name) for name in NAMES})
    return field
