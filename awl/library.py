"""Awl from a program or a notebook: streets, networks, and questions asked of them."""

from __future__ import annotations

import html
import shutil
import tempfile
import weakref
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.errors import AwlError
from awl.core.graph.street_graph import StreetGraph
from awl.io import geojson
from awl.io.table import Table
from awl.questions import question
from awl.questions.compare.inputs import MOST_ANSWERS
from awl.questions.compare.run import compare
from awl.questions.compare.sides import side_of
from awl.questions.compare.view import view_compare
from awl.questions.files import answer_bytes
from awl.questions.results import Answer
from awl.questions.run import ask
from awl.study import importing
from awl.study.study import Study

Json = dict[str, Any]


def read_streets(path: str | Path, area: Any = None) -> Streets:
    """Build the streets of a map extract, a line layer or a ready graph.

    Parameters:
        path: A file of any kind that `awl build` reads.
        area: A polygon in degrees (anything with a `__geo_interface__`) to which the streets are cut.

    Returns:
        Streets

    Raises:
        AwlError: if the file cannot be read, or holds no street.
    """
    folder = tempfile.mkdtemp(prefix="awl-streets-")
    try:
        file = Path(folder) / "streets.gpkg"
        importing.build(Path(path), file, None if area is None else shapely.geometry.shape(area))
        streets = Streets(Study(file))
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    weakref.finalize(streets, shutil.rmtree, folder, True)
    return streets


def open_study(path: str | Path) -> Streets:
    """Open a study file; what is asked of it may name its layers, as in `places="cool_rooms"`.

    Parameters:
        path: the study file.
    """
    return Streets(Study(Path(path)))


class Streets:
    """A street graph with the layers of its study; made by `read_streets` and `open_study`."""

    def __init__(self, study: Study) -> None:
        self._study = study

    @property
    def graph(self) -> StreetGraph:
        """The street graph as arrays."""
        return self._study.graph

    @property
    def modes(self) -> list[str]:
        """Ids of the modes of travel."""
        return list(self._study.modes())

    @property
    def layers(self) -> list[str]:
        """Ids of the layers."""
        return [entry["id"] for entry in self._study.layers()]

    def network(self, mode: str = "walk", at: str | None = None) -> ModeNetwork:
        """The streets as a mode may use them.

        Parameters:
            mode: one of `modes`.
            at: local date and time such as `2026-06-03T08:00`; free flow where nothing is said.
        """
        return ModeNetwork(self._study, mode, at)

    def ask(self, question: str, **inputs: Any) -> Result:
        """Ask any question of docs/questions.md by its id, with its inputs by their names.

        Parameters:
            question: the id of the question.

        Raises:
            AwlError: if there is no such question, or an input is unknown or faulty; the message names what there is.
        """
        return _result(self._study, question, _inputs(inputs))

    def __repr__(self) -> str:
        graph = self.graph
        km = graph.link_length.sum() / 1000
        return f"Streets({graph.node_count:,} nodes, {graph.link_count:,} links, {km:,.0f} km)"


