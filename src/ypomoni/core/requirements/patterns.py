"""When mains is away, or when there is charge: a week that repeats, or a history as it was.

Hours count from Monday 00:00. Spans that overlap or touch are one: between them there is no charge.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from ypomoni.core.units import HOURS_PER_DAY

DAYS_COUNT = 7
WEEK_H = DAYS_COUNT * HOURS_PER_DAY
# The longest that a week's pattern is followed.
YEAR_H = 365 * HOURS_PER_DAY


class Day(StrEnum):
    """A day of the week, or every one of them."""

    DAILY = "daily"
    MONDAY = "mon"
    TUESDAY = "tue"
    WEDNESDAY = "wed"
    THURSDAY = "thu"
    FRIDAY = "fri"
    SATURDAY = "sat"
    SUNDAY = "sun"


WEEKDAYS: tuple[Day, ...] = tuple(Day)[1:]

Span = tuple[float, float]
"""Start and end. [h]"""


@dataclass(frozen=True, slots=True, kw_only=True)
class WeekSpan:
    """A span that comes every week: its day, the hour of the day at which it starts, how long it lasts. [h]"""

    day: Day
    start_h: float
    duration_h: float

    @property
    def starts_h(self) -> tuple[float, ...]:
        """When it starts in a week. [h]"""
        days = range(DAYS_COUNT) if self.day is Day.DAILY else (WEEKDAYS.index(self.day),)
        return tuple(n * HOURS_PER_DAY + self.start_h for n in days)


@dataclass(frozen=True, slots=True, kw_only=True)
class ListSpan:
    """A span of a history. [h]"""

    start_h: float
    duration_h: float


@dataclass(frozen=True, kw_only=True)
class TimePattern:
    """Spans of time: those of a ``week`` that repeats, or of a history, ``spans``, of ``length_h`` hours. ``week`` None: it is a history."""

    week: tuple[WeekSpan, ...] | None = None
    spans: tuple[ListSpan, ...] = field(default=())
    length_h: float = 0.0

    @property
    def repeats(self) -> bool:
        """Whether it is a week that comes again and again."""
        return self.week is not None

    @property
    def period_h(self) -> float:
        """After how long it starts again, or how long the history is. [h]"""
        return WEEK_H if self.repeats else self.length_h

    @cached_property
    def _sorted(self) -> tuple[Span, ...]:
        if self.week is None:
            return tuple(sorted((s.start_h, s.start_h + s.duration_h) for s in self.spans))
        return tuple(sorted((start, start + s.duration_h) for s in self.week for start in s.starts_h))

    def until(self, end_h: float) -> Iterator[Span]:
        """Yield the spans that start before a time, in order, cut off there."""
        held: Span | None = None
        for start, stop in self._each(end_h):
            if held is not None and start <= held[1] + 1e-9:
                held = held[0], max(held[1], stop)
                continue
            if held is not None:
                yield held[0], min(held[1], end_h)
            held = start, stop
        if held is not None:
            yield held[0], min(held[1], end_h)

    def _each(self, end_h: float) -> Iterator[Span]:
        first_h = 0.0
        while first_h < end_h:
            for start, stop in self._sorted:
                if first_h + start >= end_h:
                    return
                yield first_h + start, first_h + stop
            if not self.repeats or not self._sorted:
                return
            first_h += WEEK_H

    def between(self, end_h: float) -> Iterator[Span]:
        """Yield the time between its spans until a time: from windows of charge the cuts."""
        at = 0.0
        for start, stop in self.until(end_h):
            if start > at:
                yield at, start
            at = stop
        if at < end_h:
            yield at, end_h

    @cached_property
    def covered_h(self) -> float:
        """How many hours of a settled period its spans cover. [h]"""
        if not self.repeats:
            return sum(stop - start for start, stop in self.until(self.length_h))
        # The second week: what the first one hands on into it counts there.
        return sum(max(0.0, min(stop, 2 * WEEK_H) - max(start, WEEK_H)) for start, stop in self.until(2 * WEEK_H))
