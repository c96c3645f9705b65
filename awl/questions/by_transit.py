"""Questions by public transport: their router, what an answer says of its method, and what is doubtful in it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from awl.core.errors import AwlError
from awl.core.progress import Progress
from awl.core.routing.router import StreetRouter
from awl.core.transit.feed import PLATFORM, UNKNOWN
from awl.core.transit.router import TransitRouter
from awl.questions.inputs import SharedInputs
from awl.questions.results import Doubt, counted, listed
from awl.questions.spots import MOST_SPOTS, Spot
from awl.study.study import Study
from awl.study.transit import Asked, transit_of
from awl.views.charts import Axis, Chart, Series


def router_of(
    study: Study, street: StreetRouter, when: datetime | None, inputs: SharedInputs, progress: Progress
) -> TransitRouter | None:
    """The router of a question whose mode rides; None where it does not.

    Parameters:
        study: the study as the question is asked of it.
        street: finds walks, on the streets of the question.
        when: when the window begins.
        inputs: the words of the question.
        progress: is told how far the work is, and stops it.
    """
    if street.network.mode.transit is None:
        return None
    if when is None:
        raise AwlError(
            "Public transport needs a day and an hour",
            remedy="Give 'at', such as 2026-06-03T08:00",
            inputs=("at",),
            kind="needs-hour",
        )
    asked = Asked(when, inputs.window, inputs.percentile, inputs.max_changes, inputs.max_walk, inputs.max_wait)
    return transit_of(study, street.network.mode.id).router(street, asked, progress.part(0.0, 0.1))


def notes(router: TransitRouter, when: datetime, direction: str) -> list[str]:
    """The window and what its times are, the bounds, and what is not heeded.

    Parameters:
        router: the router of the question.
        when: when the window begins.
        direction: `from` or `to`: trips leave the places or lead to them.
    """
    window, bounds = router.window, router.bounds
    count = len(window.at_ms)
    end = when + timedelta(minutes=count - 1)
    day = f"{when:%A} {when.day} {when:%B %Y}"
    what = "departures" if direction == "from" else "arrivals at the latest"
    over = f"{when:%H:%M}" if count == 1 else f"each minute from {when:%H:%M} to {end:%H:%M}, {count} {what}"
    share = {0.0: "the best of them", 50.0: "their median", 100.0: "the worst of them"}.get(
        window.percentile, f"what {window.percentile:g}% of them keep"
    )
    changes = "any number of changes" if bounds.rides is None else counted(bounds.rides - 1, "change") + " at most"
    wait_ms = bounds.changes.wait_ms
    if wait_ms is not None:
        changes += f", with a wait of {wait_ms / 60_000:g} min at most at each"
    return [
        f"By the timetable of {day}, {over}; times are {share if count > 1 else 'those of that minute'}.",
        f"Walks to, between and from stops along the streets, {bounds.walk_ms / 60_000:g} min at most each; {changes}.",
        *_first_mile(router),
        "Times at crossings and stops are exact for each minute; along a street they are the lesser of coming from either end.",
    ]


def _first_mile(router: TransitRouter) -> list[str]:
    """How trips may begin, where not on foot alone."""
    rules, first = router.network.mode.transit, router.first
    if rules is None or first is None:
        return []
    where = (
        "at the stop" if first.parking is None else f"at one of {counted(len(first.parking.names), 'place')} to park"
    )
    title = first.router.network.mode.title
    return [
        f"Trips may begin by the mode '{title}', {rules.first_min:g} min at most, in free flow; the vehicle is left {where}."
    ]


def clocks(router: TransitRouter, when: datetime) -> list[str]:
    """The clock time of each departure of the window.

    Parameters:
        router: the router of the question.
        when: when the window begins.
    """
    return [f"{when + timedelta(minutes=nth):%H:%M}" for nth in range(len(router.window.at_ms))]


def departures_chart(
    title: str, label: str, clock: list[str], values: Sequence[float | int | None], **more: Any
) -> Chart:
    """A dot for each departure of a window.

    Parameters:
        title: what it shows, with its unit.
        label: what a dot is.
        clock: the clock time of each departure.
        values: the value of each.
        more: further members of the chart.
    """
    return Chart("departures", title, Axis("departure", clock), [Series(label, values)], name="By departure", **more)


def departures_note(router: TransitRouter, when: datetime) -> str:
    """The window in which departures are looked for.

    Parameters:
        router: the router of the question.
        when: when the window begins.
    """
    end = when + timedelta(minutes=len(router.window.at_ms) - 1)
    return f"By the timetable of {when:%A} {when.day} {when:%B %Y}: what leaves from {when:%H:%M} to {end:%H:%M}."


def doubts(router: TransitRouter) -> list[Doubt]:
    """Stops that no street reaches, departures known by frequency alone, and what is not known about wheelchairs.

    Parameters:
        router: the router of the question.
    """
    feed, timetable = router.stops.feed, router.search.timetable
    doubts_so_far = []
    used = timetable.calls_used & (feed.stops.kind == PLATFORM)
    far = np.flatnonzero(used & ~router.stops.is_joined)
    if len(far):
        names = listed([str(feed.stops.name[row]) for row in far.tolist()])
        text = f"{counted(len(far), 'stop')} {'is' if len(far) == 1 else 'are'} too far from a street and not used: {names}."
        spots = tuple(
            Spot(
                str(feed.stops.name[row]),
                "too far from a street",
                float(feed.stops.lon[row]),
                float(feed.stops.lat[row]),
            )
            for row in far.tolist()[:MOST_SPOTS]
            if np.isfinite(feed.stops.lon[row])
        )
        doubts_so_far.append(Doubt("stops-far-from-street", "warning", len(far), text, spots))
    running = np.unique(timetable.runs.trip)
    inexact = np.unique(feed.trips.route[np.intersect1d(feed.frequencies.trip[~feed.frequencies.exact], running)])
    if len(inexact):
        names = listed([str(feed.routes.name[row]) for row in inexact.tolist()])
        text = f"Departures of {names} are known by frequency alone; they are assumed at even intervals."
        doubts_so_far.append(Doubt("departures-assumed", "note", len(inexact), text))
    if router.network.mode.transit is not None and router.network.mode.transit.on_wheels:
        unknown = int((feed.stops.wheelchair[used] == UNKNOWN).sum())
        if unknown:
            text = f"Of {counted(unknown, 'stop')} it is not known whether a wheelchair can board; they are used."
            doubts_so_far.append(Doubt("wheelchair-unknown", "warning", unknown, text))
    return doubts_so_far
