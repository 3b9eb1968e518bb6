"""A history of cuts as a table: start and end, or start and how long, in any usual date format.

What a file does not say is asked, never guessed: the order of day and month where no date tells it, and the time zone. Rows that cannot be
read, or look wrong, are told with their line.
"""

import csv
import io
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, tzinfo
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from ypomoni.core.requirements.patterns import WEEK_H
from ypomoni.records.pattern import MOST_HISTORY

MOST_ROWS = 200_000
MOST_TOLD = 60
LONGEST_HISTORY_H = 87_600.0
LONGEST_CUT_H = 30 * 24.0
SAMPLE_ROWS = 400

_YMD = re.compile(r"(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})")
_TWO = re.compile(r"(\d{1,2})([-/.])(\d{1,2})\2(\d{4}|\d{2})(?!\d)")
_TIME = re.compile(r"(\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d+)?)?\s*([ap]\.?m\.?)?", re.I)
_ZONE = re.compile(r"(?:\d|\s)(Z|UTC|GMT|[+-]\d{2}:?\d{2})\s*$", re.I)
_UNITS = {
    "s": 1 / 3600,
    "sec": 1 / 3600,
    "second": 1 / 3600,
    "min": 1 / 60,
    "minute": 1 / 60,
    "m": 1 / 60,
    "h": 1.0,
    "hour": 1.0,
    "hr": 1.0,
    "d": 24.0,
    "day": 24.0,
}
_AMOUNT = re.compile(r"(\d+(?:[.,]\d+)?)\s*(days?|d|hours?|hrs?|h|minutes?|min|m|seconds?|sec|s)(?![a-z])", re.I)
_CLOCK = re.compile(r"^(\d{1,4}):(\d{2})(?::(\d{2}))?$")
_LASTS = re.compile(r"dur|last|length|how long|minut|hour|\bmin\b|\bh\b|\bs\b|sec", re.I)
_END = re.compile(r"end|until|restor|back|\bto\b|stop", re.I)
DAY_FIRST, MONTH_FIRST = "dmy", "mdy"


@dataclass(frozen=True, slots=True, kw_only=True)
class DoubtfulRow:
    """A row that could not be read, or was read and looks wrong; ``is_left_out`` says which."""

    line: int
    text: str
    message: str
    is_left_out: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryStats:
    """What a history comes to."""

    cuts_count: int
    cuts_per_week: float
    longest_h: float
    longest_on: str
    worst_day: str
    worst_day_h: float
    length_h: float


@dataclass(frozen=True, kw_only=True)
class CutHistory:
    """Cuts in hours from the Monday before the first, in local time; what is doubtful of them; and what is still to be asked.

    ``asks_order``: no date tells which comes first, day or month, or some tell this and some that. ``asks_zone``: no row says its zone.
    """

    spans: tuple[tuple[float, float], ...]
    begins: datetime | None
    doubtful: tuple[DoubtfulRow, ...]
    doubtful_count: int
    rows_count: int
    asks_order: bool
    order_said: str
    asks_zone: bool
    stats: HistoryStats | None

    @property
    def is_ready(self) -> bool:
        """Whether nothing is left to be asked and something was read."""
        return bool(self.spans) and not self.asks_order and not self.asks_zone


class HistoryError(ValueError):
    """Raised where a table is none, with what would be right."""