class ModeNetwork:
    """Streets as one mode may use them, at a time; made by `Streets.network`.

    Places are arrays of longitude and latitude (k, 2) in degrees, Shapely geometries, anything with a `__geo_interface__` such as
    a GeoDataFrame, GeoJSON, or the name of a layer of the study.
    """

    def __init__(self, study: Study, mode: str, at: str | None) -> None:
        self._study, self.mode, self.at = study, mode, at
        self._network = study.network(mode)

    def _ask(self, question: str, inputs: Json) -> Result:
        return _result(self._study, question, _inputs({"mode": self.mode, "at": self.at, **inputs}))

    def isochrone(
        self, places: Any, minutes: Sequence[float] | None = None, metres: Sequence[float] | None = None, **inputs: Any
    ) -> Result:
        """How far one gets from places, or comes from to them with `direction="to"`.

        Parameters:
            places: where trips begin.
            minutes, metres: the limits, ascending: either times or distances.
            **inputs: further inputs of the question `isochrone`.
        """
        return self._ask("isochrone", {"places": places, **_limits(minutes, metres), **inputs})

    def route(self, waypoints: Any, **inputs: Any) -> Result:
        """By which way one gets from point to point; `measure=["distance"]` for the shortest.

        Parameters:
            waypoints: positions (k, 2) in degrees, a layer, or node numbers.
        """
        return self._ask("route", {"waypoints": waypoints, **inputs})

    def matrix(self, sources: Any, targets: Any = None, **inputs: Any) -> Matrix:
        """How long it takes from each source to each target (the sources themselves where none are given).

        Parameters:
            sources: positions (s, 2) in degrees, or a layer.
            targets: positions (t, 2) in degrees, or a layer; the sources where None.
        """
        asked = _inputs(
            {"mode": self.mode, "at": self.at, "from": sources, "to": sources if targets is None else targets}
        )
        asked |= _inputs(inputs)
        return Matrix(ask(self._study, "matrix", asked), Asked(self._study, "matrix", asked))

    def access(self, zones: Any, places: Any, minutes: Sequence[float] = (10,), **inputs: Any) -> Result:
        """How many people of zones reach places within limits; `fields` are the columns that count people.

        Parameters:
            zones: polygons, or a layer, with people.
            places: positions (k, 2) in degrees, or a layer.
            minutes: the limits, ascending.
        """
        return self._ask("access", {"zones": zones, "places": places, "limits": list(minutes), **inputs})

    def catchment(self, places: Any, **inputs: Any) -> Result:
        """Which place each street is nearest to.

        Parameters:
            places: positions (k, 2) in degrees, or a layer.
        """
        return self._ask("catchment", {"places": places, **inputs})

    def simulate(self, places: Any = None, **inputs: Any) -> Result:
        """What happens when many set out: for places, or with `demand="random"` or `"table"` anywhere.

        Parameters:
            places: positions (k, 2) in degrees, or a layer; None where trips end anywhere.
            **inputs: further inputs of the question `simulate`.
        """
        return self._ask("simulate", {**({} if places is None else {"places": places}), **inputs})

    def __repr__(self) -> str:
        km = self._network.graph.link_length[self._network.usable].sum() / 1000
        return f"ModeNetwork({self.mode}, {km:,.0f} km usable, {self.at or 'free flow'})"


class Asked(NamedTuple):
    """What was asked of which study."""

    study: Study
    question: str
    inputs: Json


class Result:
    """An answer: figures and doubts, and its parts as tables and GeoJSON."""

    def __init__(self, answer: Answer, asked: Asked) -> None:
        self._answer, self._asked = answer, asked
        self.title: str = answer.title
        self.summary: Json = answer.summary
        self.method: list[str] = list(answer.method)
        self.doubts: list[str] = [doubt.text for doubt in answer.doubts]

    @property
    def parts(self) -> list[str]:
        """Names of what it holds."""
        return list(self._answer.parts)

    def _part(self, name: str) -> Table:
        if name not in self._answer.parts:
            raise AwlError(f"The answer has no part '{name}'", remedy=f"Parts are: {', '.join(self.parts)}")
        return self._answer.part(name)

    def geojson(self, part: str | None = None) -> Json:
        """A part as a GeoJSON FeatureCollection in degrees; the first that has a geometry where none is named.

        Parameters:
            part: the name of the part; the first that fits where None.
        """
        named = [part] if part is not None else self.parts
        drawn = next((table for table in map(self._part, named) if table.has_geometry), None)
        if drawn is None:
            raise AwlError("The answer has no geometry", remedy=f"Parts are: {', '.join(self.parts)}")
        return geojson.collection(drawn)

    def table(self, part: str | None = None) -> Any:
        """A part as a `pyarrow.Table`, geometry left out; the one the answer shows where none is named.

        Its fields say their unit and what they measure in their metadata, under `about`.

        Parameters:
            part: the name of the part; the first that fits where None.
        """
        shown = self._answer.view.tables[0].part if self._answer.view.tables else self.parts[0]
        return self._part(part or shown).arrow()

    def to_geopandas(self, part: str | None = None) -> Any:
        """A part as a GeoDataFrame in WGS 84; needs the package geopandas.

        Parameters:
            part: the name of the part; the first that fits where None.
        """
        try:
            import geopandas
        except ImportError as error:
            raise ImportError("GeoDataFrames need the package geopandas: pip install geopandas") from error
        return geopandas.GeoDataFrame.from_features(self.geojson(part), crs="EPSG:4326")

    def compared_with(self, *others: Result) -> Result:
        """How other answers to the same question differ from this one, by key.

        Parameters:
            *others: one to four answers, of this study or another one.

        Raises:
            AwlError: they answer other questions, cannot be compared, or have nothing in common.
        """
        every = (self, *others)
        asked = question(self._asked.question)
        if not 2 <= len(every) <= MOST_ANSWERS or any(one._asked.question != asked.id for one in every):
            raise AwlError(
                f"Two to {MOST_ANSWERS} answers to one question are compared", remedy=f"Give answers to '{asked.id}'"
            )
        sides = [side_of(one._answer, one._asked.study, one._asked.inputs) for one in every]
        result = compare(asked, sides)
        return Result(Answer(result, view_compare(result)), Asked(self._asked.study, "compare", {}))

    def save(self, path: str | Path, part: str | None = None) -> None:
        """Write a part, or the whole answer as JSON, in the format of the file's ending.

        Parameters:
            path: the file; its ending decides the format.
            part: the name of the part; the first that fits where None.
        """
        target = Path(path)
        target.write_bytes(answer_bytes(self._answer, part, target.suffix.lstrip(".").lower(), target.name))

    def __getitem__(self, part: str) -> Any:
        """A part by its name, as `geojson` or `table` give it."""
        return self.geojson(part) if self._part(part).has_geometry else self.table(part)

    def _figures(self) -> list[tuple[str, str]]:
        return [(f"{f.value:,}" if isinstance(f.value, int | float) else str(f.value), f"{f.unit} {f.label}".strip())
                for f in self._answer.view.figures]  # fmt: skip

    def __repr__(self) -> str:
        lines = [self.title, *(f"  {value} {label}" for value, label in self._figures())]
        lines += [f"  ? {text}" for text in self.doubts]
        return "\n".join([*lines, f"  parts: {', '.join(self.parts)}"])

    def _repr_html_(self) -> str:
        rows = "".join(
            f"<tr><td style='text-align:right'>{html.escape(value)}</td><td>{html.escape(label)}</td></tr>"
            for value, label in self._figures()
        )
        doubts = "".join(f"<li>{html.escape(text)}</li>" for text in self.doubts)
        return f"<b>{html.escape(self.title)}</b><table>{rows}</table><ul>{doubts}</ul>"


