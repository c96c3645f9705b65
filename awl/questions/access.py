"""Who lives near? People of zones within limits of a place, by network and, beside it, by straight line."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from awl.io import geojson
from awl.io.table import Layer
from awl.questions import access_tables as tables
from awl.questions import frozen_hour
from awl.questions.access_measures import further_measures, lorenz_chart, measure_notes, offer_of, offers_of
from awl.questions.access_run import Run, run_of, straight_shares
from awl.questions.access_sites import CANDIDATE_TABLE, CHOICE_TABLE, candidate_parts, choice_document
from awl.questions.base import (
    Answer,
    Column,
    FeatureSet,
    Figure,
    GeoJson,
    Json,
    Limits,
    Question,
    SharedInputs,
    check_limits,
    slot,
)
from awl.questions.context import Context, limit_units, limit_word
from awl.questions.population import squares_of
from awl.questions.zone_inputs import FIELDS, chosen_fields, gap_doubts, zone_doubts

MAX_CURVES = 4
"""Groups drawn as curves: more cannot be told apart; the table has them all."""
MAX_BARS = 8
Floats = NDArray[np.float64]


class Against(BaseModel):
    """What else holds in a second run; what is left out stays as in the first."""

    model_config = ConfigDict(extra="forbid")

    mode: str | None = Field(None, description="Another mode.")
    at: str | None = Field(None, description="Another hour; null means free flow.")
    closures: GeoJson | None = Field(None, description="Other closed streets; null means none.")
    places: FeatureSet | None = Field(None, description="Other places.")
    direction: Literal["from", "to"] | None = Field(None, description="The other direction.")


class AccessInputs(SharedInputs):
    """Inputs of `access`."""

    zones: FeatureSet | None = Field(
        None,
        description="Zones with people; left out, squares of the population raster stand for them.",
        json_schema_extra=slot("place", "Zones", nothing="the population raster in squares"),
    )
    fields: list[str] = FIELDS
    places: FeatureSet = Field(description="What is to be reached.", json_schema_extra=slot("place", "Places"))
    limits: Limits = Field(
        [5.0, 10.0, 15.0], description="Minutes, ascending.", json_schema_extra=slot("amount", "Limits")
    )
    direction: Literal["from", "to"] = Field(
        "to",
        description="People go to the places, or are served from them.",
        json_schema_extra=slot("way", "Direction", words={"to": "going there", "from": "being served from there"}),
    )
    spread: Literal["area", "buildings", "streets", "grid"] = Field(
        "streets",
        description="Where in a zone its people live: evenly along its lived-on streets, evenly over its area, in its"
        " buildings by floor area, or as a population raster says.",
        json_schema_extra=slot(
            "way",
            "People by",
            words={"streets": "street", "area": "area", "buildings": "building", "grid": "population grid"},
        ),
    )
    buildings: FeatureSet | None = Field(
        None, description="Buildings for that spread; the study's layer of buildings where left out."
    )
    weights: str | None = Field(
        None,
        description="A field of the places with what each offers, such as seats; each counts as one where left out.",
    )
    kind: str | None = Field(
        None, description="A field of the places that says their kind: each is counted by itself too."
    )
    measures: list[Literal["gravity", "two_step", "kth"]] = Field(
        default_factory=list,
        max_length=3,
        description="Further measures per zone: potential with decay, supply per head by two-step floating catchment areas within"
        " the last limit, minutes to the k-th nearest place.",
        json_schema_extra=slot("way", "Measures"),
    )
    decay: Literal["exponential", "power", "gaussian"] | None = Field(
        None,
        description="How a place counts less with time: for the potential (exponential where left out), and for supply.",
    )
    half: float = Field(10.0, gt=0, le=240, description="Minutes at which a place counts one half.")
    k: int = Field(2, ge=1, le=100, description="Which nearest place `kth` looks for.")
    compare_straight_line: bool = Field(True, description="Also count people within a straight line of the same time.")
    against: Against | None = Field(
        None,
        description="A second run that is set against this one: per zone and group both figures and the change.",
        json_schema_extra=slot("way", "Set against"),
    )
    candidates: FeatureSet | None = Field(
        None,
        description="Places that might be added: what each gains within the middle limit, and which gain most together.",
        json_schema_extra=slot("place", "Candidates"),
    )
    choose: int = Field(
        3, ge=1, le=20, description="How many candidates to add.", json_schema_extra=slot("amount", "How many")
    )


class Access(Question):
    """The access question."""

    id = "access"
    title = "Access of zones"
    description = (
        "People of zones within limits of the nearest place, per zone and in total, against the straight line."
    )
    opening = "Who lives near"
    sentences = [
        (
            {},
            "Who lives near {places}, {direction} as a {mode}, people by {spread}, within {limits}, counting {fields} of"
            " {zones}?",
        )
    ]
    Inputs = AccessInputs
    outputs = {
        "zones": "Zones with nearest place, its time, places and people within each limit, GeoJSON",
        "totals": "People within each limit, beyond, and not placed, per field",
        "places": "The places with people within each limit, and those who have no other, GeoJSON",
        "near": "The places that most people of each zone have within the last limit, as rows",
        "curves": "Share of the people of each zone within so many minutes, as rows",
        "unserved": "People beyond the last limit as dots where they live, GeoJSON",
        "candidates": "The candidates with the people each gains, GeoJSON; only where such are given",
        "choices": "The best choices of candidates, as rows; only where such are given",
        "lorenz": "Lorenz curves of the further measures, as rows; only where such are asked for",
    }

    @classmethod
    def answer(cls, inputs: AccessInputs, context: Context) -> Answer:
        """Count people against the nearest place and against each, and set both against what else was asked for."""
        limits = check_limits(inputs.limits, "time")
        layer = squares_of(context) if inputs.zones is None else context.features(inputs.zones, "zones")[0]
        fields = chosen_fields(layer, inputs.fields)
        zones, shapes, people = context.zones(layer, fields)
        spread = "grid" if inputs.zones is None else inputs.spread
        run = run_of(inputs, context, shapes, None, spread)
        names = zones.names("zone")
        columns = tables.zone_columns(run, zones, fields, people, limits)
        columns |= tables.offered_columns(run, offers_of(run.places, inputs.weights, inputs.kind), limits)
        groups = tables.group_rows(run, fields, people, limits)
        further, lorenz_rows = further_measures(
            inputs, run.population.homes, run.times, offer_of(run.places, inputs.weights), people[0], fields, limits[-1]
        )
        columns |= further
        figures, summary = _figures(groups, fields, limits)
        hour = frozen_hour.of_reach(context, "time", run.snapped, run.found, limit_units(limits[-1], "time"))
        method = [*context.notes, *hour, run.population.method, *measure_notes(inputs)]
        doubts = context.doubts_of(run.places, run.snapped) + context.doubts_of_reach(
            run.found, limit_units(limits[-1], "time")
        )
        doubts += gap_doubts(zones, fields) + run.population.doubts + zone_doubts(run.placed, people[0], names, context)
        parts: dict[str, Any] = {}
        if inputs.compare_straight_line:
            context.progress.step(0.82, "Straight lines")
            radius, straight = straight_shares(run, limits)
            columns |= tables.straight_columns(run, fields, people, limits, straight, groups)
            middle = limits[len(limits) // 2]
            over = round(groups[0][f"overstated_{middle:g}"])
            figures.append(Figure(over, "people", f"more if measured straight, {limit_word(middle, 'time')}"))
            summary["straight_line_radius_m"] = [round(value) for value in radius]
            method.append(
                f"Straight lines: {limits[-1]:g} min at the mode's mean speed of {context.mean_speed_kmh:.1f} km/h make"
                f" {radius[-1]:,.0f} m."
            )
        other, words = None, ""
        if inputs.against is not None:
            other, words = _other_run(inputs, run, shapes, spread)
            columns |= tables.changes(run, other, fields, people, limits, groups)
            figures.insert(1, _change_figure(groups[0], limits, words))
            method.append(f"The other run: {words}; all else is as in this one.")
            doubts += [doubt for doubt in other.context.doubts_of_mode() if doubt not in doubts]
        if inputs.candidates is not None:
            made, figure, how, more = candidate_parts(inputs, run, fields[0], people[0])
            parts |= made
            summary |= choice_document(made)
            figures.insert(1, figure)
            method.append(how)
            doubts += more
        within = f"{tables.words_of(fields[0])} within {limit_word(limits[-1], 'time')}"
        title = f"{context.mode.title}, {within} of {run.places.words}"
        return Answer(
            title=title + (f", against {words}" if words else ""),
            summary=summary | {"totals": groups},
            figures=figures,
            doubts=doubts,
            method=method,
            parts={
                "zones": geojson.collection(Layer(context.network.graph.plane.unproject(shapes), columns)),
                "totals": groups,
                "places": context.place_features(
                    run.places, run.snapped, tables.place_columns(run, fields, people, limits)
                ),
                "near": tables.near_rows(run, names, limits[-1]),
                "curves": tables.curve_rows(run, names),
                "unserved": tables.unserved(run, people[0], limits[-1]),
                **parts,
                **({"lorenz": lorenz_rows} if lorenz_rows else {}),
            },
            table=("zones", tables.zone_table(fields, limits, other is not None)),
            tables=_further_tables(inputs, fields, limits),
            chart=_curve(run, other, fields, people, limits),
            charts=[
                chart for chart in (_bars(groups, limits), lorenz_chart(lorenz_rows, fields[0])) if chart is not None
            ],
        )


def _other_run(inputs: AccessInputs, run: Run, shapes: NDArray[np.object_], spread: str) -> tuple[Run, str]:
    """The second run, and words for what else holds in it. People stay where they are unless the mode is another."""
    assert inputs.against is not None
    changed = {key: getattr(inputs.against, key) for key in inputs.against.model_fields_set}
    changed = {key: value for key, value in changed.items() if value is not None or key in ("at", "closures")}
    asked = Access.parse({**inputs.model_dump(mode="json", exclude={"against", "candidates"}), **_plain(changed)})
    context = Context(run.context.study, asked, run.context.progress.part(0.85, 0.98))
    kept = run.population if asked.mode == inputs.mode else None
    other = run_of(asked, context, shapes, kept, spread)
    words = [context.mode.title.lower() if "mode" in changed else "the same"]
    if "at" in changed:
        words.append("in free flow" if context.when is None else f"on {context.when:%A at %H:%M}")
    if "closures" in changed:
        words.append(_closed_words(changed["closures"], context))
    if "places" in changed:
        words.append(f"for {other.places.words}")
    if "direction" in changed:
        words.append("being served from there" if changed["direction"] == "from" else "going there")
    return other, " ".join(words)


def _closed_words(closures: GeoJson | None, context: Context) -> str:
    if closures is None:
        return "with no street closed"
    document = closures.model_dump()
    features = document.get("features") or [document]
    names = [str((feature.get("properties") or {}).get("name") or "") for feature in features]
    if 0 < len(names) <= 2 and all(names):
        return f"with {' and '.join(names)} closed" + (" or slowed" if context.slowed_links else "")
    count = context.closed_links + context.slowed_links
    return f"with {count} street link{'s' * (count != 1)} closed" + (" or slowed" if context.slowed_links else "")


def _plain(changed: dict[str, Any]) -> Json:
    return {
        key: value.model_dump(mode="json", exclude_none=True) if isinstance(value, BaseModel) else value
        for key, value in changed.items()
    }


def _figures(groups: list[Json], fields: list[str], limits: list[float]) -> tuple[list[Figure], dict[str, Any]]:
    first, middle, last = groups[0], limits[len(limits) // 2], limits[-1]
    share = 100 * first[f"within_{middle:g}"] / first["total"] if first["total"] else None
    figures = [
        Figure(
            None if share is None else round(share, 1),
            "%",
            f"of {tables.words_of(fields[0])}, {limit_word(middle, 'time')}",
        ),
        Figure(round(first["beyond"]), "people", f"beyond {limit_word(last, 'time')}"),
    ]
    summary = {
        "limits_min": limits,
        f"share_within_{middle:g}_min_percent": None if share is None else round(share, 2),
        f"people_beyond_{last:g}_min": first["beyond"],
    }
    return figures, summary


def _change_figure(group: Json, limits: list[float], words: str) -> Figure:
    middle = limits[len(limits) // 2]
    change = round(group[f"change_within_{middle:g}"])
    return Figure(change, "people", f"change within {limit_word(middle, 'time')}, {words}")


def _further_tables(
    inputs: AccessInputs, fields: list[str], limits: list[float]
) -> dict[str, tuple[str, list[Column]]]:
    made = {
        "Groups": ("totals", tables.group_table(limits, inputs.compare_straight_line, inputs.against is not None)),
        "Places": ("places", tables.place_table(fields, limits)),
    }
    if inputs.candidates is not None:
        made["Candidates"] = ("candidates", CANDIDATE_TABLE)
        made["Choices"] = ("choices", CHOICE_TABLE)
    return made


def _curve(run: Run, other: Run | None, fields: list[str], people: list[Floats], limits: list[float]) -> Json:
    """Share of each group within so many minutes, and of the first group in the other run."""

    def values(of: Run, column: Floats) -> list[float]:
        total = max(float(column.sum()), 1e-9)
        return [round(100 * float(share @ column) / total, 2) for share in of.curve]

    series = [
        {"label": tables.words_of(name), "values": values(run, column)}
        for name, column in list(zip(fields, people, strict=True))[: MAX_CURVES - (other is not None)]
    ]
    if other is not None:
        series.append({"label": f"{tables.words_of(fields[0])}, other run", "values": values(other, people[0])})
    return {
        "kind": "curve",
        "name": "% by minute",
        "title": "Share of people within so many minutes, %",
        "x": {"label": "minutes", "values": [round(float(m), 2) for m in run.minutes]},
        "series": series,
        "marks": limits,
        "part": "curves",
    }


def _bars(groups: list[Json], limits: list[float]) -> Json:
    """Share of each group within each limit."""
    shown = groups[:MAX_BARS]
    return {
        "kind": "bars",
        "name": "% by group",
        "title": "Share within each limit by group, %",
        "x": {"label": "group", "values": [tables.words_of(row["field"]) for row in shown]},
        "series": [
            {
                "label": limit_word(limit, "time"),
                "values": [row[f"percent_within_{limit:g}"] or 0.0 for row in shown],
            }
            for limit in limits
        ],
    }