def read_cuts(text: str, *, order: str = "", zone: str = "") -> CutHistory:
    """Return the cuts in a text; ``order`` and ``zone`` answer what was asked.

    Raises
    ------
    HistoryError
        If the text is no table of cuts, or the zone is none.
    """
    rows = _rows(text)
    columns = _columns(rows)
    found_order, mixed = _order_of(rows, columns)
    asks_order = order not in (DAY_FIRST, MONTH_FIRST) and (mixed or found_order == "")
    used_order = order or found_order or DAY_FIRST
    local = _zone_of(zone)
    reader = _Reader(columns, used_order, local or UTC)
    for line, cells in rows[columns.first_row :]:
        reader.take(line, cells)
    asks_zone = local is None and reader.without_zone > 0
    spans, begins = reader.merged()
    said = "Some dates can only be day first, and some only month first." if mixed else "No date tells whether day or month comes first."
    return CutHistory(
        spans=tuple(spans),
        begins=begins,
        doubtful=tuple(sorted(reader.doubtful, key=lambda d: not d.is_left_out)[:MOST_TOLD]),
        doubtful_count=len(reader.doubtful),
        rows_count=len(rows) - columns.first_row,
        asks_order=asks_order,
        order_said=said if asks_order else "",
        asks_zone=asks_zone,
        stats=_stats(spans, begins) if begins is not None else None,
    )


def _zone_of(name: str) -> tzinfo | None:
    if not name:
        return None
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise HistoryError(f"{name[:40]} is no time zone: write one as in Europe/Dublin, or UTC.") from error


Cells = list[str]


def _rows(text: str) -> list[tuple[int, Cells]]:
    """Return the rows of a table with their lines; what divides the cells is what does so most evenly."""
    sample = "\n".join(text.splitlines()[:50])
    divider = max(
        ";\t,|", key=lambda d: (sample.count(d) >= len(sample.splitlines()), sample.count(d) if d != "," else sample.count(d) * 0.9)
    )
    try:
        reader = csv.reader(io.StringIO(text), delimiter=divider)
        found = [(n, [c.strip() for c in row]) for n, row in enumerate(reader, start=1) if any(c.strip() for c in row)]
    except csv.Error as error:
        raise HistoryError(f"the file is no table of text: {error}.") from error
    if not found:
        raise HistoryError("the file is empty: it needs a row for each cut, with its start, and its end or how long it lasted.")
    if len(found) > MOST_ROWS:
        raise HistoryError(f"has {len(found):,} rows: at most {MOST_ROWS:,} are taken.")
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class _Columns:
    """Which columns say what: a moment may stand in one or in two, its date and its time."""

    start: tuple[int, ...]
    end: tuple[int, ...]
    lasts: int | None
    lasts_unit_h: float | None
    first_row: int


def _has_date(cell: str) -> bool:
    return bool(_YMD.search(cell) or _TWO.search(cell))


def _columns(rows: list[tuple[int, Cells]]) -> _Columns:
    is_heading = not any(_has_date(c) for c in rows[0][1])
    heading = rows[0][1] if is_heading else []
    body = [cells for _, cells in rows[1 if is_heading else 0 :][:SAMPLE_ROWS]]
    width = max((len(c) for c in body), default=0)
    if not body or not any(_has_date(c) for cells in body for c in cells):
        raise HistoryError("no date is found in it: it needs a row for each cut, as in 2026-03-04 06:00; 2026-03-04 09:00.")

    def share(n: int, holds: re.Pattern[str] | None = None) -> float:
        cells = [c[n] for c in body if len(c) > n and c[n]]
        return sum(1 for c in cells if (_has_date(c) if holds is None else holds.search(c))) / max(1, len(cells))

    dates = [n for n in range(width) if share(n) > 0.5]
    moments: list[tuple[int, ...]] = []
    for n in dates:
        with_time = share(n, _TIME) > 0.5
        beside = not with_time and n + 1 < width and n + 1 not in dates and share(n + 1, _TIME) > 0.5
        moments.append((n, n + 1) if beside else (n,))
    if not moments:
        raise HistoryError("most rows have no date that is read: write it as in 2026-03-04 06:00 or 04/03/2026 06:00.")
    taken = {n for m in moments for n in m}
    start, end = moments[0], moments[1] if len(moments) > 1 else ()
    if len(moments) > 1 and heading and _END.search(_said(heading, moments[0][0])) and not _END.search(_said(heading, moments[1][0])):
        start, end = moments[1], moments[0]
    others = [n for n in range(width) if n not in taken and any(len(c) > n and _amount_h(c[n], 1.0) is not None for c in body)]
    lasts = next((n for n in others if _LASTS.search(_said(heading, n))), None)
    if not end and lasts is None:
        # An end that is a time of day alone stands right of the start.
        clock = next((n for n in others if share(n, _CLOCK) > 0.5 and _END.search(_said(heading, n))), None)
        if clock is not None:
            end = (clock,)
        else:
            lasts = next(iter(others), None)
    if not end and lasts is None:
        raise HistoryError("only the starts are found: it needs the end of each cut beside its start, or how long it lasted.")
    unit_h = _unit_h(_said(heading, lasts)) if lasts is not None else None
    if (
        lasts is not None
        and not end
        and unit_h is None
        and not any(_AMOUNT.search(c[lasts]) or _CLOCK.match(c[lasts]) for c in body if len(c) > lasts)
    ):
        raise HistoryError(
            "how long the cuts lasted has no unit: write it in the heading, as in minutes, or beside each number, as in 90 min."
        )
    return _Columns(start=start, end=end, lasts=lasts if not end else None, lasts_unit_h=unit_h, first_row=1 if is_heading else 0)


