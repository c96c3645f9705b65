"""The fields on which areas are drawn, kept beside a study: triangulating a town takes a second, reading it nothing."""

from __future__ import annotations

import contextlib
from dataclasses import fields
from pathlib import Path

from awl.core.analysis.isochrone_areas.field import Field, field_of
from awl.core.network.network import Network
from awl.study import kept

LAYOUT = 2
NAMES = tuple(item.name for item in fields(Field))


def kept_field(study: Path, network: Network, former: Field | None = None) -> Field:
    """The field of a network, read from the folder beside the study, or made.

    One that is made anew is stored there; one that is made of a `former` one waits until `keep_field` says that it lasts.

    Parameters:
        study: the study file.
        network: the streets of a mode.
        former: the field before some of the streets were edited.
    """
    folder = _folder(study, network)
    arrays = kept.loaded(folder, NAMES)
    if arrays is not None:
        return Field(**arrays)
    field = field_of(network, former)
    if former is None:
        _save(folder, field)
    return field


def keep_field(study: Path, network: Network, field: Field) -> None:
    """Store a field where it is not.

    Parameters:
        study: the study file.
        network: the streets of a mode.
        field: its field.
    """
    folder = _folder(study, network)
    if not folder.exists():
        _save(folder, field)


def _save(folder: Path, field: Field) -> None:
    with contextlib.suppress(OSError):
        kept.save(folder, {name: getattr(field, name) for name in NAMES})


def _folder(study: Path, network: Network) -> Path:
    graph = network.graph
    return kept.place_of(study, "field", (network.usable, graph.shape_start, graph.shape_m, *graph.shape_xy), LAYOUT)
