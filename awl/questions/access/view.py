"""What access says and shows."""

from __future__ import annotations

from awl.io.table import Column as Stored
from awl.questions.access.inputs import AccessInputs
from awl.questions.access.run import AccessResult
from awl.questions.access.tables import people_field, share_field, words_of
from awl.questions.context import limit_word
from awl.questions.inputs import ordinal
from awl.views.charts import Axis, Chart, Series
from awl.views.map_view import (
    Classes,
    Frames,
    GradedField,
    Grades,
    LegendGroup,
    LegendRow,
    MapLayer,
    MapView,
    Paint,
    Swatch,
    alike,
    token,
)
from awl.views.pins import pin_layers, pin_row
from awl.views.view import CardRow, Column, Figure, File, RowCard, TableView, View

MAX_CURVES = 4
"""Groups drawn as curves: more cannot be told apart; the table has them all."""
MAX_BARS = 8
SHARES = (0.0, 20.0, 40.0, 60.0, 80.0, 100.0)
CHANGES = (-100.0, -20.0, -5.0, -0.5, 0.5, 5.0, 20.0, 100.0)
"""Points of a change of shares: small ones are told apart, none is its own class."""
MEASURE_WORDS = {"gravity": "potential", "supply_per_1000": "supply per head"}


def view_access(inputs: AccessInputs, result: AccessResult) -> View:
    """Zones by a figure, groups and places in tables, shares by minute."""
    limits = inputs.limits
    charts = [_curve_chart(result, limits), _bars(result, limits), _lorenz_chart(result)]
    title = f"{result.mode}, {words_of(result.fields[0])} within {limit_word(limits[-1], 'time')} of {result.words}"
    return View(
        title=title + (f", against {result.other}" if result.other else ""),
        figures=_figures(inputs, result),
        method=result.method,
        tables=_tables(inputs, result),
        charts=[chart for chart in charts if chart is not None],
        map=_map(inputs, result),
        card=_card(inputs, result),
        files=[File("csv", "zones"), File("gpkg")],
    )