def _said(heading: Cells, n: int | None) -> str:
    return heading[n] if n is not None and n < len(heading) else ""


def _unit_h(heading: str) -> float | None:
    for word in re.findall(r"[a-z]+", heading.lower()):
        unit = _UNITS.get(word) or _UNITS.get(word.rstrip("s"))
        if unit is not None:
            return unit
    return None


def _amount_h(cell: str, unit_h: float | None) -> float | None:
    """Return how long a cell says, in hours."""
    amounts = _AMOUNT.findall(cell)
    if amounts:
        return sum(float(n.replace(",", ".")) * _UNITS[u.lower().rstrip("s") or "s"] for n, u in amounts)
    clock = _CLOCK.match(cell)
    if clock:
        return int(clock[1]) + int(clock[2]) / 60 + int(clock[3] or 0) / 3600
    if unit_h is not None and re.fullmatch(r"\d+(?:[.,]\d+)?", cell):
        return float(cell.replace(",", ".")) * unit_h
    return None


def _order_of(rows: list[tuple[int, Cells]], columns: _Columns) -> tuple[str, bool]:
    """Return which comes first, day or month, as the dates of all rows tell it (empty: none does), and whether they contradict each other."""
    day_first = month_first = undecided = False
    at = [*columns.start[:1], *columns.end[:1]]
    for _, cells in rows[columns.first_row :]:
        for n in at:
            if len(cells) <= n or cells[n][:4].isdigit():
                continue
            found = _TWO.search(cells[n]) if not _YMD.search(cells[n]) else None
            if found is None:
                continue
            first, second, mark = int(found[1]), int(found[3]), found[2]
            # With dots between them the day is first everywhere.
            if first > 12 or mark == ".":
                day_first = True
            elif second > 12:
                month_first = True
            else:
                undecided = True
    if day_first and month_first:
        return DAY_FIRST, True
    if day_first or month_first:
        return (DAY_FIRST if day_first else MONTH_FIRST), False
    return ("" if undecided else DAY_FIRST), False


