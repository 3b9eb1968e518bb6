"""Cuts and windows as people write them, as in `daily 06:00 3 h, Sat 10:00 2.5 h`, and back."""

import re
from typing import Any

from ypomoni.core.requirements.patterns import WEEK_H, WEEKDAYS, Day
from ypomoni.documents.quantities import QuantityTextError, read_quantity, show_number
from ypomoni.records.kinds import HOURS
from ypomoni.records.pattern import MOST_SPANS

_DAY_WORDS: dict[str, tuple[Day, ...]] = {
    "daily": (Day.DAILY,),
    "every day": (Day.DAILY,),
    "weekdays": WEEKDAYS[:5],
    "weekend": WEEKDAYS[5:],
    "weekends": WEEKDAYS[5:],
}
_NAMES = {
    Day.MONDAY: "monday",
    Day.TUESDAY: "tuesday",
    Day.WEDNESDAY: "wednesday",
    Day.THURSDAY: "thursday",
    Day.FRIDAY: "friday",
    Day.SATURDAY: "saturday",
    Day.SUNDAY: "sunday",
}
_CLOCK = r"(?:[01]?\d|2[0-4])[:.][0-5]\d"
_SPAN = re.compile(
    rf"^(?P<days>[a-zA-Z /–-]*?)\s*(?:\b(?:at|from)\b)?\s*(?P<start>{_CLOCK})\s*(?:(?:-|–|to|until)\s*(?P<end>{_CLOCK})|(?:for)?\s*(?P<lasts>\d.*))$",
    re.I,
)
EXAMPLE = "daily 06:00 3 h, Sat 10:00 2.5 h"


def read_pattern(text: str) -> list[dict[str, Any]]:
    """Return the spans of a week that a text says, or raise `QuantityTextError`; an empty text has none."""
    found: list[dict[str, Any]] = []
    # A comma within a number, as in 2,5 h, divides nothing.
    for part in re.split(r"[;\n]|,(?!\d)", text):
        if part.strip():
            found += _spans(part.strip())
    if len(found) > MOST_SPANS:
        raise QuantityTextError(f"has {len(found):,} entries: at most {MOST_SPANS} are kept.")
    return found


def _spans(part: str) -> list[dict[str, Any]]:
    matched = _SPAN.match(part)
    if matched is None:
        raise QuantityTextError(f"'{part[:40]}' is not read: write day, start and how long, as in {EXAMPLE}.")
    start_h = _clock_h(matched["start"])
    if start_h >= 24.0:
        raise QuantityTextError(f"'{part[:40]}': a start is at most 23:59.")
    if matched["end"]:
        duration_h = _clock_h(matched["end"]) - start_h
        # Past midnight.
        duration_h += 24.0 if duration_h < 0 else 0.0
    else:
        duration_h = read_quantity(matched["lasts"], HOURS)
    if duration_h <= 0:
        raise QuantityTextError(f"'{part[:40]}' lasts no time: write how long, as in 3 h.")
    if duration_h > WEEK_H:
        raise QuantityTextError(f"'{part[:40]}' is longer than a week (168 h), so it cannot come every week.")
    start = f"{int(start_h):02d}:{round((start_h % 1) * 60):02d}"
    return [{"day": day.value, "start": start, "duration_h": duration_h} for day in _days(matched["days"].strip().lower(), part)]


def _days(words: str, part: str) -> tuple[Day, ...]:
    if not words:
        return (Day.DAILY,)
    if words in _DAY_WORDS:
        return _DAY_WORDS[words]
    ends = [w.strip() for w in re.split(r"-|–|\bto\b", words)]
    if len(ends) == 2:
        first, last = (WEEKDAYS.index(_day(w, part)) for w in ends)
        return tuple(WEEKDAYS[n % 7] for n in range(first, last + 1 + (7 if last < first else 0)))
    return tuple(_day(w, part) for w in re.split(r"[ /]+|\band\b", words) if w)


def _day(word: str, part: str) -> Day:
    day = next((d for d, name in _NAMES.items() if len(word) >= 2 and name.startswith(word.rstrip("."))), None)
    if day is None:
        raise QuantityTextError(f"'{part[:40]}': '{word[:20]}' is no day: write daily, or mon, tue, wed, thu, fri, sat, sun.")
    return day


def _clock_h(text: str) -> float:
    hours, minutes = re.split(r"[:.]", text)
    return int(hours) + int(minutes) / 60.0


def write_pattern(week: list[dict[str, Any]] | None) -> str:
    """Return spans of a week as a text that `read_pattern` reads back."""
    return ", ".join(
        f"{s['day'].capitalize() if s['day'] != 'daily' else 'daily'} {s['start']} {show_number(s['duration_h'])} h" for s in week or []
    )
