"""What each kind of edit does to the rows it concerns. None of them leaves a link without both its nodes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from awl.core.errors import AwlError
from awl.core.graph.edits.edit import Edit
from awl.core.graph.edits.records import LinkRecord, Tags, TurnRecord
from awl.core.graph.edits.workspace import Place, Workspace, in_metres, metres_off, point_on

JOIN_M = 1.0
"""An end of a new street this near to a street or node meets it."""
LED_M = 60.0
"""An end of a street this near to the place where it is to join others is led there."""
NEW_RELATION = 0
"""Turn restrictions that the source does not know have no relation."""


def _add(work: Workspace, edit: Edit) -> None:
    points = tuple(edit.points)
    first, last = (_node_for(work, point) for point in (points[0], points[-1]))
    ends = tuple((record.lon, record.lat) for record in (work.node(first), work.node(last)))
    line = (ends[0], *points[1:-1], ends[1])
    if first == last and len(set(line)) < 3:
        raise AwlError("The street begins and ends at one place", inputs=("points",), kind="edit-does-not-fit")
    tags = {"highway": "residential"} | {key: text for key, text in edit.tags.items() if text}
    work.put_link(replace(work.new_link(first, last, line), tags=tags))


def _node_for(work: Workspace, place: Place) -> int:
    """The node at a place: one that is there, one on a street that is broken for it, or a new one."""
    node, link = _touched(work, place)
    if node is not None:
        return node
    return work.new_node(place) if link is None else work.split(link, place)


def _touched(work: Workspace, place: Place) -> tuple[int | None, int | None]:
    """The node within `JOIN_M` of a place; or else the link."""
    nodes, links = work.near(place, JOIN_M)
    if nodes:
        return min(nodes, key=lambda i: (_apart(work, i, place), i)), None
    touched = [(metres_off(work.link(i), place), i) for i in links]
    distance, link = min(touched, default=(np.inf, 0))
    return None, link if distance <= JOIN_M else None


def _apart(work: Workspace, node: int, place: Place) -> float:
    record = work.node(node)
    return float(np.hypot(*in_metres(np.array([[record.lon, record.lat]]), place)[0]))


def _delete(work: Workspace, edit: Edit) -> None:
    for ident in edit.links:
        work.drop_link(ident)


def _reverse(work: Workspace, edit: Edit) -> None:
    """The line is drawn the other way, and all that goes by its direction goes the other way too."""
    for ident in edit.links:
        work.put_link(work.link(ident).reversed())


def _change(work: Workspace, edit: Edit) -> None:
    for ident in edit.links:
        link = work.link(ident)
        work.put_link(replace(link, tags=_changed(link.tags, edit.tags)))


def _changed(tags: Tags, change: Mapping[str, str | None]) -> Tags:
    both = {**tags, **change}
    return {key: text for key, text in both.items() if text}


def _reshape(work: Workspace, edit: Edit) -> None:
    link = work.link(edit.links[0])
    work.put_link(link.along(tuple(edit.points)))
    for node, place in ((link.tail, edit.points[0]), (link.head, edit.points[-1])):
        record = work.node(node)
        if (record.lon, record.lat) != place:
            _move_node(work, node, place)


def _split(work: Workspace, edit: Edit) -> None:
    node = work.split(edit.links[0], edit.points[0])
    if edit.tags:
        record = work.node(node)
        work.put_node(replace(record, tags=_changed(record.tags, edit.tags)))


def _join(work: Workspace, edit: Edit) -> None:
    place = edit.points[0]
    if len(edit.links) < 2:
        raise AwlError("To join takes two streets", inputs=("links",), kind="edit-does-not-fit")
    nodes = []
    for ident in edit.links:
        node = _end_to_lead(work, work.link(ident), place)
        nodes.append(work.split(_there_now(work, ident, place), place) if node is None else node)
    # All are led to the node that stands nearest to the place.
    at = min(nodes, key=lambda i: (_apart(work, i, place), i))
    for node in dict.fromkeys(nodes):
        work.replace_node(node, at)


def _there_now(work: Workspace, ident: int, place: Place) -> int:
    """The link that is to be split: the one that is named, or what lies at the place since that one was split elsewhere."""
    if metres_off(work.link(ident), place) <= JOIN_M:
        return ident
    distances = [(metres_off(work.link(i), place), i) for i in work.near(place, JOIN_M)[1]]
    nearest, other = min(distances, default=(np.inf, ident))
    return other if nearest <= JOIN_M else ident


def _end_to_lead(work: Workspace, link: LinkRecord, place: Place) -> int | None:
    """The end of a link that is to be led to a place: a dead end nearer to it than half of the link, not on its line."""
    if metres_off(link, place) <= JOIN_M / 2 and point_on(link, place) not in (link.line[0], link.line[-1]):
        return None
    reach = min(LED_M, link.length / 2) if link.length > JOIN_M else LED_M
    ends = [(_apart(work, node, place), node) for node in (link.tail, link.head) if len(work.links_at(node)) == 1]
    distance, node = min(ends, default=(np.inf, 0))
    return node if distance <= reach else None


def _separate(work: Workspace, edit: Edit) -> None:
    record = work.node(edit.node)
    apart = [ident for ident in edit.links if edit.node in (work.link(ident).tail, work.link(ident).head)]
    if not apart or len(apart) == len(work.links_at(edit.node)):
        raise AwlError(
            f"At node {edit.node} there is nothing to separate these links from",
            inputs=("links",),
            kind="edit-does-not-fit",
        )
    new = work.new_node((record.lon, record.lat))
    work.put_node(replace(work.node(new), border=record.border))
    for ident in apart:
        link = work.link(ident)
        tail, head = (new if node == edit.node else node for node in (link.tail, link.head))
        work.put_link(replace(link, tail=tail, head=head))
    crossing = {ident: ident in apart for turn in work.turns for ident in (turn.from_link, turn.to_link)}
    work.set_turns(
        replace(t, via_node=new) if t.via_node == edit.node and crossing[t.from_link] and crossing[t.to_link] else t
        for t in work.turns
        if t.via_node != edit.node or t.via_links or crossing[t.from_link] == crossing[t.to_link]
    )


def _move(work: Workspace, edit: Edit) -> None:
    _move_node(work, edit.node, edit.points[0])


def _move_node(work: Workspace, node: int, place: Place) -> None:
    """Move a node; the first or last vertex of its links moves with it."""
    record = work.node(node)
    work.put_node(replace(record, lon=place[0], lat=place[1]))
    for ident in work.links_at(node):
        link = work.link(ident)
        line = list(link.line)
        if link.tail == node:
            line[0] = place
        if link.head == node:
            line[-1] = place
        if tuple(line) != link.line:
            work.put_link(link.along(tuple(line)))


def _node(work: Workspace, edit: Edit) -> None:
    record = work.node(edit.node)
    work.put_node(replace(record, tags=_changed(record.tags, edit.tags)))


def _restrict(work: Workspace, edit: Edit) -> None:
    first, *between, last = edit.links
    node = edit.node
    for ident in (first, *between, last):
        if node not in (work.link(ident).tail, work.link(ident).head):
            raise AwlError(f"Link {ident} does not end at node {node}", inputs=("links",), kind="edit-does-not-fit")
        if ident in between:
            node = work.link(ident).head if work.link(ident).tail == node else work.link(ident).tail
    kind = edit.tags.get("restriction") or ("no_u_turn" if first == last else "no_turn")
    turn = TurnRecord(
        NEW_RELATION, first, edit.node, tuple(between), last, kind, edit.tags.get("vehicle"), edit.tags.get("except"),
        edit.tags.get("condition"),
    )  # fmt: skip
    if turn not in work.turns:
        work.set_turns([*work.turns, turn])


def _allow(work: Workspace, edit: Edit) -> None:
    first, last = edit.links[0], edit.links[-1]
    left = [t for t in work.turns if (t.from_link, t.via_node, t.to_link) != (first, edit.node, last)]
    if len(left) == len(work.turns):
        raise AwlError(
            f"No turn restriction holds there at node {edit.node}", inputs=("links",), kind="edit-does-not-fit"
        )
    work.set_turns(left)


OPERATIONS: dict[str, Callable[[Workspace, Edit], None]] = {
    "add": _add, "delete": _delete, "reverse": _reverse, "change": _change, "reshape": _reshape, "split": _split, "join": _join,
    "separate": _separate, "move": _move, "node": _node, "restrict": _restrict, "allow": _allow,
}  # fmt: skip