class _Reader:
    """Rows on their way to cuts."""

    def __init__(self, columns: _Columns, order: str, local: tzinfo) -> None:
        self.columns, self.order, self.local = columns, order, local
        self.cuts: list[tuple[datetime, datetime, int]] = []
        self.doubtful: list[DoubtfulRow] = []
        self.without_zone = 0

    def _doubt(self, line: int, cells: Cells, message: str, *, left_out: bool) -> None:
        self.doubtful.append(DoubtfulRow(line=line, text="; ".join(cells)[:80], message=message, is_left_out=left_out))

    def take(self, line: int, cells: Cells) -> None:
        """Read one row."""
        try:
            start = self._moment(line, cells, self.columns.start, None)
            if self.columns.lasts is None:
                end = self._moment(line, cells, self.columns.end, start)
            else:
                cell = cells[self.columns.lasts] if len(cells) > self.columns.lasts else ""
                lasts_h = _amount_h(cell, self.columns.lasts_unit_h)
                if lasts_h is None:
                    raise HistoryError(f"'{cell[:30]}' is no length of time: write 90 min or 1:30.")
                end = start + timedelta(hours=lasts_h)
        except (HistoryError, OverflowError) as fault:
            self._doubt(line, cells, str(fault), left_out=True)
            return
        lasts_h = (end - start) / timedelta(hours=1)
        if lasts_h <= 0:
            self._doubt(line, cells, "it ends when it starts, or before." if lasts_h < 0 else "it lasts no time.", left_out=True)
            return
        if lasts_h > LONGEST_CUT_H:
            self._doubt(line, cells, f"it lasts {lasts_h / 24:.0f} days. It is taken as it stands.", left_out=False)
        self.cuts.append((start, end, line))

    def _moment(self, line: int, cells: Cells, at: tuple[int, ...], day_of: datetime | None) -> datetime:
        text = " ".join(cells[n] for n in at if len(cells) > n)
        plain = _plain_moment(text)
        if plain is not None:
            return plain.astimezone(UTC) if plain.tzinfo else self._local(line, cells, plain)
        time = _TIME.search(text)
        date = self._date(text)
        if date is None and day_of is not None and time is not None:
            date = (day_of.astimezone(self.local).year, day_of.astimezone(self.local).month, day_of.astimezone(self.local).day)
            found = self._at(line, cells, date, time, text)
            return found + timedelta(days=1) if found < day_of else found
        if date is None:
            raise HistoryError(f"'{text[:30]}' has no date that is read.")
        if time is None:
            raise HistoryError(f"'{text[:30]}' has no time of day.")
        return self._at(line, cells, date, time, text)

    def _date(self, text: str) -> tuple[int, int, int] | None:
        found = _YMD.search(text)
        if found:
            return int(found[1]), int(found[2]), int(found[3])
        two = _TWO.search(text)
        if two is None:
            return None
        first, second, year = int(two[1]), int(two[3]), int(two[4])
        year += 2000 if year < 100 else 0
        month_first = self.order == MONTH_FIRST and two[2] != "."
        return (year, first, second) if month_first else (year, second, first)

    def _at(self, line: int, cells: Cells, date: tuple[int, int, int], time: re.Match[str], text: str) -> datetime:
        hour = int(time[1])
        if time[4]:
            hour = hour % 12 + (12 if time[4].lower().startswith("p") else 0)
        midnight_after = hour == 24 and int(time[2]) == 0
        try:
            moment = datetime(*date, 0 if midnight_after else hour, int(time[2]), int(time[3] or 0))  # noqa: DTZ001 - its zone comes next
        except ValueError as error:
            raise HistoryError(f"'{text[:30]}' is no date and time of the calendar.") from error
        moment += timedelta(days=1 if midnight_after else 0)
        zone = _ZONE.search(text)
        if zone:
            return moment.replace(tzinfo=UTC) - _offset(zone[1])
        return self._local(line, cells, moment)

    def _local(self, line: int, cells: Cells, moment: datetime) -> datetime:
        """Return a time of the local clock."""
        self.without_zone += 1
        there = moment.replace(tzinfo=self.local)
        if self.local is not UTC:
            self._ask_clock_change(line, cells, there)
        return there.astimezone(UTC)

    def _ask_clock_change(self, line: int, cells: Cells, there: datetime) -> None:
        """Tell a time that the clocks skipped or showed twice."""
        first, second = there.replace(fold=0).utcoffset(), there.replace(fold=1).utcoffset()
        if first == second:
            return
        skipped = there.astimezone(UTC).astimezone(self.local).replace(tzinfo=None) != there.replace(tzinfo=None)
        word = (
            "the clocks were put forward over that hour, so it was never shown"
            if skipped
            else "the clocks showed that hour twice; the first is taken"
        )
        self._doubt(line, cells, f"{word}.", left_out=False)

    def merged(self) -> tuple[list[tuple[float, float]], datetime | None]:
        """Return the cuts as hours from the Monday before the first, those that overlap as one."""
        if not self.cuts:
            return [], None
        self.cuts.sort()
        first = self.cuts[0][0].astimezone(self.local)
        monday = (first - timedelta(days=first.weekday())).replace(hour=0, minute=0, second=0, microsecond=0)
        begins = monday.astimezone(UTC)
        spans: list[tuple[float, float]] = []
        for start, end, line in self.cuts:
            a, b = (start - begins) / timedelta(hours=1), (end - begins) / timedelta(hours=1)
            if spans and a < spans[-1][1] - 1e-9:
                self._doubt(
                    line,
                    [f"{start.astimezone(self.local):%Y-%m-%d %H:%M}"],
                    "it overlaps the one before. They count as one.",
                    left_out=False,
                )
            if spans and a <= spans[-1][1] + 1e-9:
                spans[-1] = spans[-1][0], max(spans[-1][1], b)
            else:
                spans.append((a, b))
        if spans[-1][1] > LONGEST_HISTORY_H:
            raise HistoryError("is longer than ten years: bring in a part of it.")
        if len(spans) > MOST_HISTORY:
            raise HistoryError(f"holds {len(spans):,} cuts: at most {MOST_HISTORY:,} are kept. Bring in a part of it.")
        return spans, monday


