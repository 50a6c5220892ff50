"""The sky over one night: dusk, dawn and the moon, as an almanac gives them."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import ephem

from moonplan.core.timegrid import noon

_NAMES = (
    "new moon",
    "waxing crescent",
    "first quarter",
    "waxing gibbous",
    "full moon",
    "waning gibbous",
    "last quarter",
    "waning crescent",
)


@dataclass(frozen=True, slots=True)
class Sky:
    """One night's sky.

    dusk, dawn : sunset and sunrise within the night, None where the place is not known or the sun does not cross.
    moon_age : share of the moon's cycle at local midnight, 0 new, 0.5 full. [fraction]
    """

    dusk: datetime | None
    dawn: datetime | None
    moon_age: float

    @property
    def moon_name(self) -> str:
        return _NAMES[round(self.moon_age * 8) % 8]


def sky_of(night: date, zone: ZoneInfo, latitude: float | None, longitude: float | None) -> Sky:
    """Dusk, dawn and moon of a night; the astronomy is ephem's."""
    begins = noon(night, zone)
    midnight = begins + timedelta(hours=12)
    moment = ephem.Date(midnight.astimezone(UTC).replace(tzinfo=None))
    last_new, next_new = ephem.previous_new_moon(moment), ephem.next_new_moon(moment)
    age = float((moment - last_new) / (next_new - last_new))
    if latitude is None or longitude is None:
        return Sky(None, None, age)
    observer = ephem.Observer()
    observer.lat, observer.lon = str(latitude), str(longitude)
    observer.date = ephem.Date(begins.astimezone(UTC).replace(tzinfo=None))
    try:
        dusk, dawn = observer.next_setting(ephem.Sun()), observer.next_rising(ephem.Sun())
    except (ephem.AlwaysUpError, ephem.NeverUpError):
        return Sky(None, None, age)
    ends = noon(night + timedelta(days=1), zone)
    inside = [at if begins <= at <= ends else None for at in (_aware(dusk, zone), _aware(dawn, zone))]
    return Sky(inside[0], inside[1], age)


def _aware(moment: ephem.Date, zone: ZoneInfo) -> datetime:
    found: datetime = moment.datetime()
    return found.replace(tzinfo=UTC, microsecond=0).astimezone(zone)
