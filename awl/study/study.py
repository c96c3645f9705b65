"""A study: one file that holds all that belongs to one job, and what the modes make of its streets."""

from __future__ import annotations

import contextlib
import threading
import time
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.field import TiledField
from awl.core.errors import AwlError, Cancelled, nearest
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.mode import Mode
from awl.core.modes.slope import Heights, heights_of
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.cch.hierarchy import Hierarchy
from awl.core.routing.cch.known_order import KnownOrder
from awl.core.routing.path import accumulated_with
from awl.core.routing.router import RouterCache, StreetRouter
from awl.core.routing.snapping import Snapper
from awl.study import hierarchies, mode_costs, modes, street_changes
from awl.study.fields import draw_ahead, kept_field
from awl.study.last_sketch import MOST_LINKS, LastSketch
from awl.study.study_file import CHANGEABLE, NewLayer, StudyFile, slug

__all__ = ["CHANGEABLE", "NewLayer", "Study", "slug"]


REST_AFTER_EDIT_S = 15.0
"""So long after an edit of the streets nothing is prepared for them: plain searches serve while somebody draws."""


@dataclass(frozen=True)
class Preparation:
    """How far preparing is: of `modes` as many are `ready`, and of `mode` this `share` (0 to 1), at `what`."""

    modes: int
    ready: int
    mode: str
    share: float
    what: str