def _plain_moment(text: str) -> datetime | None:
    """Return a date and time as ISO 8601 writes them, which most files do; None where it is written in another way."""
    if len(text) < 16 or not text[:4].isdigit() or text[4] != "-":
        return None
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return None


def _offset(text: str) -> timedelta:
    if text.upper() in ("Z", "UTC", "GMT"):
        return timedelta(0)
    digits = text.replace(":", "")
    found = timedelta(hours=int(digits[1:3]), minutes=int(digits[3:5]))
    return -found if digits[0] == "-" else found


def _stats(spans: list[tuple[float, float]], begins: datetime) -> HistoryStats | None:
    if not spans:
        return None
    length_h = spans[-1][1]
    longest = max(spans, key=lambda s: s[1] - s[0])
    per_day: dict[int, float] = {}
    for day, hours_h in _by_day(spans):
        per_day[day] = per_day.get(day, 0.0) + hours_h
    worst = max(per_day, key=lambda d: per_day[d])
    return HistoryStats(
        cuts_count=len(spans),
        cuts_per_week=len(spans) * WEEK_H / max(length_h - 24.0 * int(spans[0][0] / 24.0), WEEK_H),
        longest_h=longest[1] - longest[0],
        longest_on=_day_words(begins, int(longest[0] / 24.0)),
        worst_day=_day_words(begins, worst),
        worst_day_h=per_day[worst],
        length_h=length_h,
    )


def _by_day(spans: Iterable[tuple[float, float]]) -> Iterator[tuple[int, float]]:
    for start, stop in spans:
        at = start
        while at < stop - 1e-9:
            until = min(stop, 24.0 * (int(at / 24.0 + 1e-9) + 1))
            yield int(at / 24.0 + 1e-9), until - at
            at = until


def _day_words(begins: datetime, day: int) -> str:
    return f"{begins + timedelta(days=day):%-d %B %Y}"


def stats_of_spans(spans: list[dict[str, float]]) -> tuple[float, float, float]:
    """Return of a history that is kept: cuts a week, the longest, and the hours of the worst day. [1/week, h, h]"""
    pairs = [(s["start_h"], s["start_h"] + s["duration_h"]) for s in spans]
    found = _stats(pairs, datetime(2024, 1, 1, tzinfo=UTC)) if pairs else None
    return (found.cuts_per_week, found.longest_h, found.worst_day_h) if found else (0.0, 0.0, 0.0)
