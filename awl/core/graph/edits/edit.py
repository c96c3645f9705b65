"""What one edit says: a kind, the links and nodes it concerns by their ids, places, attributes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from awl.core.errors import AwlError

KINDS: dict[str, str] = {
    "add": "A street is drawn along `points`, with `tags`; what it touches at its ends is joined to it.",
    "delete": "`links` are taken out, and nodes that nothing is left at.",
    "reverse": "`links` run the other way.",
    "change": "`links` get `tags`; None takes an attribute away.",
    "reshape": "One of `links` runs along `points`, its ends included; ends that move take what meets there with them.",
    "split": "One of `links` gets a node at the one place of `points`, with `tags` as its own.",
    "join": "All `links` meet at the one place of `points`: those that end near it are led to it, others split there.",
    "separate": "At `node`, `links` get an end of their own: nothing leads on from them there.",
    "move": "`node` moves to the one place of `points`, and the ends of its links with it.",
    "node": "`node` gets `tags`: a barrier is put, moved away or changed.",
    "restrict": "From the first of `links` over `node` one may not turn into the last.",
    "allow": "Turn restrictions from the first of `links` over `node` to the last are taken out.",
}
"""The kinds of edits, and what each does with what it is given."""
NEEDS: dict[str, tuple[str, ...]] = {
    "add": ("points",), "delete": ("links",), "reverse": ("links",), "change": ("links", "tags"), "reshape": ("links", "points"),
    "split": ("links", "points"), "join": ("links", "points"), "separate": ("links", "node"), "move": ("node", "points"),
    "node": ("node", "tags"), "restrict": ("links", "node"), "allow": ("links", "node"),
}  # fmt: skip
ONE_PLACE = ("split", "join", "move")
LINES = ("add", "reshape")
MOST_POINTS = 5_000
MOST_LINKS = 100_000


@dataclass(frozen=True)
class Edit:
    """One change of a street graph; see `KINDS`.

    Attributes:
        kind: which change.
        links: ids of links.
        node: id of a node, 0 for none.
        points: places in degrees, longitude first.
        tags: attributes; None takes one away.
        note: why, in the words of whoever made it.
        first_ids: the lowest ids this edit gives to new nodes and links; (0, 0) where they are not settled yet.
    """

    kind: str
    links: tuple[int, ...] = ()
    node: int = 0
    points: tuple[tuple[float, float], ...] = ()
    tags: Mapping[str, str | None] = field(default_factory=dict)
    note: str = ""
    first_ids: tuple[int, int] = (0, 0)

    def __post_init__(self) -> None:
        """Refuse what says nothing."""
        if self.kind not in KINDS:
            raise AwlError(
                f"'{self.kind[:40]}' is no kind of edit", remedy=f"Kinds are: {', '.join(KINDS)}", inputs=("kind",)
            )
        for name in NEEDS[self.kind]:
            if not getattr(self, name):
                raise AwlError(f"An edit of kind '{self.kind}' needs '{name}'", remedy=KINDS[self.kind], inputs=(name,))
        count = len(self.points)
        if (self.kind in ONE_PLACE and count != 1) or (self.kind in LINES and not 2 <= count <= MOST_POINTS):
            wanted = "one place" if self.kind in ONE_PLACE else f"a line of 2 to {MOST_POINTS:,} points"
            raise AwlError(
                f"An edit of kind '{self.kind}' has {count} points", remedy=f"Give {wanted}", inputs=("points",)
            )
        if len(self.links) > MOST_LINKS:
            raise AwlError(
                f"An edit of {len(self.links):,} links",
                remedy=f"Change at most {MOST_LINKS:,} at once",
                inputs=("links",),
            )
        for lon, lat in self.points:
            if not (-180 <= lon <= 180 and -90 <= lat <= 90):
                raise AwlError(
                    f"{lon}, {lat} is no place on Earth",
                    remedy="Give longitude, then latitude, in degrees",
                    inputs=("points",),
                )

    def with_first_ids(self, node: int, link: int) -> Edit:
        """The same edit, whose new nodes and links are numbered from here on.

        Parameters:
            node: the lowest id of a new node.
            link: the lowest id of a new link.
        """
        return replace(self, first_ids=(node, link))
