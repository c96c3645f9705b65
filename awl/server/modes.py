"""The modes of a study: read, tried, changed, copied, given away and taken in as JSON documents. Awl's own routes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from pydantic import BaseModel, ConfigDict, Field

from awl.core.errors import AwlError
from awl.core.modes.mode import SHIPPED, Mode
from awl.core.network.network import Network
from awl.server.web import body, check_version, checked, reply, study_of
from awl.study import modes
from awl.study.study import Study, slug

api = Blueprint("modes", __name__)


class CopyBody(BaseModel):
    """The title of a copy."""

    model_config = ConfigDict(extra="forbid")

    title: str = Field(min_length=1, max_length=60)


@api.get("/studies/<study_id>/modes")
def listed(study_id: str) -> Response:
    """All modes as documents."""
    return reply({"modes": [modes.document(mode) for mode, _ in study_of(study_id).modes().values()]})


@api.get("/studies/<study_id>/modes/<mode_id>")
def one(study_id: str, mode_id: str) -> Response:
    """A mode as a document, to be given away."""
    document = modes.document(study_of(study_id).mode(mode_id))
    return reply(document, Content_Disposition=f'attachment; filename="{mode_id}.mode.json"')


@api.post("/studies/<study_id>/modes")
def take_in(study_id: str) -> Response:
    """Take in a mode document; one whose id is taken gets another."""
    study, mode = study_of(study_id), modes.parsed(body())
    study.try_mode(mode)
    named = _renamed(mode, _free_id(study, mode.id), mode.title)
    study.save_mode(named)
    return reply({"id": named.id}, 201)


@api.put("/studies/<study_id>/modes/<mode_id>")
def change(study_id: str, mode_id: str) -> Response:
    """Change a mode; says which streets that makes unusable, usable or slower. A mode that cannot work is refused."""
    study, mode = study_of(study_id), modes.parsed(body())
    if mode.id != mode_id:
        raise AwlError(f"The document is of mode '{mode.id}'", remedy="Send it to its own address", inputs=("id",))
    check_version(study.modes()[mode_id][1] if mode_id in study.modes() else "", "mode")
    former = _network(study, mode_id)
    network = study.try_mode(mode)
    study.save_mode(mode)
    change = None if former is None else difference(former, network)
    return reply({"id": mode_id, "change": change, "changed": study.modes()[mode_id][1]})


@api.post("/studies/<study_id>/modes/<mode_id>/copy")
def copy(study_id: str, mode_id: str) -> Response:
    """Copy a mode under another title."""
    study, wanted = study_of(study_id), checked(CopyBody, body())
    mode = study.mode(mode_id)
    named = _renamed(mode, _free_id(study, slug(wanted.title)), wanted.title)
    study.save_mode(named)
    return reply({"id": named.id}, 201)


@api.delete("/studies/<study_id>/modes/<mode_id>")
def remove(study_id: str, mode_id: str) -> Response:
    """Remove an own mode, or put a shipped one back as it was."""
    study_of(study_id).remove_mode(mode_id)
    return reply({"id": mode_id, "shipped": mode_id in SHIPPED})


@api.post("/studies/<study_id>/modes/undo")
def undo(study_id: str) -> Response:
    """Take the last change of a mode back."""
    body()
    return reply({"id": study_of(study_id).undo_mode()})


def difference(before: Network, after: Network) -> dict[str, Any]:
    """Links and kilometres that became unusable, usable, or changed their time; nodes at which other time is lost."""
    length = before.graph.link_length
    masks = {
        "lost": before.usable & ~after.usable,
        "won": after.usable & ~before.usable,
        "speed": before.usable & after.usable & (before.duration_ms != after.duration_ms).any(axis=1),
    }
    changes: dict[str, Any] = {
        name: {"links": int(mask.sum()), "km": round(float(length[mask].sum()) / 1000, 3)}
        for name, mask in masks.items()
    }
    return changes | {"delays": _delays_changed(before, after)}


def _delays_changed(before: Network, after: Network) -> int:
    """Nodes of the study at which passing or turning costs another time."""
    one, two = before.turn_delays, after.turn_delays
    count = min(len(one.at_node), len(two.at_node))
    changed = (one.at_node[:count] != two.at_node[:count]) | (one.boarding[:count] != two.boarding[:count])
    turning = [(d.left_s, d.right_s, d.back_s, d.give_way_s) for d in (before.mode.delays, after.mode.delays)]
    if turning[0] != turning[1]:
        changed |= two.choice[:count]
    return int(changed.sum())


def _network(study: Study, ident: str) -> Network | None:
    """The network of a mode as it is, None for one that is not there or cannot be used."""
    try:
        return study.network(ident)
    except AwlError:
        return None


def _free_id(study: Study, wanted: str) -> str:
    known, ident, number = study.modes(), wanted[:36], 2
    while ident in known:
        ident, number = f"{wanted[:36]}_{number}", number + 1
    return ident


def _renamed(mode: Mode, ident: str, title: str) -> Mode:
    return modes.parsed({**modes.document(mode), "id": ident, "title": title})
