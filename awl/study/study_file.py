"""The file of a study: layers, rasters and streets, read and written by many threads at once."""

from __future__ import annotations

import contextlib
import re
import sqlite3
import threading
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from awl.core.analysis.isochrone_areas.over_water import Water
from awl.core.errors import AwlError, nearest
from awl.core.graph.base_map import BaseLayer
from awl.core.graph.build import BuildReport, fill_report
from awl.core.graph.edits.patch import Patch
from awl.core.graph.street_graph import StreetGraph
from awl.core.network.components import KeepParts
from awl.cql2.sql import to_sql
from awl.io import geopackage
from awl.io.fields import check_key
from awl.io.raster import Raster
from awl.io.table import LayerNotes, Table
from awl.study import arrays, ledger, rasters, records, street_changes, streets
from awl.study.study_database import StudyDatabase

BASE_TITLES = {
    "water": "Water", "field": "Fields", "sand": "Beaches", "green": "Green", "building": "Buildings", "rail": "Railways",
    "river": "Rivers", "place": "Places", "address": "Addresses",
}  # fmt: skip
OWN_TABLES = (*streets.TABLES, *BASE_TITLES)
ROLES = (
    "streets",
    "nodes",
    "restrictions",
    "base",
    "places",
    "zones",
    "parcels",
    "buildings",
    "lines",
    "answer",
    "transit",
)

CHANGEABLE = ("places", "zones", "parcels", "buildings", "lines")
"""Roles of the user's layers, which may be changed."""


@dataclass(frozen=True)
class NewLayer:
    """A layer about to be added: its id, features, title, role (one of `ROLES`) and the file it came from."""

    ident: str
    layer: Table
    title: str
    role: str
    source: str


