"""Who is on the map of a simulation at a moment, for paper and animations."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from awl.handout.content import PeopleShown, SheetContent
from awl.questions.simulate.playback import Playback
from awl.questions.simulate.runs import MINUTE_MS


def with_people(content: SheetContent, playback: Callable[[], Playback]) -> SheetContent:
    """The content of a sheet with those who move in its answer; without any where nothing does.

    Parameters:
        content: the content.
        playback: gives what is played.
    """
    moving = content.view.map.moving
    if moving is None:
        return content

    def shown(minute: float) -> PeopleShown:
        played = playback()
        time_ms = round(minute * MINUTE_MS)
        seen = played.seen_at(time_ms)
        counts = played.counts_at(time_ms)
        inks = {
            state: str(content.looks.get(f"state:{state}", {}).get("colour") or ink)
            for state, ink in moving.inks.items()
            if f"state:{state}" not in content.hidden
        }
        return PeopleShown(seen.xy, seen.toward, seen.state, inks, played.held_at(time_ms), counts)

    return replace(content, people=shown)
