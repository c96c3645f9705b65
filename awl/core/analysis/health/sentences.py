"""Each finding in a sentence of its own, with the names of the streets."""

from __future__ import annotations

import numpy as np

from awl.core.analysis.health.findings import NAMES, Findings
from awl.core.graph.street_graph import StreetGraph

TEXTS: dict[str, str] = {
    "near-miss": "{a} ends {size:.1f} m short of {b}.",
    "unjoined-crossing": "{a} and {b} cross without a node.",
    "joined-levels": "{a} and {b} lie on different levels and share a node.",
    "duplicate": "{a} lies on {b} for {size:,.0f} m.",
    "no-length": "{a} has no length.",
    "too-long": "{a} is {km:,.1f} km long between two nodes.",
    "self-crossing": "{a} crosses itself.",
    "isolated": "{size:,.0f} m of street about {a} are joined to nothing; the nearest is {b}, {gap:,.0f} m away.",
    "no-way-out": "{a} can be entered but not left.",
    "no-way-in": "{a} can be left but not entered.",
    "facing": "All streets at this end of {a} lead to it, or all away from it.",
    "absurd-speed": "{a} has the posted limit '{maxspeed}'.",
    "odd-speed": "{a} has a posted limit of {size:.0f} km/h, far from what is usual on such a street.",
    "missing-speed": "{a} has no posted limit; {size:.0f} km/h, the speed of its class, is used.",
    "length-disagrees": "The stated length of {a} differs from its line by {size:,.0f} m.",
    "shut-by-restrictions": "Turn restrictions bar every way on from {a}.",
    "lost-restriction": "Turn restriction {source} names what is missing here, or does not meet.",
    "odd-level": "{a} is stated as {levels}, unlike the streets it goes on as.",
    "far-from-streets": "A place lies {size:,.0f} m from the nearest street, {a}.",
    "covered-by-water": "{a} runs through water for {size:,.0f} m.",
}
EDGE = {
    "no-way-out": "{a} ends here and can be entered but not left, unless the extract is cut here.",
    "no-way-in": "{a} begins here and can be left but not entered, unless the extract is cut here.",
}
"""Where one street ends alone: it may go on outside."""
LEFT_OUT = "Way {source} begins and ends at this one place; it was left out."
LACKING = "Turn restriction {source} names way {size:.0f}, which the extract lacks: it may lie beyond its edge."
CONTRADICTING = "{a} is stated as {levels}."
TOUCHING = "{a} ends on {b} without a node there."
ALONE = "{size:,.0f} m of street about {a} are joined to nothing."


def sentences(graph: StreetGraph, findings: Findings) -> list[str]:
    """A sentence (k,) for each finding.

    Parameters:
        graph: the streets.
        findings: what was found in them.
    """
    gap = np.hypot(findings.to_x - findings.x, findings.to_y - findings.y)
    degree = np.bincount(np.concatenate([graph.link_from, graph.link_to]), minlength=graph.node_count)
    texts = []
    columns = (findings.kind, findings.links, findings.size, gap, findings.source)
    for code, (a, b), size, away, source in zip(*(column.tolist() for column in columns), strict=True):
        ends_alone = a >= 0 and min(degree[graph.link_from[a]], degree[graph.link_to[a]]) == 1
        sentence = _text(NAMES[code], a, b, size, ends_alone).format(
            a=street(graph, a),
            b=street(graph, b),
            size=size,
            km=size / 1000,
            gap=away,
            source=source,
            levels=_levels(graph, a),
            maxspeed=(graph.tag("maxspeed").at(a) if a >= 0 else None) or "",
        )
        texts.append(sentence[0].upper() + sentence[1:])
    return texts


def _text(kind: str, a: int, b: int, size: float, ends_alone: bool) -> str:
    """The sentence of a finding, with blanks."""
    if ends_alone and kind in EDGE:
        return EDGE[kind]
    if kind == "near-miss" and size == 0:
        return TOUCHING
    if kind == "isolated" and b < 0:
        return ALONE
    if kind == "no-length" and a < 0:
        return LEFT_OUT
    if kind == "lost-restriction" and size > 0:
        return LACKING
    return CONTRADICTING if kind == "odd-level" and np.isnan(size) else TEXTS[kind]


def street(graph: StreetGraph, link: int) -> str:
    """A link in words: its name, or its class.

    Parameters:
        graph: the streets.
        link: its row; -1 for none.
    """
    if link < 0:
        return "another street"
    name, kind = graph.tag("name").at(link), (graph.tag("highway").at(link) or "street").replace("_", " ")
    return name or f"an unnamed {kind}"


def _levels(graph: StreetGraph, link: int) -> str:
    """What its tags say of the level of a link."""
    if link < 0:
        return ""
    tags = {key: graph.tag(key).at(link) for key in ("bridge", "tunnel", "layer")}
    return " and ".join(f"{'level' if key == 'layer' else key} {value}" for key, value in tags.items() if value)
