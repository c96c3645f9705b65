"""How access is computed: people of zones against the nearest place and against each, and what is compared with that."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from awl.io.table import Table
from awl.questions import static_speeds
from awl.questions.access import tables
from awl.questions.access.inputs import AccessInputs
from awl.questions.access.measures import further_measures, measure_notes
from awl.questions.access.scenario import Run, run_of, straight_shares
from awl.questions.access.sites import Candidates, candidates_of
from awl.questions.context import Context, limit_units
from awl.questions.faults import parse_inputs
from awl.questions.inputs import GeoJson, Json, check_limits
from awl.questions.offers import offer_of, offers_of
from awl.questions.population import squares_of
from awl.questions.results import Part, Result
from awl.questions.zone_inputs import chosen_fields, gap_doubts, zone_doubts

Floats = NDArray[np.float64]


@dataclass
class AccessResult(Result):
    """Access of zones.

    Attributes:
        mode: the title of the mode.
        words, kind: what the places are called together, and one of them where they are those of a layer.
        fields: groups of people, the first leads.
        minutes: minutes (c,) of the curve of people within so many.
        curves: share (c,) of the people of each group by minute, in percent.
        other_curve: that of the first group in the second run.
        other: words for what else holds in the second run; empty where there is none.
        candidates: the candidates, where such are given.
    """

    mode: str
    words: str
    kind: str | None
    fields: list[str]
    minutes: Floats
    curves: list[Floats]
    other_curve: Floats | None
    other: str
    candidates: Candidates | None


def run_access(inputs: AccessInputs, context: Context) -> AccessResult:
    """Count people against the nearest place and against each, and compare that with what else was asked for."""
    limits = check_limits(inputs.limits, "time")
    layer = squares_of(context) if inputs.zones is None else context.features(inputs.zones, "zones")[0]
    fields = chosen_fields(layer, inputs.fields)
    zones, shapes, people = context.zones(layer, fields)
    spread = "grid" if inputs.zones is None else inputs.spread
    run = run_of(inputs, context, shapes, None, spread)
    names, last = zones.names("zone"), limit_units(limits[-1], "time")
    columns = tables.zone_columns(run, zones, fields, people, limits)
    columns |= tables.offered_columns(run, offers_of(run.places, inputs.weights, inputs.kind), limits)
    groups = tables.group_columns(run, fields, people, limits) | tables.window_columns(run, people, limits)
    offered = offer_of(run.places, inputs.weights)
    further, lorenz = further_measures(
        inputs, run.population.population_points, run.times, offered, people[0], fields, limits[-1]
    )
    columns |= further
    method = [
        *context.notes,
        *static_speeds.of_reach(context, "time", run.snapped, run.arrivals, last),
        run.population.method,
        *measure_notes(inputs),
    ]
    doubts = context.doubts_of(run.places, run.snapped) + context.doubts_of_reach(run.arrivals, last)
    doubts += gap_doubts(zones, fields) + run.population.doubts + zone_doubts(run.placed, people[0], names, context)
    summary = _summary(groups, limits)
    if inputs.compare_straight_line:
        context.progress.step(0.82, "Straight lines")
        radius, straight = straight_shares(run, limits)
        of_zones, of_groups = tables.straight_columns(run, fields, people, limits, straight)
        columns |= of_zones
        groups |= of_groups
        summary["straight_line_radius_m"] = [round(value) for value in radius]
        method.append(
            f"Straight lines: {limits[-1]:g} min at the mode's mean speed of {context.mean_speed_kmh:.1f} km/h make"
            f" {radius[-1]:,.0f} m."
        )
    other, words = None, ""
    if inputs.against is not None:
        other, words = _other_run(inputs, run, shapes, spread)
        of_zones, of_groups = tables.change_columns(run, other, fields, people, limits)
        columns |= of_zones
        groups |= of_groups
        method.append(f"The other run: {words}; all else is as in this one.")
        doubts += [doubt for doubt in other.context.doubts_of_mode() if doubt not in doubts]
    totals = Table(None, groups)
    parts: dict[str, Part] = {
        "zones": Table(context.network.graph.plane.unproject(shapes), columns),
        "totals": totals,
        "places": context.place_table(run.places, run.snapped, tables.place_columns(run, fields, people, limits)),
        "near": tables.near_table(run, names, limits[-1]),
        "curves": tables.curve_table(run, names),
        "unserved": tables.unserved(run, people[0], limits[-1]),
    }
    candidates = None
    if inputs.candidates is not None:
        candidates = candidates_of(inputs, inputs.candidates, run, fields[0], people[0])
        parts |= {"candidates": candidates.table, "choices": candidates.choices}
        best = candidates.choices.records()[0]
        summary |= {"best_candidates": best["candidates"], "people_gained": best["gained"]}
        method.append(candidates.method)
        doubts += candidates.doubts
    if lorenz is not None:
        parts["lorenz"] = lorenz
    return AccessResult(
        summary=summary | {"totals": totals.records()},
        parts=parts,
        doubts=doubts,
        method=method,
        mode=context.mode.title,
        words=run.places.words,
        kind=run.places.kind,
        fields=fields,
        minutes=run.minutes,
        curves=[_curve(run, column) for column in people],
        other_curve=None if other is None else _curve(other, people[0]),
        other=words,
        candidates=candidates,
    )


def _curve(run: Run, people: Floats) -> Floats:
    """Share of people within so many minutes, in percent."""
    shares: Floats = 100 * (run.curve @ people) / max(float(people.sum()), 1e-9)
    return shares


def _summary(groups: dict[str, Any], limits: list[float]) -> Json:
    middle, last = limits[len(limits) // 2], limits[-1]
    share = groups[f"percent_within_{middle:g}"].shown()[0]
    return {
        "limits_min": limits,
        f"share_within_{middle:g}_min_percent": share,
        f"people_beyond_{last:g}_min": groups["beyond"].shown()[0],
    }


def _other_run(inputs: AccessInputs, run: Run, shapes: NDArray[np.object_], spread: str) -> tuple[Run, str]:
    """The second run, and words for what else holds in it. People stay where they are unless the mode is another."""
    assert inputs.against is not None
    changed = {key: getattr(inputs.against, key) for key in inputs.against.model_fields_set}
    changed = {key: value for key, value in changed.items() if value is not None or key in ("at", "closures")}
    own = inputs.model_dump(mode="json", exclude={"against", "candidates"})
    asked = parse_inputs("access", AccessInputs, {**own, **_plain(changed)})
    context = run.context.beside(asked, run.context.progress.part(0.85, 0.98))
    population = run.population if asked.mode == inputs.mode else None
    other = run_of(asked, context, shapes, population, spread)
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