class StudyFile(StudyDatabase):
    """An open study as a file. Reading is free for all threads; writing happens in one transaction at a time."""

    def __init__(self, path: Path) -> None:
        """Open an existing study file; raises `AwlError` when it is none."""
        super().__init__(path)
        self._hierarchy_lock = threading.Lock()
        self._edited_at = float("-inf")
        self._former_streets: tuple[str, StreetGraph] | None = None

    @property
    def keep_parts(self) -> KeepParts:
        """Which connected parts the modes use."""
        return KeepParts(**self.fact("keep_parts", {}))

    def set_keep_parts(self, keep: KeepParts) -> None:
        """Use other parts from now on; answers made before are stale."""
        if not self.revision:
            raise AwlError("The study has no streets yet", remedy="Bring in a map extract first", status=409)
        if keep.rule not in ("largest", "above", "all") or not 0 <= keep.above_m < 1e9:
            raise AwlError(
                f"'{keep.rule}' is no rule for parts",
                remedy="Keep the 'largest', those 'above' a length, or 'all'",
                inputs=("keep",),
            )
        if keep == self.keep_parts:
            return
        with self.changing() as connection:
            records.set_fact(connection, "keep_parts", vars(keep))
            self.answers_are_stale(connection)

    def answers_are_stale(self, connection: sqlite3.Connection) -> None:
        """The same streets answer otherwise from now on: other parts are kept, or other heights are known."""
        streets_revision, _, count = self.revision.partition("-")
        if streets_revision:
            records.set_fact(connection, "stamp", f"{streets_revision}-{int(count or 0) + 1}")

    # -- layers --------------------------------------------------------------------------------------------------------

    def layers(self) -> list[dict[str, Any]]:
        """Every feature table with its role, count, geometry type and fields."""
        listed: list[dict[str, Any]] = [dict(entry) for entry in records.layers(self._connection)]
        kinds = dict(self._connection.execute("SELECT table_name, geometry_type_name FROM gpkg_geometry_columns"))
        for entry in listed:
            entry["geometry"] = kinds.get(entry["id"], "GEOMETRY")
            entry["count"] = self._count(entry["id"])
            entry["fields"] = geopackage.field_types(self._connection, entry["id"])
            details = self.fact(f"layer:{entry['id']}", {})
            entry["key"], entry["notes"] = details.get("key"), details.get("notes") or vars(LayerNotes())
        return listed

    def require_layer(self, ident: str, name: str = "layer") -> dict[str, str]:
        """The record of a layer; raises `AwlError` (404) naming those that exist."""
        known = records.layers(self._connection)
        for entry in known:
            if entry["id"] == ident:
                return entry
        raise AwlError(
            f"The study has no layer '{ident}'.{nearest(ident, (entry['id'] for entry in known))}",
            remedy=f"Layers are: {', '.join(entry['id'] for entry in known) or 'none yet'}",
            inputs=(name,),
            status=404,
            kind="no-such-layer",
        )

    def feature_count(self, ident: str) -> int:
        """How many features a layer has."""
        self.require_layer(ident)
        return self._count(ident)

    def _count(self, ident: str) -> int:
        # Counting reads all of a table.
        return self.cached(("count", ident), lambda: geopackage.count(self._connection, ident))

    def read_layer(self, ident: str, where: str | None = None, name: str = "layer", **options: Any) -> Table:
        """Features of a layer, filtered by CQL2 text."""
        self.require_layer(ident, name)
        condition: tuple[str, list[Any]] = ("", [])
        if where:
            condition = to_sql(where, geopackage.field_names(self._connection, ident))
        layer = geopackage.read_table(self._connection, ident, condition, **options)
        return layer.with_key(self.fact(f"layer:{ident}", {}).get("key"))

    def add_layer(self, ident: str, layer: Table, title: str, role: str, source: str) -> None:
        """Add or replace a layer of the user's."""
        self.add_layers([NewLayer(ident, layer, title, role, source)])

    def add_layers(self, new: list[NewLayer]) -> None:
        """Add or replace layers of the user's, all or none."""
        for one in new:
            self._check_ident(one.ident)
            if len(one.layer) == 0:
                raise AwlError(
                    "The layer holds no feature", where=one.source, remedy="Check the file", inputs=("file",)
                )
        with self.changing() as connection:
            for one in new:
                geopackage.write_table(connection, one.ident, one.layer, one.title, one.source)
                records.set_layer(connection, one.ident, one.title, one.role, one.source)
                details = {"key": one.layer.key_field, "notes": vars(one.layer.notes)}
                records.set_fact(connection, f"layer:{one.ident}", details)

    @staticmethod
    def _check_ident(ident: str) -> None:
        if ident in OWN_TABLES or ident.startswith(("awl_", "gpkg_", "rtree_", "sqlite_")):
            raise AwlError(
                f"'{ident}' is a name that Awl uses itself", remedy="Choose another name for the layer", inputs=("id",)
            )

    def set_layer_role(self, ident: str, role: str) -> None:
        """Use a layer or raster as something else."""
        if any(entry["id"] == ident for entry in self.rasters()):
            allowed: tuple[str, ...] = rasters.ROLES
        else:
            entry = self.require_layer(ident)
            allowed = tuple(r for r in CHANGEABLE if entry["role"] in CHANGEABLE)
        if role not in allowed:
            raise AwlError(
                f"'{ident}' cannot be used as '{role}'",
                remedy=f"It can be: {', '.join(allowed) or 'nothing else'}",
                inputs=("role",),
            )
        with self.changing() as connection:
            connection.execute("UPDATE awl_layers SET role = ? WHERE id = ?", (role, ident))
            if allowed is rasters.ROLES:
                rasters.set_role(connection, ident, role)
                self.answers_are_stale(connection)

    def drop_layer(self, ident: str) -> None:
        """Remove a layer or raster of the user's."""
        if any(entry["id"] == ident for entry in self.rasters()):
            with self.changing() as connection:
                rasters.drop(connection, ident)
                self.answers_are_stale(connection)
        else:
            entry = self.require_layer(ident)
            if entry["role"] not in (*CHANGEABLE, "answer"):
                raise AwlError(f"'{ident}' belongs to the streets", remedy="Build the streets anew instead")
            with self.changing() as connection:
                geopackage.drop_table(connection, ident)
                connection.execute("DELETE FROM awl_layers WHERE id = ?", (ident,))
                connection.execute("DELETE FROM awl_facts WHERE key = ?", (f"layer:{ident}",))

    def set_layer_title(self, ident: str, title: str) -> None:
        """Call a layer or raster something else."""
        title = title.strip()
        if not 0 < len(title) <= 200:
            raise AwlError("A title has 1 to 200 characters", inputs=("title",))
        with self.writing() as connection:
            if any(entry["id"] == ident for entry in self.rasters()):
                connection.execute("UPDATE awl_rasters SET title = ? WHERE id = ?", (title, ident))
            else:
                self.require_layer(ident)
                connection.execute("UPDATE awl_layers SET title = ? WHERE id = ?", (title, ident))

    def set_layer_key(self, ident: str, key: str) -> None:
        """Let another field identify the features of a layer."""
        self.require_layer(ident)
        check_key(key, geopackage.field_names(self._connection, ident), ident)
        details = self.fact(f"layer:{ident}", {})
        with self.changing() as connection:
            records.set_fact(connection, f"layer:{ident}", {**details, "key": key})
            # Answers that use the layer name its features otherwise from now on.
            connection.execute("UPDATE awl_layers SET added = ? WHERE id = ?", (records.now(), ident))

    # -- rasters -------------------------------------------------------------------------------------------------------

    def rasters(self) -> list[dict[str, Any]]:
        """The rasters, without their cells."""
        return rasters.listed(self._connection)

    def raster(self, ident: str) -> Raster:
        """A raster with its cells."""

        def make() -> Raster:
            raster = rasters.read(self._connection, ident)
            if raster is None:
                raise AwlError(f"The study has no raster '{ident}'", status=404, kind="no-such-layer")
            return raster

        return self.cached(("raster", ident), make)

    def add_raster(self, ident: str, title: str, role: str, source: str, grid: Raster, path: Path) -> None:
        """Add or replace a raster; its file is kept as it is."""
        self._check_ident(ident)
        if role not in rasters.ROLES:
            raise AwlError(
                f"'{role}' is no role of a raster", remedy=f"Roles are: {', '.join(rasters.ROLES)}", inputs=("role",)
            )
        with self.changing() as connection:
            rasters.put(connection, ident, title, role, source, grid, path.read_bytes())
            self.answers_are_stale(connection)

    # -- streets -------------------------------------------------------------------------------------------------------

    def set_streets(
        self,
        graph: StreetGraph,
        base: dict[str, BaseLayer],
        report: BuildReport,
        source: str,
        area: shapely.Geometry | None,
    ) -> None:
        """Put a newly built street graph and base map in place of the former ones, all or nothing.

        Edits of the former streets are applied to the new ones; the ledger says which of them do not fit.
        """
        revision = uuid.uuid4().hex[:12]
        kept = ledger.replayed(self._connection, graph)
        graph = kept.graph
        fill_report(report, graph)
        with self.changing() as connection:
            streets.write_graph(connection, graph)
            ledger.keep_replayed(connection, kept)
            for ident, title in streets.TABLES.items():
                connection.execute("DELETE FROM awl_layers WHERE id = ?", (ident,))
                if ident != "restrictions" or len(graph.restrictions):
                    records.set_layer(connection, ident, title, ident, source)
            for ident, title in BASE_TITLES.items():
                geopackage.drop_table(connection, ident)
                connection.execute("DELETE FROM awl_layers WHERE id = ?", (ident,))
                if ident in base:
                    layer = Table(base[ident].geometry, {"kind": base[ident].kind, "name": base[ident].name})
                    geopackage.write_table(connection, ident, layer, title, source)
                    records.set_layer(connection, ident, title, "base", source)
            former = records.fact(connection, "build")
            facts = {
                "stamp": revision,
                "build": {**vars(report), "source": source, "built": records.now()},
                "former_build": former,
                "area": shapely.to_geojson(area) if area is not None else None,
                "drawn": graph.drawn,
            }
            for key, value in facts.items():
                records.set_fact(connection, key, value)
        arrays.save_graph(self.path, revision, graph)

    @property
    def build_report(self) -> BuildReport:
        """What came in when the streets were built; an empty report where there are none."""
        told = self.fact("build") or {}
        return BuildReport(**{key: told[key] for key in BuildReport.__dataclass_fields__ if key in told})

    def set_graph(self, graph: StreetGraph) -> None:
        """Put a changed street graph in place of the present one; base map, source and study area stay.

        Steps of the ledger cannot be taken back from then on.
        """
        revision = uuid.uuid4().hex[:12]
        former, report = self.fact("build") or {}, self.build_report
        fill_report(report, graph)
        with self.changing() as connection:
            streets.write_graph(connection, graph)
            records.set_fact(connection, "stamp", revision)
            records.set_fact(connection, "former_build", former)
            records.set_fact(connection, "build", {**former, **vars(report), "built": records.now()})
            ledger.forget_patches(connection)
        arrays.save_graph(self.path, revision, graph)

    def change_streets(self, connection: sqlite3.Connection, patch: Patch, graph: StreetGraph) -> None:
        """Let the tables follow a patch that made `graph` of the streets. Runs inside the caller's transaction."""
        report = self.build_report
        fill_report(report, graph)
        streets.write_changes(connection, patch, graph)
        former, revision = self.revision, uuid.uuid4().hex[:12]
        records.set_fact(connection, "stamp", revision)
        street_changes.keep(connection, former, revision, patch)
        records.set_fact(connection, "build", {**(self.fact("build") or {}), **vars(report)})

    def hold_streets(self, graph: StreetGraph) -> None:
        """Go on with streets that were just changed, without reading them again; their arrays are written behind."""
        self._edited_at = time.monotonic()
        self.cached("graph", lambda: graph)
        self._former_streets = None
        streets_revision = self.revision.partition("-")[0]

        def save() -> None:
            with contextlib.suppress(OSError):  # they are made again where they are missing
                arrays.save_graph(self.path, streets_revision, graph)

        threading.Thread(target=save).start()

    @property
    def graph(self) -> StreetGraph:
        """The street graph; rebuilt from its tables when the array folder is missing or damaged."""

        def make() -> StreetGraph:
            revision = self.revision
            if not revision:
                raise AwlError(
                    "The study has no streets yet",
                    where=self.path.name,
                    remedy="Bring in a map extract first",
                    status=409,
                    kind="no-streets",
                )
            streets_revision = revision.partition("-")[0]
            graph = self._followed(revision) or arrays.load_graph(self.path, streets_revision)
            if graph is None:
                graph = streets.read_graph(self._connection, bool(self.fact("drawn", False)))
                arrays.save_graph(self.path, streets_revision, graph)
            return graph

        return self.cached("graph", make)

    def _followed(self, revision: str) -> StreetGraph | None:
        """The streets of a revision, of those that were open before another process edited them."""
        former, self._former_streets = self._former_streets, None
        return None if former is None else street_changes.followed(self._connection, former[1], former[0], revision)

    @property
    def area(self) -> shapely.Geometry | None:
        """The study area in degrees, when the streets were cut to one."""
        text = self.fact("area")
        return shapely.from_geojson(text) if text else None

    @property
    def water(self) -> Water:
        """All water of the base map, in the metric plane."""

        def make() -> Water:
            if not any(entry["id"] == "water" for entry in records.layers(self._connection)):
                return Water(shapely.MultiPolygon())
            water = geopackage.read_table(self._connection, "water", fields=()).geometry
            return Water(shapely.union_all(self.graph.plane.project(water)))

        return self.cached("water", make)

    @property
    def links_over_water(self) -> NDArray[np.bool_]:
        """Which links of the graph touch water."""
        water, graph = self.water, self.graph
        return self.cached("links over water", lambda: water.links_over(graph))


def slug(text: str) -> str:
    """A layer or study id from free text."""
    cut = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")[:50]
    return cut if cut[:1].isalpha() else f"s_{cut or 'study'}"