class Matrix(Result):
    """Times and distances between places."""

    def _square(self, column: str) -> NDArray[np.float64]:
        rows = self._part("rows")
        (origins, origin), (destinations, destination) = (
            rows.columns[name].codes() for name in ("origin_id", "destination_id")
        )
        values = np.full((len(origins), len(destinations)), np.nan)
        values[origin, destination] = rows.columns[column].numbers()
        return values

    @property
    def minutes(self) -> NDArray[np.float64]:
        """Times (s, t) in minutes; NaN where there is no way."""
        return self._square("duration_s") / 60

    @property
    def metres(self) -> NDArray[np.float64]:
        """Distances (s, t) in metres along the same ways."""
        return self._square("distance_m")


def _result(study: Study, ident: str, inputs: Json) -> Result:
    return Result(ask(study, ident, inputs), Asked(study, ident, inputs))


def _limits(minutes: Sequence[float] | None, metres: Sequence[float] | None) -> Json:
    if (minutes is None) == (metres is None):
        raise AwlError("An isochrone has limits in minutes or in metres", remedy="Give one of minutes=, metres=")
    return {"limits": list(minutes)} if minutes is not None else {"limits": list(metres or ()), "measure": "distance"}


def _inputs(inputs: Json) -> Json:
    """Inputs as questions take them: geometries and arrays as GeoJSON, names of layers as layers."""
    placed = ("places", "waypoints", "from", "to", "zones", "events", "closures")
    return {name: _features(value) if name in placed else value for name, value in inputs.items() if value is not None}


def _features(value: Any) -> Any:
    if isinstance(value, str):
        return {"layer": value}
    if isinstance(value, np.ndarray) and value.dtype != object:
        return value.tolist()
    document = getattr(value, "__geo_interface__", None)
    if document is None and isinstance(value, list | tuple | np.ndarray) and len(value):
        shapes = [getattr(geometry, "__geo_interface__", None) for geometry in value]
        if all(shape is not None for shape in shapes):
            document = {"type": "GeometryCollection", "geometries": shapes}
    if document is None:
        return value
    if document["type"] == "FeatureCollection":
        return document
    if document["type"] == "Feature":
        return {"type": "FeatureCollection", "features": [document]}
    geometries = document["geometries"] if document["type"] == "GeometryCollection" else [document]
    features = [{"type": "Feature", "properties": {}, "geometry": geometry} for geometry in geometries]
    return {"type": "FeatureCollection", "features": features}