class Study(StudyFile):
    """An open study; `preparation` says what is prepared behind, None when nothing is."""

    def __init__(self, path: Path) -> None:
        """Open an existing study file; raises `AwlError` when it is none."""
        super().__init__(path)
        self._preparing: threading.Thread | None = None
        self.preparation: Preparation | None = None
        self._in_preparation = Progress()
        self._is_closed = False
        self._prepared: tuple[str, dict[str, str]] | None = None
        self.last_sketch: LastSketch | None = None
        self._former_heights: tuple[dict[str, Any] | None, StreetGraph, Heights] | None = None
        self._former_routers: dict[str, StreetRouter] = {}
        self._former_orders: dict[str, KnownOrder] = {}
        self._former_fields: dict[str, TiledField] = {}

    def mode(self, ident: str) -> Mode:
        """A mode by its id."""
        known = self.modes()
        if ident not in known:
            raise AwlError(
                f"There is no mode '{ident}'.{nearest(ident, known)}",
                remedy=f"Modes are: {', '.join(known)}",
                inputs=("mode",),
                kind="no-such-mode",
            )
        return known[ident][0]

    def modes(self) -> dict[str, tuple[Mode, str]]:
        """All modes by id, with when each was changed."""
        return modes.listed(self._connection)

    def try_mode(self, mode: Mode) -> Network:
        """The network a mode would have; raises when it cannot be used."""
        graph, heights = self.graph, self.heights
        if mode.measured and mode.measured not in (*graph.costs, *graph.tags):
            raise AwlError(
                f"The streets have no attribute '{mode.measured}'",
                remedy=f"Attributes are: {', '.join([*graph.costs, *graph.tags])}",
                inputs=("measured",),
            )
        rule = modes.first_rule(self._connection, mode.rules, graph)
        network = Network.of(graph, mode, self.keep_parts, rule, heights, own=self._own_costs)
        _ = network.own_costs  # faulty ones are refused now
        return network

    def _own_costs(self, network: Network) -> dict[str, NDArray[np.float64]]:
        if not network.mode.costs:
            return {}
        climb = None if self.heights is None else self.heights.climb()
        return mode_costs.evaluated(self._connection, network, climb)

    @property
    def heights(self) -> Heights | None:
        """Heights along the streets, from the first elevation raster; None where there is none that covers any street."""

        def make() -> Heights | None:
            source, kept = self._elevation_entry, self._former_heights
            former = kept[1:] if kept is not None and kept[0] == source else None
            if source is None or not (former or self.raster_coverage(source["id"])):
                return None
            return heights_of(self.graph, self.raster(source["id"]).at, former)

        return self.cached("heights", make)

    def content_changed(self, former: tuple[str, str], now: tuple[str, str]) -> None:
        """Drop what was derived; where the streets were edited and nothing else, but what that of the new ones can be made of."""
        (before, content_before), (after, content_after) = former, now
        if content_before == content_after and street_changes.lead(self._connection, before, after) is not None:
            self._set_aside(before)
        else:
            self.forget()

    def _set_aside(self, before: str) -> None:
        """Drop what was derived of streets of a revision; they, their heights, their routers and the raster are set aside."""
        graph, heights, source = self.derived("graph"), self.derived("heights"), self._elevation_entry
        raster = None if source is None else self.derived(("raster", source["id"]))
        former_heights = self._former_heights if graph is None or heights is None else (source, graph, heights)
        routers = {mode: cache.free for mode in self.modes() if (cache := self.derived(("routers", mode))) is not None}
        former_routers = {**self._former_routers, **routers}
        former_orders = {**self._former_orders, **_orders(former_routers)}
        fields = {mode: field for mode in self.modes() if (field := self.derived(("field", mode))) is not None}
        former_fields = {**self._former_fields, **fields}
        former_streets = self._former_streets if graph is None else (before, graph)
        self.forget()
        self._former_heights, self._former_streets = former_heights, former_streets
        self._former_routers, self._former_fields = former_routers, former_fields
        self._former_orders = former_orders
        if raster is not None and source is not None:
            self.cached(("raster", source["id"]), lambda: raster)

    def hold_sketch(self, sketch: LastSketch) -> None:
        """Hold what was worked out for edits nobody has made yet, until others are drawn or the streets change."""
        former, self.last_sketch = self.last_sketch, sketch
        if former is not None:
            former.study.forget()  # what was derived refers to it: nothing else would let go of its arrays for a while
        if sketch.applied.graph.link_count > MOST_LINKS:
            self.last_sketch = None
            sketch.study.forget()

    def take_over_sketch(self, sketch: LastSketch) -> None:
        """Go on with what was derived of the present streets while they were only drawn."""
        by_mode = [(what, ident) for what in ("routers", "snapper") for ident in self.modes()]
        self._take_derived(sketch.study, ["heights", *by_mode])
        sketch.study.forget()

    def forget(self) -> None:
        """Drop what was derived, after a change of layers or streets."""
        self.last_sketch = None
        super().forget()
        self._former_heights = None
        self._former_routers = {}
        self._former_orders = {}
        self._former_fields = {}
        self._former_streets = None

    def raster_coverage(self, ident: str) -> float | None:
        """Share of the street nodes at which a raster has a value; None where there are no streets."""
        if not self.revision:
            return None
        graph = self.graph
        return self.cached(
            ("coverage", ident),
            lambda: float(np.isfinite(self.raster(ident).at(graph.node_lon, graph.node_lat)).mean()),
        )

    def raster_notes(self, ident: str) -> list[str]:
        """What to know of a raster before relying on it: how much of the streets it covers, and whether it is used at all."""
        entry = next(entry for entry in self.rasters() if entry["id"] == ident)
        notes = []
        coverage = self.raster_coverage(ident)
        if coverage is not None and coverage < 1:
            what = "no street" if coverage == 0 else f"{coverage:.1%} of the street nodes"
            notes.append(f"It covers {what}.")
        if entry["role"] == "elevation" and self.elevation != ident:
            notes.append(f"It is not used: heights come from '{self.elevation}', the first elevation raster.")
        return notes

    @property
    def elevation(self) -> str | None:
        """The raster that heights are taken from: the first for elevation."""
        entry = self._elevation_entry
        return None if entry is None else str(entry["id"])

    @property
    def _elevation_entry(self) -> dict[str, Any] | None:
        return next((entry for entry in self.rasters() if entry["role"] == "elevation"), None)

    def save_mode(self, mode: Mode) -> None:
        """Keep a new or changed mode."""
        with self.writing() as connection:
            modes.save(connection, mode)
        self._prepared = None

    def remove_mode(self, ident: str) -> None:
        """Remove an own mode, or put a shipped one back as it was."""
        self.mode(ident)
        with self.writing() as connection:
            modes.remove(connection, ident)
        self._prepared = None

    def undo_mode(self) -> str:
        """Take the last change of a mode back; returns its id."""
        with self.writing() as connection:
            ident = modes.undo(connection)
        if ident is None:
            raise AwlError("There is nothing to undo", status=409, kind="nothing-to-undo")
        self._prepared = None
        return ident

    def router(self, mode: str, when: datetime | None = None) -> StreetRouter:
        """The router of a mode, in free flow or at a local date and time."""
        known = self.mode(mode)
        return self.cached(("routers", mode), lambda: RouterCache(self._router(mode, known)), known).at(when)

    def _router(self, mode: str, known: Mode) -> StreetRouter:
        """The router in free flow; after an edit of costs alone with what was prepared before, put right in part."""
        network, former = self.try_mode(known), self._former_routers.pop(mode, None)
        high = None
        if former is not None:
            network.streets.take_over(former.network.streets)
        if former is not None and former.hierarchy is not None:
            high = Hierarchy.following(former.hierarchy, former.network, network)
        return StreetRouter(network, high)

    def network(self, mode: str, when: datetime | None = None) -> Network:
        """The network of a mode, in free flow or at a local date and time."""
        return self.router(mode, when).network

    def prepare(self) -> threading.Thread | None:
        """Prepare the fields and hierarchies of all modes in a thread of its own; until then questions search plainly.

        Returns the thread, None when nothing is to be done or it is being done.
        """
        with self._derived_lock:
            if self.is_preparing or self.is_being_edited:
                return None
            wanted = self.revision, {ident: changed for ident, (_, changed) in self.modes().items()}
            if not self.revision or wanted == self._prepared:
                return None
            self._preparing, self._prepared = threading.Thread(target=self._prepare, daemon=True), wanted
            self._preparing.start()
            return self._preparing

    @property
    def prepared(self) -> Any:
        """The revision of the streets, and when each mode was changed, for which it was prepared last; None for none."""
        return self._prepared

    @property
    def is_being_edited(self) -> bool:
        """Whether its streets were edited a moment ago: what is prepared for them now would be for nothing."""
        return time.monotonic() - self._edited_at < REST_AFTER_EDIT_S

    @property
    def is_preparing(self) -> bool:
        """Whether something is prepared behind."""
        return self._preparing is not None and self._preparing.is_alive()

    def _prepare(self) -> None:
        modes = list(self.modes())
        try:
            for number, mode in enumerate(modes):
                progress = self._in_preparation = Progress(partial(self._tell, len(modes), number, mode))
                if self._is_closed:
                    return
                progress.step(0.0, "drawing its field")
                # A mode that can use no street is told of elsewhere; where nothing can be kept, plain searches go on serving.
                with contextlib.suppress(AwlError, OSError), progress.running():
                    draw_ahead(self.field(mode), progress.part(0.0, 0.1))
                    self.wait_until_prepared(mode, progress.part(0.1, 0.9))
                    self._trim(mode, progress.part(0.9, 1.0))
        except Cancelled:
            return
        finally:
            self.preparation = None

    def close(self) -> None:
        """Let what is prepared behind end soon: nobody will ask."""
        self._is_closed = True
        self._in_preparation.stop()

    def _tell(self, modes: int, ready: int, mode: str, share: float, what: str) -> None:
        self.preparation = Preparation(modes, ready, mode, share, what)

    def wait_until_prepared(self, mode: str, progress: Progress | None = None) -> None:
        """Have the hierarchy of a mode ready, at once if it is kept, in seconds for a town if it is not."""
        router, progress = self.router(mode), progress or Progress()
        network = router.network
        with self._hierarchy_lock:
            if router.hierarchy is None:
                order = self._former_orders.get(mode)
                high = hierarchies.hierarchy_of(self.path, network, progress.part(0.0, 0.8), order)
                self._former_orders.pop(mode, None)
                for begin, measure in zip((0.8, 0.9), hierarchies.MEASURES, strict=True):
                    with progress.part(begin, begin + 0.04).inside("putting in what streets cost"):
                        high.metric(network, measure)
                    with progress.part(begin + 0.04, begin + 0.1).inside("unpacking shortcuts"):
                        high.unpacking(network, measure, accumulated_with(measure))
                router.hierarchy = high

    def keep_prepared(self, mode: str) -> None:
        """Have the hierarchy of a mode ready, and stored for other processes to map."""
        self.wait_until_prepared(mode)
        self._trim(mode, Progress())

    def _trim(self, mode: str, progress: Progress) -> None:
        """Leave out what no best way uses, for searches to come, and keep all; those that come before are served by all edges."""
        router = self.router(mode)
        if router.hierarchy is not None:
            for number, measure in enumerate(hierarchies.MEASURES):
                with progress.part(number / 2, (number + 1) / 2).inside("removing links that no shortest path uses"):
                    router.hierarchy.trim(router.network, measure)
            hierarchies.keep_metrics(self.path, router.network, router.hierarchy)

    def snapper(self, mode: str) -> Snapper:
        """The nearest-street search of a mode."""
        network = self.network(mode)
        return self.cached(("snapper", mode), lambda: Snapper(network, self.area), network.mode)

    def field(self, mode: str) -> TiledField:
        """The field on which areas of a mode are drawn."""
        network = self.network(mode)
        former = self._former_fields.get(mode)
        return self.cached(("field", mode), lambda: kept_field(self.path, network, former), network.mode)


def _orders(routers: dict[str, StreetRouter]) -> dict[str, KnownOrder]:
    """In which order the states of streets were taken out, of those that are prepared."""
    return {mode: router.hierarchy.order(router.network) for mode, router in routers.items() if router.hierarchy}
