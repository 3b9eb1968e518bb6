"""What is due as an iCalendar file (RFC 5545), with ids that stay, so that an update replaces what was there before."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

PRODUCT = "-//Ypomoni//Upkeep//EN"
REMIND_BEFORE_D = 14


@dataclass(frozen=True, slots=True, kw_only=True)
class CalendarEntry:
    """One thing that is due: its id, the day, what and why."""

    uid: str
    due_on: date
    what: str
    why: str
    where: str


def write_calendar(entries: Sequence[CalendarEntry], name: str, stamp: datetime) -> bytes:
    """Return a calendar of whole days, each with a reminder two weeks before. ``stamp`` is in UTC."""
    # Loaded where a calendar is asked for, as spreadsheets are.
    from icalendar import Alarm, Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        event = Event()
        event.add("uid", entry.uid)
        event.add("dtstamp", stamp)
        event.add("last-modified", stamp)
        # Of two versions of one id the later one counts.
        event.add("sequence", int(stamp.timestamp()) // 60)
        event.add("dtstart", entry.due_on)
        event.add("dtend", entry.due_on + timedelta(days=1))
        event.add("summary", entry.what)
        event.add("description", entry.why)
        event.add("location", entry.where)
        event.add("transp", "TRANSPARENT")
        reminder = Alarm()
        reminder.add("action", "DISPLAY")
        reminder.add("description", entry.what)
        reminder.add("trigger", timedelta(days=-REMIND_BEFORE_D))
        event.add_component(reminder)
        calendar.add_component(event)
    return calendar.to_ical()
