"""Days and hours: from a painter's calendar to minutes since the start and back, and the calendar file.

The core counts minutes from a start. What days, hours, time zones and daylight saving make of them is here: a minute
is a minute that passes, so an evening on which the clocks are put back is an hour longer.
"""

import re
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from hashlib import sha256
from itertools import pairwise
from zoneinfo import ZoneInfo

import icalendar

from .core.errors import SettingError
from .core.schedule.day import Clock, Slot
from .core.units import counted

MOST_DAYS = 60  # that a schedule may reach into
MOST_HOURS = 12  # spans of hours in a day
LEAST_ALARM_MINUTES = 5.0  # a shorter wait is not worth an alarm
HOUR = re.compile(r"^(\d{1,2})(?::(\d{2}))?$")


@dataclass(frozen=True)
class Hours:
    """When somebody paints. start: the first moment, in the painter's time. spans: from when to when each day, None
    for midnight; () for always. zone: None for the zone of this machine."""

    start: datetime
    spans: tuple[tuple[time, time | None], ...] = ()
    zone: ZoneInfo | None = None

    def windows(self, days: int = MOST_DAYS) -> tuple[tuple[float, float], ...]:
        """When there are hands, in minutes from the start; () for always."""
        out = []
        for n in range(days if self.spans else 0):
            day = self.start.date() + timedelta(days=n)
            for low, high in self.spans:
                begin = max(0.0, self.minutes(datetime.combine(day, low)))
                end = self.minutes(datetime.combine(day + timedelta(days=high is None), high or time(0)))
                if end > begin:
                    out.append((begin, end))
        return tuple(out)

    def minutes(self, moment: datetime) -> float:
        """Minutes that pass from the start to a moment of the painter's time."""
        return (self._utc(moment) - self._utc(self.start)).total_seconds() / 60

    def moment(self, minutes: float) -> datetime:
        """The moment so many minutes after the start, with its zone."""
        return (self._utc(self.start) + timedelta(minutes=minutes)).astimezone(self.zone)

    def _utc(self, moment: datetime) -> datetime:
        if moment.tzinfo is None and self.zone is not None:
            moment = moment.replace(tzinfo=self.zone)
        return moment.astimezone(UTC)  # a moment without a zone is one of this machine


def moment_from(text: str, what: str) -> datetime:
    """A moment such as 2026-12-05T10:00. what: the option, for the words.

    Raises:
        SettingError: it is none.
    """
    try:
        return datetime.fromisoformat(text.strip())
    except ValueError as e:
        raise SettingError(f"{what} is a day and a time such as 2026-12-05T10:00, not '{text[:40]}'") from e


def zone_from(name: str) -> ZoneInfo:
    """A time zone by its name, such as Europe/Lisbon.

    Raises:
        SettingError: there is none of that name.
    """
    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError) as e:
        raise SettingError(f"a time zone is a name such as Europe/Lisbon, not '{name[:40]}'") from e


def spans_from(text: str) -> tuple[tuple[time, time | None], ...]:
    """Hours such as “10-13,14-18:30”; "" for always. What ends at midnight ends at 24.

    Raises:
        SettingError: they are none, end before they begin, or overlap.
    """
    out: list[tuple[time, time | None]] = []
    for part in (p.strip() for p in text.split(",") if p.strip()):
        low, dash, high = part.partition("-")
        begin, end = _time(low), _time(high)
        wrong = begin is None or end is None or not dash
        if wrong or begin == time.max or (end != time.max and begin is not None and end is not None and end <= begin):
            raise SettingError(
                f"hours are such as 10-13,14-18, each from an earlier to a later one, not '{text[:60]}'"
            )
        out.append((begin or time(0), None if end == time.max else end))
    out.sort(key=lambda span: span[0])
    for (_, end), (begin, _) in pairwise(out):
        if end is None or begin < end:
            raise SettingError(f"two of the hours overlap: '{text[:60]}'")
    if len(out) > MOST_HOURS:
        raise SettingError(f"a day has at most {MOST_HOURS} spans of hours")
    return tuple(out)


def _time(text: str) -> time | None:
    """A time of the day; time.max for 24, None for none."""
    found = HOUR.match(text.strip())
    if not found:
        return None
    hour, minute = int(found[1]), int(found[2] or 0)
    if (hour, minute) == (24, 0):
        return time.max
    return time(hour, minute) if hour < 24 and minute < 60 else None


def sitting_words(slots: list[Slot], models: int) -> str:
    """What is done in one batch: “12. Cloak: the light, 10 models”."""
    first = slots[0]
    head = f"{first.number}. {first.title}" if first.number else first.title
    return f"{head}, {counted(len(slots), 'model', 'models')}" if models > 1 else head


def calendar_file(clock: Clock, hours: Hours, name: str) -> bytes:
    """A clock as iCalendar (RFC 5545): an event for every batch, and one with an alarm when it is dry."""
    out = icalendar.Calendar()
    out.add("prodid", "-//Dusk Lamp//Clock//EN")
    out.add("version", "2.0")
    out.add("x-wr-calname", name)
    by_batch: dict[int, list[Slot]] = {}
    for slot in clock.slots:
        by_batch.setdefault(slot.batch, []).append(slot)
    stamp = hours.moment(0).astimezone(UTC)
    for n, slots in by_batch.items():
        words = sitting_words(slots, len(clock.day.models))
        begin, end = slots[0].start, max(s.end for s in slots)
        paint = slots[0].paint
        event = _event(f"{name} {n} work", words, hours, begin, end, stamp)
        if paint:
            event.add("description", f"{paint}; {slots[0].region}")
        out.add_component(event)
        dry = max(s.dry_at for s in slots)
        if dry - end >= LEAST_ALARM_MINUTES:
            done = _event(f"{name} {n} dry", f"Dry: {words}", hours, dry, dry, stamp)
            alarm = icalendar.Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", f"Dry: {words}")
            alarm.add("trigger", timedelta(0))
            done.add_component(alarm)
            out.add_component(done)
    return out.to_ical()


def _event(uid: str, words: str, hours: Hours, begin: float, end: float, stamp: datetime) -> icalendar.Event:
    event = icalendar.Event()
    event.add("uid", f"{sha256(f'{uid} {stamp.isoformat()}'.encode()).hexdigest()[:32]}@dusk-lamp")
    event.add("dtstamp", stamp)
    event.add("dtstart", hours.moment(begin).astimezone(UTC))
    event.add("dtend", hours.moment(end).astimezone(UTC))
    event.add("summary", words)
    return event