def _figures(inputs: AccessInputs, result: AccessResult) -> list[Figure]:
    limits, first = inputs.limits, result.summary["totals"][0]
    middle, last = limits[len(limits) // 2], limits[-1]
    share, within = first[f"percent_within_{middle:g}"], limit_word(middle, "time")
    figures = [
        Figure(None if share is None else round(share, 1), "%", f"of {words_of(result.fields[0])}, {within}"),
        Figure(round(first["beyond"]), "people", f"beyond {limit_word(last, 'time')}"),
    ]
    if inputs.compare_straight_line:
        over = round(first[f"overstated_{middle:g}"])
        figures.append(Figure(over, "people", f"more if measured straight, {within}"))
    if result.other:
        change = round(first[f"change_within_{middle:g}"])
        figures.insert(1, Figure(change, "people", f"change within {within}, {result.other}"))
    if (candidates := result.candidates) is not None:
        chosen, offered = candidates.chosen, candidates.offered
        best = f"the best {chosen} of {offered}" if chosen < offered else f"all {chosen}"
        figures.insert(1, Figure(round(candidates.gained), "people", f"more within {within} with {best}"))
    return figures


def _tables(inputs: AccessInputs, result: AccessResult) -> list[TableView]:
    limits, first = inputs.limits, result.fields[0]
    tables = [
        TableView("zones", _zone_columns(inputs, result), key="zone", curves="curves"),
        TableView("totals", _group_columns(inputs, result), "Groups"),
        TableView("places", _place_columns(first, limits), "Places", key="name"),
    ]
    if result.candidates is not None:
        candidate = [
            Column("name", "Candidate"),
            Column("gained_alone", "Gained alone", "people", 0),
            Column("standing", "In the best choice"),
        ]
        choice = [
            Column("choice", "Rank", "", 0),
            Column("candidates", "Candidates together"),
            Column("gained", "Gained", "people", 0),
            Column("short_of_best", "Short of the best", "people", 0),
        ]
        tables += [
            TableView("candidates", candidate, "Candidates", key="name"),
            TableView("choices", choice, "Choices"),
        ]
    return tables


def _zone_columns(inputs: AccessInputs, result: AccessResult) -> list[Column]:
    """The columns of zones that matter; of two runs both and the change within the middle limit."""
    limits, first = inputs.limits, result.fields[0]
    middle = limits[len(limits) // 2]
    people = Column(first, "People" if first == "population" else words_of(first).capitalize(), "", 0)
    if result.other:
        return [
            Column("zone", "Zone"),
            people,
            Column(share_field(middle), f"{middle:g}\u00a0min", "%", 1),
            Column(f"other_{share_field(middle)}", "Other run", "%", 1),
            Column(f"change_{people_field(first, middle)}", "Change", "people", 0),
            Column("nearest_place", "Nearest"),
        ]
    return [
        Column("zone", "Zone"),
        people,
        Column("mean_min", "Mean", "min", 1),
        *[Column(share_field(limit), f"{limit:g}\u00a0min", "%", 1) for limit in limits],
        Column("nearest_place", "Nearest"),
    ]


def _window_columns(result: AccessResult, limit: float) -> list[Column]:
    """By public transport: people within a limit at the worst and the best departure, and how often they are within the last."""
    if f"worst_within_{limit:g}" not in result.summary["totals"][0]:
        return []
    return [
        Column(f"worst_within_{limit:g}", f"Worst, {limit:g}\u00a0min", "people", 0),
        Column(f"best_within_{limit:g}", f"Best, {limit:g}\u00a0min", "people", 0),
        Column("departures_percent", "Departures in time", "%", 1),
    ]


def _group_columns(inputs: AccessInputs, result: AccessResult) -> list[Column]:
    """The columns of groups; what is said of one limit is said of the middle one."""
    limits = inputs.limits
    middle = limits[len(limits) // 2]
    straight = Column(f"overstated_{middle:g}", "Straight, more", "people", 0)
    change = Column(f"change_within_{middle:g}", "Other run, change", "people", 0)
    return [
        Column("group", "Group"),
        Column("total", "People", "", 0),
        *[Column(f"within_{limit:g}", f"{limit:g}\u00a0min", "people", 0) for limit in limits],
        *_window_columns(result, middle),
        Column(f"ratio_within_{middle:g}", "Share to first", "", 2),
        *([straight] if inputs.compare_straight_line else []),
        *([change] if result.other else []),
    ]


def _place_columns(first: str, limits: list[float]) -> list[Column]:
    middle = limits[len(limits) // 2]
    return [
        Column("name", "Place"),
        *[Column(people_field(first, limit), f"{limit:g} min", "people", 0) for limit in (middle, limits[-1])],
        Column(f"{first}_nearest", "Nearest for", "people", 0),
        Column(f"{first}_only_this", "Have no other", "people", 0),
    ]


def _card(inputs: AccessInputs, result: AccessResult) -> RowCard:
    """What is told of one zone: its people by group, and the places they have."""
    limits, first = inputs.limits, result.fields[0]
    rows = [CardRow(words_of(name), [name, *(people_field(name, limit) for limit in limits)]) for name in result.fields]
    heads = ["all", *(limit_word(limit, "time") for limit in limits)]
    last = limit_word(limits[-1], "time")
    return RowCard("zones", "zone", first, people_field(first, limits[-1]), last, heads, rows, "near")


def _curve_chart(result: AccessResult, limits: list[float]) -> Chart:
    """Share of each group within so many minutes, and of the first group in the other run."""
    shown = MAX_CURVES - (result.other_curve is not None)
    named = list(zip(map(words_of, result.fields), result.curves, strict=True))[:shown]
    if result.other_curve is not None:
        named.append((f"{words_of(result.fields[0])}, other run", result.other_curve))
    return Chart(
        "curve",
        "Share of people within so many minutes, %",
        Axis("minutes", [round(float(m), 2) for m in result.minutes]),
        [Series(name, [round(float(v), 2) for v in values]) for name, values in named],
        name="% by minute",
        marks=limits,
        part="curves",
    )


def _bars(result: AccessResult, limits: list[float]) -> Chart:
    """Share of each group within each limit."""
    shown = result.summary["totals"][:MAX_BARS]
    return Chart(
        "bars",
        "Share within each limit by group, %",
        Axis("group", [row["group"] for row in shown]),
        [
            Series(limit_word(limit, "time"), [row[f"percent_within_{limit:g}"] or 0.0 for row in shown])
            for limit in limits
        ],
        name="% by group",
    )


def _lorenz_chart(result: AccessResult) -> Chart | None:
    """The Lorenz curves drawn beside the line of equality; None where there are none."""
    if "lorenz" not in result.parts:
        return None
    rows, field = result.part("lorenz").records(), result.fields[0]
    names = list(dict.fromkeys(row["measure"] for row in rows))
    first = [row for row in rows if row["measure"] == names[0]]
    series = []
    for name in names:
        points = [row for row in rows if row["measure"] == name]
        label = f"{MEASURE_WORDS.get(name, name)}, Gini {points[0]['gini']:.2f}"
        series.append(Series(label, [round(100 * row["held_share"], 2) for row in points]))
    shares = [round(100 * row["people_share"], 2) for row in first]
    return Chart(
        "curve",
        f"Share held by the worst off of {field.replace('_', ' ')}, %",
        Axis("% of people", shares),
        [*series, Series("all alike", shares)],
        name="Inequality",
    )


def _map(inputs: AccessInputs, result: AccessResult) -> MapView:
    """Zones by a figure, people who have no place as dots, and candidates."""
    last = limit_word(inputs.limits[-1], "time")
    dots = result.part("unserved")
    frames = Frames("curves", "zone", "People within {} min")
    zones = Grades("zones", _graded_fields(inputs, result), of="zones", frames=frames)
    layers = [MapLayer("zones", "zones", grades=zones, key="zone")]
    rows: list[LegendRow] = []
    if len(dots):
        per = round(float(dots.columns["people"][0]))
        people = f"{per:,} {'person' if per == 1 else 'people'} beyond {last}"
        rows.append(LegendRow("unserved", people, Swatch("circle", token("b2"))))
        layers.append(MapLayer("unserved", "dots", alike(Paint("unserved", fill=token("b2"), radius=1.7))))
    rows.append(pin_row(result.kind, len(result.part("places"))))
    legend = [LegendGroup("beside", "", rows)]
    if (candidates := result.candidates) is not None:
        of = {
            "true": Paint("candidates-best", fill=token("thread"), radius=6.0),
            "*": Paint("candidates-other", fill=token("page"), radius=6.0),
        }
        layers.append(MapLayer("candidates", "points", Classes(of, "chosen"), key="name", label="name"))
        legend.append(
            LegendGroup(
                "candidates",
                "Candidates",
                [
                    LegendRow(
                        "candidates-best", "In the best choice", Swatch("circle", token("thread")), candidates.chosen
                    ),
                    LegendRow("candidates-other", "Left out", Swatch("circle"), candidates.offered - candidates.chosen),
                ],
            )
        )
    return MapView(layers=[*layers, *pin_layers(result.kind)], legend=legend, outline=["zones"])


def _graded_fields(inputs: AccessInputs, result: AccessResult) -> list[GradedField]:
    """Figures that zones can be graded by; the share within the middle limit leads, of two runs its change."""
    middle = inputs.limits[len(inputs.limits) // 2]
    limits = [middle, *(limit for limit in inputs.limits if limit != middle)]
    columns = result.part("zones").columns
    places = result.kind.lower() + "s" if result.kind else "places"
    by_name = {name: (column, _order(column, limits)) for name, column in columns.items() if column.meaning is not None}
    graded = sorted((order, name, column) for name, (column, order) in by_name.items() if order is not None)
    return [_graded(name, column, places) for _, name, column in graded]


ORDER = [
    ("share_within", "change"),
    ("share_within", "own"),
    ("share_within", "other"),
    ("people_overstated", "own"),
    ("mean_time", "own"),
    ("places_within", "own"),
    ("potential", "own"),
    ("supply", "own"),
    ("time_to_nearest", "own"),
]
"""What zones can be graded by, in the order in which it is offered: quantity and run."""


def _order(column: Stored, limits: list[float]) -> tuple[int, int] | None:
    """Where a column stands among the figures zones can be graded by; None where it is none."""
    meaning = column.meaning
    if meaning is None or (meaning.quantity, meaning.run) not in ORDER:
        return None
    if meaning.quantity == "places_within" and meaning.of != "places":
        return None
    level = limits.index(meaning.limit) if meaning.limit in limits else 0
    return ORDER.index((meaning.quantity, meaning.run)), level


def _graded(name: str, column: Stored, places: str) -> GradedField:
    meaning = column.meaning
    assert meaning is not None
    within = f"{meaning.limit:g} min" if meaning.limit is not None else ""
    if meaning.quantity == "share_within":
        if meaning.run == "change":
            return GradedField(name, f"Change within {within}, points", "", [*CHANGES], "change")
        return GradedField(
            name, f"{'Other run,' if meaning.run == 'other' else 'People'} within {within}", "%", [*SHARES]
        )
    titles = {
        "people_overstated": f"More if straight, {within}",
        "mean_time": "Mean time to the nearest",
        "places_within": f"{places.capitalize()} within {within}",
        "potential": "Potential",
        "supply": "Supply per 1000 people",
        "time_to_nearest": f"Time to the {ordinal(meaning.nth or 1)} nearest",
    }
    return GradedField(name, titles[meaning.quantity], column.unit)
