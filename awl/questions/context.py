"""What a question works with: the study's network for its mode, places put on streets, and the doubts about them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.field import TiledField
from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.core.modes.rules import SPEED_ASSUMED
from awl.core.network.network import Network
from awl.core.progress import Progress
from awl.core.routing.dijkstra.plain import Arrivals
from awl.core.routing.dijkstra.search import NO_LIMIT, UNREACHED
from awl.core.routing.router import StreetRouter
from awl.core.routing.snapping import OUTSIDE, SEPARATE_PART, STATUS, TOO_FAR, Snapped, Snapper
from awl.core.transit.router import TransitRouter
from awl.io import geojson
from awl.io.table import Column, Table, Values
from awl.questions import by_transit
from awl.questions.closures import closures_of
from awl.questions.from_answers import AnswerSource, answer_features, inside_answer, kept_source
from awl.questions.inputs import AnswerSet, FeatureSet, LayerSet, NamedPlace, SharedInputs, moment
from awl.questions.on_the_way import findings_on, is_checked
from awl.questions.results import Doubt, counted, listed
from awl.questions.spots import MOST_SPOTS, Spot, parts_left_out, unread_hours
from awl.study import drawn_lines, what_ifs
from awl.study.search import Hit, place_of
from awl.study.study import Study

MAX_PLACES = 50_000
MUCH_APART = 0.2
"""Share of street length apart from the largest part that makes the extract doubtful."""
MANY_SEARCHES = 500
"""Plain searches that take longer than preparing a hierarchy, on a town as on a region."""
FAR_M = 30.0
"""A place this far from its street is mentioned."""


@dataclass(frozen=True)
class Places:
    """Points (k,) in degrees with an id and a name each, their attributes, and words for all of them.

    `kind` is what one of them is called where they are those of a layer.
    """

    lon: NDArray[np.float64]
    lat: NDArray[np.float64]
    ids: list[Any]
    names: list[str]
    layer: Table
    words: str
    kind: str | None = None

    def __len__(self) -> int:
        return len(self.lon)

    def take(self, rows: NDArray[np.integer]) -> Places:
        """Some of the places, in this order."""
        at = rows.tolist()
        ids, names = [self.ids[i] for i in at], [self.names[i] for i in at]
        return replace(self, lon=self.lon[rows], lat=self.lat[rows], ids=ids, names=names, layer=self.layer.take(rows))


class Context:
    """One run of one question on one study.

    Attributes:
        base: the study it is asked of, which keeps its answers.
        study: the study as it would be with the what-ifs of the question; `base` where there are none.
    """

    def __init__(
        self,
        study: Study,
        inputs: SharedInputs,
        progress: Progress | None = None,
        most_places: int = MAX_PLACES,
        answers: AnswerSource | None = None,
    ) -> None:
        self._answers = answers or kept_source(study)
        self.base, self.study = study, what_ifs.variant(study, inputs.what_ifs)
        study = self.study
        self._most_places = most_places
        self.found_places: list[Hit] = []
        self.progress = progress or Progress()
        self.mode = study.mode(inputs.mode)
        self._snap_m, self._direction = inputs.snap, str(getattr(inputs, "direction", "from"))
        self.what_ifs = [what_ifs.what_if(self.base, ident) for ident in inputs.what_ifs]
        self.when = inputs.when or next((moment(idea.at) for idea in self.what_ifs if idea.at), None)
        self._router = study.router(inputs.mode, self.when)
        base = self._router.network
        self._closures = closures_of(inputs.closures, base, self._snap_m)
        closed = self._closures.closed
        self.closed_links, self.slowed_links = int(closed.sum()), int((self._closures.slower > 1).sum())
        self.street_router = self._router.on(self._with_closures(base))
        self._inputs = inputs
        self.transit = by_transit.router_of(self.study, self.street_router, self.when, inputs, self.progress)
        # Which streets places are put on does not depend on the hour.
        self.snapper = Snapper(self.network, study.area) if closed.any() else study.snapper(inputs.mode)

    def beside(self, inputs: SharedInputs, progress: Progress) -> Context:
        """What other inputs of the same question work with: the same study, resting on the same answers."""
        return Context(self.base, inputs, progress, answers=self._answers)

    @property
    def router(self) -> StreetRouter | TransitRouter:
        """What finds how long it takes: by public transport where the mode rides, else along the streets."""
        return self.street_router if self.transit is None else self.transit

    @property
    def network(self) -> Network:
        """The network of the question: of its mode, at its time, with its closures."""
        return self.street_router.network

    def prepare_for(self, searches: int) -> None:
        """Have the hierarchy ready where so many searches take longer without it than making it does."""
        unchanged = self.street_router is self.study.router(self.mode.id)
        if unchanged and self.street_router.hierarchy is None and searches >= MANY_SEARCHES:
            self.study.wait_until_prepared(self.mode.id, self.progress.part(0.0, 0.3))

    def _with_closures(self, network: Network) -> Network:
        """A network with the closures of the question."""
        closed = network.with_closed(self._closures.closed) if self._closures.closed.any() else network
        return closed.with_slower(self._closures.slower) if (self._closures.slower > 1).any() else closed

    def network_at(self, when: datetime) -> Network:
        """The network of the question at another time, kept nowhere."""
        return self.network if when == self.when else self._with_closures(self.study.network(self.mode.id).at(when))

    def street_router_at(self, when: datetime) -> StreetRouter:
        """The router along the streets of the question at another time."""
        return self._router.on(self.network_at(when))

    def transit_at(self, when: datetime) -> TransitRouter | None:
        """The router by public transport in a window that begins at another time; None where the mode does not ride."""
        return by_transit.router_of(self.study, self.street_router_at(when), when, self._inputs, self.progress)

    @property
    def field(self) -> TiledField:
        """The field areas are drawn on."""
        return self.study.field(self.mode.id)

    @property
    def notes(self) -> list[str]:
        """What the mode assumes, and at which hour."""
        notes = [
            f"'{hit.name}' was found as {hit.what} at {hit.lat:.5f}, {hit.lon:.5f} (latitude, longitude)."
            for hit in self.found_places
        ]
        notes += [
            f"Asked with '{idea.title}': what is told holds for the study as it would be then."
            for idea in self.what_ifs
        ]
        notes += self.mode.notes
        if self.when is not None and self.transit is not None:
            notes += by_transit.notes(self.transit, self.when, self._direction)
            notes += [drawn_lines.in_words(line) for line in drawn_lines.listed(self.study.reading)]
        elif self.when is not None:
            day = f"{self.when:%A} {self.when.day} {self.when:%B %Y, %H:%M}"
            notes.append(f"Gates, turns and speeds are those of {day}, unless the answer says otherwise.")
        if self.mode.slope.by != "none":
            notes.append(self._slope_note())
        return notes

    def _slope_note(self) -> str:
        if self.study.heights is not None:
            return f"Slope counts, by the heights of '{self.study.elevation}'."
        if self.study.elevation is None:
            return "Slope does not count: the study has no elevation."
        return f"Slope does not count: the elevation '{self.study.elevation}' covers no street of the study."

    @property
    def mean_speed_kmh(self) -> float:
        """Mean speed over all usable streets, by length."""
        usable = self.network.usable
        length = float(self.network.graph.link_length[usable].sum())
        return length / (float(self.network.duration_ms[usable].mean(axis=1).sum()) / 1000) * 3.6

    def street_name(self, link: int) -> str:
        """What a street is called."""
        return self.network.graph.tag("name").at(link) or "an unnamed street"

    def features(self, wanted: FeatureSet, name: str) -> tuple[Table, str]:
        """Features of an input, and words for them."""
        if isinstance(wanted, NamedPlace):
            hit = place_of(self.study, wanted.name, name)
            self.found_places.append(hit)
            return Table(np.array([shapely.Point(hit.lon, hit.lat)], dtype=object), {"name": [hit.name]}), hit.name
        if isinstance(wanted, AnswerSet):
            return answer_features(self._answers, wanted, name)
        if isinstance(wanted, LayerSet):
            layer = self.study.read_layer(wanted.layer, wanted.where, name)
            if wanted.inside is not None:
                layer = inside_answer(self._answers, layer, wanted.inside, name)
            if len(layer) == 0:
                why = "lies inside that answer" if wanted.inside else f"matches the filter {wanted.where}"
                raise AwlError(f"No feature of '{wanted.layer}' {why}", inputs=(name,), kind="no-features")
            title = self.study.require_layer(wanted.layer)["title"].lower()
            return layer, f"{len(layer):,} {title}" if len(layer) > 1 else _only_name(layer, title)
        layer = geojson.from_document(wanted.model_dump(), name)
        if len(layer) == 0:
            raise AwlError(
                "It holds no feature", where=name, remedy="Give at least one", inputs=(name,), kind="no-features"
            )
        return layer, f"{len(layer):,} points" if len(layer) > 1 else _only_name(layer, "a point")

    def places(self, wanted: FeatureSet, name: str = "places") -> Places:
        """Point features of an input; polygons stand for their middle."""
        layer, words = self.features(wanted, name)
        if not isinstance(wanted, LayerSet):
            return self.points_of(layer, words, name)
        kind = singular(self.study.require_layer(wanted.layer)["title"])
        return replace(self.points_of(layer, words, name, kind.lower()), kind=kind)

    def points_of(self, layer: Table, words: str, name: str = "places", one: str = "point") -> Places:
        """Features as points with ids and names; those without a name are called `one` with their number."""
        if len(layer) > self._most_places:
            raise AwlError(
                f"{len(layer):,} places are more than {self._most_places:,}", remedy="Filter the layer", inputs=(name,)
            )
        shapes = layer.geometry
        if (shapely.is_missing(shapes) | shapely.is_empty(shapes)).any():
            bad = int(np.flatnonzero(shapely.is_missing(shapes) | shapely.is_empty(shapes))[0])
            raise AwlError("It has no geometry", where=f"{name}, feature {bad + 1}", inputs=(name,))
        points = np.where(shapely.get_type_id(shapes) == 0, shapes, shapely.point_on_surface(shapes))
        xy = shapely.get_coordinates(points)
        named = layer.label_field is not None and bool(layer.columns[layer.label_field][0])
        names = layer.names(one) if len(layer) > 1 or named else [f"the {one}"]
        return Places(xy[:, 0], xy[:, 1], layer.ids, names, layer, words)

    def nodes(self, numbers: list[int], name: str) -> Places:
        """Nodes of the street graph by their numbers."""
        graph = self.network.graph
        rows = graph.node_rows(numbers)
        lost = [number for number, row in zip(numbers, rows.tolist(), strict=True) if row < 0]
        if lost:
            raise AwlError(
                f"The street graph has no node {lost[0]}",
                remedy=f"Numbers run from {graph.node_id.min()} to {graph.node_id.max()}",
                inputs=(name,),
                kind="no-such-node",
            )
        lon, lat = graph.node_lon[rows], graph.node_lat[rows]
        names = [f"node {n}" for n in numbers]
        return Places(
            lon, lat, list(numbers), names, Table(np.atleast_1d(shapely.points(lon, lat)), {}), " and ".join(names[:3])
        )

    def zones(
        self, wanted: FeatureSet | Table, fields: list[str]
    ) -> tuple[Table, NDArray[np.object_], list[NDArray[Any]]]:
        """Zone polygons in the metric plane, with the columns of the wanted fields as numbers."""
        layer = wanted if isinstance(wanted, Table) else self.features(wanted, "zones")[0]
        if layer.kind != "polygon":
            raise AwlError(
                f"The zones are {layer.kind} features", remedy="Give polygons", inputs=("zones",), kind="wrong-geometry"
            )
        numeric = layer.numeric
        columns = []
        for name in fields:
            if name not in layer.columns:
                raise AwlError(
                    f"The zones have no field '{name}'",
                    remedy=f"Fields with numbers are: {', '.join(numeric) or 'none'}",
                    inputs=("fields",),
                    kind="no-such-field",
                )
            if name not in numeric:
                raise AwlError(
                    f"The zone field '{name}' holds text, not numbers", inputs=("fields",), kind="wrong-type"
                )
            column = np.where(layer.columns[name].gaps, 0.0, layer.columns[name].numbers())
            if (column < 0).any() or not np.isfinite(column).all():
                raise AwlError(f"The zone field '{name}' holds negative or missing numbers", inputs=("fields",))
            columns.append(column)
        return layer, self.network.graph.plane.project(layer.geometry), columns

    def snap(self, places: Places, name: str = "places") -> Snapped:
        """Put places on streets; raises when not a single one can be put."""
        snapped = self.snapper.snap(places.lon, places.lat, self._snap_m)
        if not snapped.is_snapped.any():
            worst = int(np.bincount(snapped.status).argmax())
            away = snapped.distance_m[np.isfinite(snapped.distance_m)]
            detail = f"; the nearest lies {away.min():,.0f} m off" if len(away) and worst == TOO_FAR else ""
            subject = (
                "The place is" if len(places) == 1 else f"None of the {len(places):,} places can be used: most are"
            )
            raise AwlError(
                f"{subject} {STATUS[worst]}{detail}",
                remedy={
                    OUTSIDE: "Move it into the study area or check that coordinates are lon, lat",
                    TOO_FAR: f"Move it nearer to a street usable by {self.mode.id}, or raise 'snap' above {self._snap_m:g} m",
                    SEPARATE_PART: "Its street does not join the rest of the streets in this mode; see stage Streets",
                }[worst],
                inputs=(name,),
                status=422,
                kind="no-place-on-street",
            )
        return snapped

    def doubts_of(self, places: Places, snapped: Snapped, name: str = "place") -> list[Doubt]:
        """Places left out, by reason, places far from their street, and places that stand on more than one."""
        doubts = []
        for status in (OUTSIDE, SEPARATE_PART, TOO_FAR):
            rows = np.flatnonzero(snapped.status == status)
            if len(rows):
                named = listed([places.names[i] for i in rows])
                verb = "is" if len(rows) == 1 else "are"
                text = f"{counted(len(rows), name)} {verb} {STATUS[status]} and left out: {named}."
                distances = [f"{d:.0f} m from a street" if np.isfinite(d) else "" for d in snapped.distance_m[rows]]
                code = f"places-{STATUS[status].replace(' ', '-')}"
                doubts.append(Doubt(code, "warning", len(rows), text, _spots(places, rows, distances)))
        far = np.flatnonzero(snapped.is_snapped & (snapped.distance_m > FAR_M))
        if len(far):
            most = far[np.argmax(snapped.distance_m[far])]
            lies = "lies" if len(far) == 1 else "lie more than 30 m from their street, the farthest"
            away = f"{snapped.distance_m[most]:.0f} m from a usable street"
            text = f"{counted(len(far), name)} {lies} {away}: {places.names[most]}."
            notes = [f"{d:.0f} m from a street" for d in snapped.distance_m[far]]
            doubts.append(Doubt("places-far-from-street", "note", len(far), text, _spots(places, far, notes)))
        alternatives = snapped.alternatives
        if one_way := len(np.unique(alternatives.place)):
            most_m = float((alternatives.access_share * self.network.graph.link_length[alternatives.link]).max())
            street = "a one-way street" if one_way == 1 else "one-way streets"
            text = (
                f"{counted(one_way, name)} on {street}: trips may begin or end on the street beside as well, up to"
                f" {most_m:.0f} m farther off; that way counts."
            )
            rows, first = np.unique(alternatives.place, return_index=True)
            names = self.network.graph.tag("name").take(alternatives.link[first]).decode()
            notes = [f"also on {street or 'an unnamed street'}" for street in names]
            doubts.append(Doubt("places-on-one-way-street", "note", one_way, text, _spots(places, rows, notes)))
        return doubts

    def doubts_of_reach(self, arrivals: Arrivals, limit: int) -> list[Doubt]:
        """Whether an answer touches the border of the extract, and what is assumed about speeds."""
        graph, is_reached = self.network.graph, arrivals.cost <= min(limit, int(UNREACHED) - 1)
        border = graph.node_border & is_reached
        doubts = findings_on(self.study, _links_at(graph, is_reached), "within or at the edge of this reach")
        if border.any():
            count = int(border.sum())
            text = f"Touches the border of the extract in {counted(count, 'place')}: streets go on there, so reach may be larger."
            doubts.append(Doubt("border-touched", "warning", count, text))
        return doubts + self.doubts_of_mode()

    def findings_within(self, snapped: Snapped, measure: str, limit: int, direction: str = "from") -> list[Doubt]:
        """What the health check has found within a limit of any of the places, in ms or mm; nothing before a check."""
        if not is_checked(self.study):
            return []
        arrivals = self.router.arrivals(snapped, measure, direction, limit)
        near = _links_at(self.network.graph, arrivals.cost <= min(limit, int(UNREACHED) - 1))
        return findings_on(self.study, near, "within or at the edge of what was searched")

    def doubts_of_mode(self) -> list[Doubt]:
        """What the mode leaves out or assumes."""
        doubts = []
        if self.closed_links:
            text = f"{counted(self.closed_links, 'street link')} closed for this question."
            doubts.append(Doubt("closures", "note", self.closed_links, text))
        if self._closures.crossed:
            crossed = self._closures.crossed
            what = "A closure crosses itself" if crossed == 1 else f"{crossed} closures cross themselves"
            doubts.append(Doubt("closures-cross", "warning", crossed, f"{what}: all its parts are closed."))
        if self.slowed_links:
            text = f"{counted(self.slowed_links, 'street link')} slowed for this question."
            doubts.append(Doubt("closures", "note", self.slowed_links, text))
        if self.transit is not None:
            doubts += by_transit.doubts(self.transit)
        elif self.when is not None and not self.mode.curves:
            text = f"{self.mode.title} has no speeds by hour: the hour changes gates and turn restrictions alone."
            doubts.append(Doubt("no-speeds-by-hour", "note", 1, text))
        if shut := len(self.network.shut_gates) // 2:
            doubts.append(Doubt("gates-shut", "note", shut, f"Shut at this hour: {counted(shut, 'gate')}."))
        if self.when is not None:
            gates, turns = map(len, self.network.unread_hours)
            if gates or turns:
                which = " and ".join(
                    counted(count, what) for count, what in ((gates, "gate"), (turns, "turn restriction")) if count
                )
                text = (
                    f"Hours of {which} are not understood in full, such as holidays, seasons or sunrise:"
                    " what is not understood does not bind."
                )
                doubts.append(Doubt("hours-unread", "note", gates + turns, text, unread_hours(self.network)))
        parts = self.network.parts_report
        apart = parts.left_out_m / max(parts.kept_m + parts.left_out_m, 1.0)
        if apart > MUCH_APART:
            text = (
                f"{apart:.0%} of the streets open to '{self.mode.id}' do not connect with the rest: the extract"
                " may be too small, or cut through one-way streets."
            )
            spots = parts_left_out(self.network)
            doubts.append(Doubt("streets-apart", "warning", parts.parts - parts.kept, text, spots))
        if self.mode.slope.by != "none" and self.study.elevation is not None:
            coverage = self.study.raster_coverage(self.study.elevation) or 0.0
            if coverage < 1:
                text = f"The elevation covers {coverage:.0%} of the street nodes; elsewhere streets count as level."
                doubts.append(Doubt("elevation-partial", "warning", 1, text))
        use, usable = self.network.use, self.network.usable
        length = self.network.graph.link_length
        assumed = usable & (use.speed_source == SPEED_ASSUMED)
        share = float(length[assumed].sum() / max(length[usable].sum(), 1.0))
        if share >= 0.005:
            text = f"{share * 100:.0f} % of the usable length has a stated default speed."
            doubts.append(Doubt("speed-assumed", "note", int(assumed.sum()), text))
        return doubts

    def place_table(self, places: Places, snapped: Snapped, more: Mapping[str, Values] | None = None) -> Table:
        """The places with id, name, distance to their street, status and further columns.

        Where some stand on streets beside a one-way street, these are named, with how much farther off they are.
        """
        alternatives: list[list[str]] = [[] for _ in places.ids]
        off_m = snapped.alternatives.access_share * self.network.graph.link_length[snapped.alternatives.link]
        names = self.network.graph.tag("name").take(snapped.alternatives.link).decode()
        for row, name, metres in zip(snapped.alternatives.place.tolist(), names, off_m.tolist(), strict=True):
            alternatives[row].append(f"{name or 'an unnamed street'}, {metres:.0f} m farther")
        return Table(
            np.atleast_1d(shapely.points(places.lon, places.lat)),
            {
                "id": places.ids,
                "name": places.names,
                "street_distance_m": Column.of(snapped.distance_m, "m", 1),
                "status": [STATUS[s] for s in snapped.status],
                **({"beside": ["; ".join(streets) or None for streets in alternatives]} if len(off_m) else {}),
                **(more or {}),
            },
        )


def _links_at(graph: StreetGraph, is_reached: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Links of which an end is reached: a fault at the edge of what is reached may be why no more is."""
    return np.flatnonzero(is_reached[graph.link_from] | is_reached[graph.link_to])


def _spots(places: Places, rows: NDArray[np.integer], notes: list[str]) -> tuple[Spot, ...]:
    """Places of some rows on the map, with a note each."""
    named = zip(rows.tolist()[:MOST_SPOTS], notes, strict=False)
    return tuple(Spot(places.names[i], note, float(places.lon[i]), float(places.lat[i])) for i, note in named)


def singular(title: str) -> str:
    """`building` for `buildings`, `facility` for `facilities`; a title that is no plural stays."""
    return f"{title[:-3]}y" if title.endswith("ies") else title.removesuffix("s")


def limit_units(value: float, measure: str) -> int:
    """A limit in minutes or metres as whole milliseconds or millimetres."""
    return min(round(value * 60_000) if measure == "time" else round(value * 1000), int(NO_LIMIT))


def limit_word(value: float, measure: str) -> str:
    """`10 min` or `500 m`."""
    return f"{value:g} min" if measure == "time" else f"{value:g} m"


def _only_name(layer: Table, fallback: str) -> str:
    label = layer.columns[layer.label_field][0] if layer.label_field is not None else None
    return str(label) if label else fallback
