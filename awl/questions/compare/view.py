"""What a comparison says and shows: one map of differences, both values and their difference in tables, what changes most."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from awl.core.analysis.comparison import cumulative_shares
from awl.questions.compare.grounds import FIRST, SECOND, AreaDifferences
from awl.questions.compare.map_of_differences import map_of
from awl.questions.compare.rows import RowDifferences, change_field, value_field
from awl.questions.compare.run import CompareResult, Differences
from awl.questions.compare.streets import OwnerDifferences, ReachDifferences, WayDifferences
from awl.questions.compare.titles import capitalized, number_title
from awl.views.charts import Axis, Chart, Series
from awl.views.view import Column, Compared, ComparedAnswer, ComparedWord, Figure, File, TableView, View

STEPS = 60
MOST_BARS = 8
MORE_FIELDS = 3
"""Numbers shown in a table beside the one that leads."""
QUANTITIES_OF_TIME = ("mean_time", "duration")


def view_compare(result: CompareResult) -> View:
    """Key figures first, then the differences part by part."""
    labels = result.labels
    tables = [_figure_table(labels)]
    charts: list[Chart] = []
    figures: list[Figure] = []
    for one in result.differences:
        tables += _tables(one, labels)
        charts += _charts(one, labels)
        # The rows that lead say it for those that go into them.
        figures += [] if figures and isinstance(one, RowDifferences) else _figures(one, labels)
    charts = list({chart.name: chart for chart in reversed(charts)}.values())[::-1]
    known = {table.part: table for table in reversed(tables)}
    shown = [table for table in tables if known[table.part] is table]
    return View(
        title=f"{result.asked.title}: {' and '.join(labels[1:])} against {labels[0]}",
        figures=figures or _first_figures(result),
        method=result.method,
        tables=shown,
        charts=charts,
        map=map_of(result),
        files=[File("csv", shown[min(1, len(shown) - 1)].part), File("xlsx", "key_figures"), File("gpkg")],
        compared=Compared(
            [
                ComparedAnswer(label, side.kept.answer if side.kept and side.kept.study is None else None)
                for label, side in zip(labels, result.sides, strict=True)
            ],
            [ComparedWord(word.kind, word.label, word.texts) for word in result.words],
        ),
    )


def _figure_table(labels: list[str]) -> TableView:
    columns = [Column("label", "Figure")]
    columns += [Column(value_field("value", nth), capitalized(label), "", 2) for nth, label in enumerate(labels, 1)]
    for nth in range(2, len(labels) + 1):
        columns.append(Column(change_field("value", nth), _head("Difference", nth, labels), "", 2))
        columns.append(Column(change_field("percent", nth), _head("Difference", nth, labels), "%", 1))
    return TableView("key_figures", columns, "Key figures")


def _head(word: str, nth: int, labels: list[str]) -> str:
    """The head of a column of differences; of several answers it says whose."""
    return word if len(labels) == 2 else f"{word}, {labels[nth - 1]}"


def _tables(one: Differences, labels: list[str]) -> list[TableView]:
    if isinstance(one, RowDifferences):
        return _row_tables(one, labels)
    if isinstance(one, AreaDifferences):
        digits = 0 if all(float(value).is_integer() for value in one.values) else 1
        columns = [
            Column("value", "Within", one.unit, digits),
            Column("where", "Ground"),
            Column("area_km2", "Area", "km²", 3),
        ]
        return [TableView("areas", columns, "Areas")]
    if isinstance(one, ReachDifferences):
        columns = [Column("name", "Street"), Column("change", "Change")]
        columns += [
            Column(value_field("first", nth), capitalized(label), one.unit, 1) for nth, label in enumerate(labels, 1)
        ]
        columns += [
            Column(change_field("first", nth), _head("Later", nth, labels), one.unit, 1)
            for nth in range(2, len(labels) + 1)
        ]
        return [TableView("streets", columns, "Streets", key="link_id")]
    if isinstance(one, OwnerDifferences):
        columns = [Column("from", "From"), Column("to", "To"), Column("street_km", "Street", "km", 2)]
        return [TableView("moved", [*columns, Column("against", "In")], "Who changes place")]
    if isinstance(one, WayDifferences):
        columns = [Column("who", "Taken by"), Column("km", "Streets", "km", 2), Column("streets", "Links", "", 0)]
        return [TableView(one.spec.part, [Column("way", "Way"), *columns], "Where they part")]
    name = next((column for column in one.table.fields if column != "standing"), "standing")
    columns = [Column(column, capitalized(column.replace("_", " "))) for column in one.table.fields]
    return [TableView(one.part, columns, capitalized(one.part.replace("_", " ")), key=name)]


def _row_tables(one: RowDifferences, labels: list[str]) -> list[TableView]:
    tables: list[TableView] = []
    names = [Column(name, capitalized(name.replace("_", " "))) for name in one.spec.names if name in one.table.columns]
    names = names or [Column(key, capitalized(key.replace("_", " "))) for key in one.spec.keys]
    columns = list(names)
    for field in one.fields[:MORE_FIELDS] if one.lead is not None else []:
        columns += _number_columns(one, field, labels, alone=len(one.fields) == 1)
    if one.groups is not None:
        tables.append(_group_table(labels))
    if one.most is not None and len(one.most):
        tables.append(_most_table(one, labels))
    tables.append(TableView(one.spec.part, [*columns, Column("standing", "Where")], one.spec.title, key=names[0].field))
    return tables


def _number_columns(one: RowDifferences, field: str, labels: list[str], alone: bool) -> list[Column]:
    column = one.table.columns[field]
    is_whole = column.kind == "integer" or column.unit == "people"
    digits = 0 if is_whole else min(1 if column.digits is None else column.digits, 2)
    title = "" if alone else f"{number_title(one.table.columns[field], field)}, "
    values = [
        Column(value_field(field, nth), capitalized(f"{title}{label}"), column.unit, digits)
        for nth, label in enumerate(labels, 1)
    ]
    return values + [
        Column(change_field(field, nth), _head("Difference", nth, labels), column.unit, digits)
        for nth in range(2, len(labels) + 1)
    ]


def _group_table(labels: list[str]) -> TableView:
    columns = [Column("group", "Group"), Column("limit", "Within", "min", 0)]
    columns += [
        Column(value_field("within", nth), capitalized(label), "people", 0) for nth, label in enumerate(labels, 1)
    ]
    for nth in range(2, len(labels) + 1):
        columns += [
            Column(value_field("gained", nth - 1), _head("Gain it", nth, labels), "people", 0),
            Column(value_field("lost", nth - 1), _head("Lose it", nth, labels), "people", 0),
            Column(change_field("within", nth), _head("Difference", nth, labels), "people", 0),
        ]
    columns += [Column(value_field("gini", nth), f"Gini, {label}", "", 3) for nth, label in enumerate(labels, 1)]
    return TableView("groups", columns, "People")


def _most_table(one: RowDifferences, labels: list[str]) -> TableView:
    lead = one.lead
    unit, digits = ("", 1) if lead is None else (lead.unit, 0 if lead.unit == "people" else lead.digits)
    columns = [Column("name", one.spec.title)]
    if one.spec.more_is_better is not None:
        columns.append(Column("way", "Which"))
    if len(labels) > 2:
        columns.append(Column("against", "In"))
    columns += [
        Column("first", capitalized(labels[0]), unit, digits),
        Column("second", capitalized(labels[1]) if len(labels) == 2 else "Then", unit, digits),
        Column("change", "Difference", unit, digits),
        Column("percent", "Difference", "%", 0),
    ]
    return TableView("most_changed", columns, "Most changed", key="name")


def _charts(one: Differences, labels: list[str]) -> list[Chart]:
    if isinstance(one, RowDifferences) and one.lead is not None and not one.spec.sums_up:
        return [*_distribution(one, labels), *_most_bars(one, labels)]
    if isinstance(one, AreaDifferences) and len(labels) == 2:
        words = [f"{value:g} {one.unit}" for value in one.values]
        series = [
            Series(f"Only '{label}'", [round(one.area(value, 2, ground), 4) for value in one.values])
            for ground, label in ((FIRST, labels[0]), (SECOND, labels[1]))
        ]
        return [Chart("bars", "Area in one answer alone, by limit, km²", Axis("within", words), series, name="Areas")]
    return []


def _distribution(one: RowDifferences, labels: list[str]) -> list[Chart]:
    """How much of all lies below each value, the answers over each other."""
    lead = one.lead
    assert lead is not None
    timed = [
        name
        for name in one.fields
        if (meaning := one.table.columns[name].meaning) and meaning.quantity in QUANTITIES_OF_TIME
    ]
    field = timed[0] if timed else lead.field
    column = one.table.columns[field]
    values = [one.table.columns[value_field(field, nth)].numbers() for nth in range(1, len(labels) + 1)]
    every = np.concatenate(values)
    every = every[np.isfinite(every)]
    if len(every) < 3 or every.min() == every.max():
        return []
    of = lead.meaning.of if lead.meaning is not None else None
    people = one.table.columns[of].numbers() if of in one.table.columns and timed else None
    weight = np.ones(len(values[0])) if people is None else np.nan_to_num(people)
    at = np.linspace(min(every.min(), 0.0), every.max(), STEPS + 1)
    series = [
        Series(capitalized(label), np.round(100 * cumulative_shares(own, weight, at), 2).tolist())
        for label, own in zip(labels, values, strict=True)
    ]
    what = one.spec.title.lower() if people is None or of is None else of.replace("_", " ")
    unit = column.unit
    title = f"Share of {what} with at most so much, %"
    axis = Axis(
        "minutes" if unit == "min" else f"{number_title(one.table.columns[field], field)} {unit}".strip(),
        np.round(at, 4).tolist(),
    )
    return [Chart("curve", title, axis, series, name="Distribution")]


def _most_bars(one: RowDifferences, labels: list[str]) -> list[Chart]:
    """Bars of those that change most, centred on zero."""
    if one.most is None or not len(one.most) or len(labels) != 2:
        return []
    records = one.most.records()
    half = MOST_BARS // 2
    rising = sorted((record for record in records if record["change"] > 0), key=lambda record: -record["change"])
    falling = sorted((record for record in records if record["change"] < 0), key=lambda record: record["change"])
    chosen = [*rising[:half], *falling[:half][::-1]]
    unit = "" if one.lead is None or not one.lead.unit else f", {one.lead.unit}"
    title = f"{capitalized(number_title(one.table.columns[one.fields[0]], one.fields[0]))}: difference{unit}"
    axis = Axis("name", [record["name"] for record in chosen])
    return [
        Chart("bars", title, axis, [Series("Difference", [record["change"] for record in chosen])], name="Most changed")
    ]


def _figures(one: Differences, labels: list[str]) -> list[Figure]:
    """The figures of a part that lead; of several answers those of the second."""
    if isinstance(one, RowDifferences):
        return _row_figures(one)
    if isinstance(one, AreaDifferences):
        last = one.values[-1]
        word = f"{last:g} {one.unit}"
        only = [(SECOND, labels[1]), (FIRST, labels[0])]
        return [
            Figure(round(one.area(last, 2, ground), 3), "km²", f"only in '{label}', {word}") for ground, label in only
        ]
    if isinstance(one, ReachDifferences):
        mean = one.mean_change[0]
        figures = [
            Figure(round(one.gained_km[0], 2), "km", "street gained"),
            Figure(round(one.lost_km[0], 2), "km", "street lost"),
        ]
        figures.sort(key=lambda figure: -float(figure.value or 0))
        if np.isfinite(mean):
            word = "later" if mean > 0 else "sooner"
            figures.append(Figure(round(abs(mean), 2), one.unit, f"{word}, mean of streets in both"))
        return figures
    if isinstance(one, OwnerDifferences):
        return [Figure(round(one.moved_km[0], 2), "km", "street that changes place")]
    if isinstance(one, WayDifferences):
        km = {record["taken"]: record["km"] for record in one.table.records() if record["way"] == one.keys[0]}
        return [
            Figure(round(km["all"], 2), "km", "the same way"),
            *[Figure(round(km[str(nth)], 2), "km", f"only {label}") for nth, label in enumerate(labels, 1)],
        ]
    word = one.part.replace("_", " ")
    return [Figure(one.counts[1] - one.counts[0], "", f"{word} more"), Figure(one.common, "", f"{word} in both")]


def _row_figures(one: RowDifferences) -> list[Figure]:
    if one.groups is not None:
        records = one.groups.records()
        own = [record for record in records if record["group"] == records[0]["group"]]
        middle = own[len(own) // 2]
        word = f"{middle['group']} within {middle['limit']:g} min"
        return [
            Figure(round(middle["gained"]), "people", f"gain it, {word}"),
            Figure(round(middle["lost"]), "people", f"lose it, {word}"),
            Figure(round(middle[change_field("within", 2)]), "people", "difference"),
        ]
    if one.lead is None or one.spec.sums_up:
        return []
    change = one.lead.changes[0][np.isfinite(one.lead.changes[0])]
    least = 0.5 * 10.0**-one.lead.digits
    mean = round(float(change.mean()), 2) if len(change) else None
    what, number = one.spec.title.lower(), number_title(one.table.columns[one.lead.field], one.lead.field)
    return [
        Figure(mean, one.lead.unit, f"difference in the mean, {number}"),
        Figure(int((change > least).sum()), "", f"{what} with more {number}"),
        Figure(int((change < -least).sum()), "", f"{what} with less {number}"),
    ]


def _first_figures(result: CompareResult) -> list[Figure]:
    """Differences of key figures, where no part leads."""
    rows = result.part("key_figures").records()
    changes: Sequence[tuple[str, str, float | None]] = [
        (row["figure"], row["unit"], row[change_field("value", 2)]) for row in rows
    ]
    return [Figure(value, unit, f"more, {label}") for label, unit, value in changes if value is not None][:3]
