"""Clock time against the time of timetables, on days of 23, 24 and 25 hours alike."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from awl.core.errors import AwlError

DAY_S = 86_400
HALF_DAY = timedelta(hours=12)


@cache
def zone_of(name: str) -> ZoneInfo:
    """The time zone of a name in the IANA data base.

    Parameters:
        name: such as `Atlantic/Azores`.

    Raises:
        AwlError: there is none of this name.
    """
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise AwlError(
            f"'{name[:60]}' is no time zone", where="agency.txt", remedy="Use a name of the IANA data base"
        ) from error


def start_of(day: date, timezone: str) -> float:
    """When a service day starts, twelve hours before noon, in seconds since 1970 (UTC).

    Parameters:
        day: the day.
        timezone: name of the time zone.
    """
    noon = datetime(day.year, day.month, day.day, 12, tzinfo=zone_of(timezone))
    return noon.timestamp() - HALF_DAY.total_seconds()


def seconds_into(when: datetime, timezone: str) -> int:
    """Seconds of the service day of its date at a local date and time.

    An hour that does not exist stands for the one after it, of an hour that comes twice it is the first.

    Parameters:
        when: local date and time.
        timezone: name of the time zone.
    """
    return round(when.replace(tzinfo=zone_of(timezone)).timestamp() - start_of(when.date(), timezone))


def clock_of(seconds: float, day: date, timezone: str) -> datetime:
    """The local date and time at so many seconds of a service day.

    Parameters:
        seconds: seconds after its start.
        day: the service day.
        timezone: name of the time zone.
    """
    zone = zone_of(timezone)
    return datetime.fromtimestamp(start_of(day, timezone) + seconds, zone).replace(tzinfo=None)


def day_shift(day: date, by: int, timezone: str) -> int:
    """Seconds from the start of a service day to that of the one so many days later.

    Parameters:
        day: the service day.
        by: how many days later.
        timezone: name of the time zone.
    """
    return round(start_of(day + timedelta(days=by), timezone) - start_of(day, timezone))
