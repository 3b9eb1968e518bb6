"""The log of a meter as a file: times and currents in any of the usual forms. An overload is never taken as a number."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from ypomoni.documents.tables import TableError

MOST_LINES = 400_000
LEAST_LINES = 8
LOOKED_AT = 40
SEPARATORS = (";", "\t", ",")
UNITS = {"a": 1.0, "ma": 1e-3, "µa": 1e-6, "ua": 1e-6, "na": 1e-9}
TIMES = {"s": 1.0, "sec": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0}
# What meters write when they cannot read.
OVERLOADS = re.compile(r"^\s*[-+]?(o\.?l\.?|over(load)?|9\.9\d*e\+?3\d|inf(inity)?|nan)\s*$", re.IGNORECASE)
_UNIT = re.compile(r"[\[(,/ ]\s*(µA|uA|mA|nA|A|ms|s|sec|min|h)\s*[\])]?\s*$", re.IGNORECASE)
_NUMBER = re.compile(r"^\s*[-+]?(\d+([.,]\d*)?|[.,]\d+)([eE][-+]?\d+)?\s*$")
_CLOCK = re.compile(r"^\s*(\d{1,3}):(\d{2}):(\d{2}(?:[.,]\d+)?)\s*$")
_MOMENTS = ("%Y-%m-%d %H:%M:%S.%f", "%Y-%m-%d %H:%M:%S", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S", "%Y/%m/%d %H:%M:%S")
DAY_S, HOUR_S = 86_400.0, 3_600.0
# So far back goes a clock that is set back an hour between two samples. [s]
HOUR_BACK_S = (2_700.0, 3_600.0)
_AMPS_BEHIND = re.compile(r"(µA|uA|mA|nA|A)(?![a-z])\s*[\])]?\s*$")


@dataclass(frozen=True, slots=True, kw_only=True)
class CurrentLog:
    """What a file holds: when each sample was taken and what it was; how many were overloads, and how many lines said nothing. [s, A]"""

    t_s: tuple[float, ...]
    current_a: tuple[float, ...]
    overloads_count: int
    unread_count: int


def read_current_log(text: str) -> CurrentLog:
    """Return the log in a text.

    Raises
    ------
    TableError
        If no column of times beside one of currents is found, or the unit of the current is not said.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    if len(lines) > MOST_LINES:
        raise TableError(f"The log has {len(lines):,} lines: at most {MOST_LINES:,} are read at once. Log more slowly, or cut it.")
    if len(lines) < LEAST_LINES:
        raise TableError("The log needs a line for each sample, with its time and its current: at least eight.")
    # A comma may be a decimal one, so it separates only where nothing else does.
    separator = next((s for s in SEPARATORS if min(line.count(s) for line in lines[1:LOOKED_AT]) >= 1), ",")
    rows = [[c.strip().strip('"') for c in line.split(separator)] for line in lines]
    first = next((n for n, row in enumerate(rows) if sum(_looks(c) for c in row) >= 2), None)
    if first is None:
        raise TableError("No line holds a time and a current: a column of each is needed, as in 10:31:00;64.9 mA.")
    heading = rows[first - 1] if first else [""] * len(rows[first])
    time_at, current_at = _columns(heading, rows[first : first + LOOKED_AT])
    body = rows[first:]
    currents = [row[current_at] for row in body if current_at < len(row)]
    _ask_for_decimals(currents)
    _ask_for_dates([row[time_at] for row in body if time_at < len(row)])
    scale = _scale_of(heading, current_at)
    if scale is None and not any(_AMPS_BEHIND.search(c) for c in currents):
        raise TableError("The unit of the current is not said: write A or mA into its heading, as in current [mA], or behind every number.")
    return _read(body, time_at, current_at, scale, _time_reader(heading, time_at))


def _ask_for_decimals(cells: list[str]) -> None:
    """Refuse numbers that can be read two ways, a thousand times apart: a comma before just three digits, and nothing that settles it."""
    numbers = [_bare(c).strip() for c in cells]
    with_comma = [n for n in numbers if "," in n]
    if not with_comma:
        return
    if any("." in n for n in numbers):
        raise TableError("Some numbers hold a comma and some a dot. Write all of them with a decimal point, as in 0.35.")
    # A nought before the comma, or another count of digits behind it, says that it is a decimal one.
    if not any(re.match(r"^[-+]?0?,|^[-+]?\d+,(\d{1,2}|\d{4,})$", n) for n in with_comma):
        raise TableError(
            f"{with_comma[0]} can be read as {with_comma[0].replace(',', '.')} or as {with_comma[0].replace(',', '')}. "
            "Write the numbers with a decimal point, as in 1.234 or 1234."
        )


def _ask_for_dates(cells: list[str]) -> None:
    """Refuse dates whose day and month can be taken for each other, where more than one date stands in the log."""
    dates = {m.groups() for c in cells if (m := re.match(r"^(\d{2})/(\d{2})/\d{4} ", c))}
    if len(dates) > 1 and all(int(a) <= 12 and int(b) <= 12 for a, b in dates):
        raise TableError("Day and month of these dates can be read two ways. Write them as 2026-03-04.")
    if any(int(b) > 12 for _, b in dates):
        raise TableError("These dates have the month first. Write them as 2026-03-04.")


def _looks(cell: str) -> bool:
    return bool(_NUMBER.match(_bare(cell)) or _CLOCK.match(cell) or _moment(cell) or OVERLOADS.match(cell))


def _bare(cell: str) -> str:
    """Return a number without the unit behind it."""
    return re.sub(r"\s*(µA|uA|mA|nA|A|ms|s)\s*$", "", cell)


def _columns(heading: list[str], rows: list[list[str]]) -> tuple[int, int]:
    """Return which column holds times and which currents."""
    count = min(len(r) for r in rows)
    usable = [n for n in range(count) if all(_looks(r[n]) for r in rows)]
    clocks = [n for n in usable if _CLOCK.match(rows[0][n]) or _moment(rows[0][n])]
    named = [n for n in usable if n < len(heading) and re.search(r"time|zeit|second|\bt\b|stamp", heading[n], re.IGNORECASE)]
    time_at = next(iter(clocks or named or usable), None)
    others = [n for n in usable if n != time_at]
    amps = [
        n for n in others if re.search(r"curr|amp|strom|[\[( ](µA|uA|mA|A)\b|^I\b", heading[n] if n < len(heading) else "", re.IGNORECASE)
    ]
    said = [n for n in others if re.search(r"(µA|uA|mA|nA|A)\s*$", rows[0][n])]
    current_at = next(iter(amps or said or others[-1:]), None)
    if time_at is None or current_at is None:
        raise TableError("A column of times and one of currents are needed. If the meter logs currents alone, add the times.")
    return time_at, current_at


def _scale_of(heading: list[str], at: int) -> float | None:
    """Return the unit that a heading gives; None where it gives none. [A]"""
    found = _AMPS_BEHIND.search(heading[at]) if at < len(heading) else None
    return UNITS[found[1].lower()] if found else None


def _amps(cell: str, scale: float | None) -> float:
    """Return a current: by the unit in its own cell, otherwise by that of the heading. A meter that changes its range changes its unit. [A]

    Raises
    ------
    ValueError
        If neither says the unit, or no number stands there.
    """
    found = _AMPS_BEHIND.search(cell)
    own = UNITS[found[1].lower()] if found else scale
    if own is None:
        raise ValueError("no unit")
    return own * float(_bare(cell).replace(",", "."))


def _time_reader(heading: list[str], at: int) -> Callable[[str], float]:
    found = _UNIT.search(heading[at]) if at < len(heading) else None
    scale = TIMES.get(found[1].lower(), 1.0) if found else 1.0

    def read(cell: str) -> float:
        clock = _CLOCK.match(cell)
        if clock:
            return 3600.0 * int(clock[1]) + 60.0 * int(clock[2]) + float(clock[3].replace(",", "."))
        moment = _moment(cell)
        if moment is not None:
            return moment.timestamp()
        return scale * float(_bare(cell).replace(",", "."))

    return read


def _moment(cell: str) -> datetime | None:
    if len(cell) < 16 or cell[2:3] not in ".0123456789/" or not cell[0].isdigit():
        return None
    try:
        return datetime.fromisoformat(cell)
    except ValueError:
        pass
    for form in _MOMENTS:
        try:
            return datetime.strptime(cell, form)  # noqa: DTZ007 - only how far apart they are counts
        except ValueError:
            continue
    return None


def _read(rows: list[list[str]], time_at: int, current_at: int, scale: float | None, time_of: Callable[[str], float]) -> CurrentLog:
    t_s: list[float] = []
    current_a: list[float] = []
    overloads_count = unread_count = 0
    days_s, before_s = 0.0, None
    for row in rows:
        try:
            cell = row[current_at]
            if OVERLOADS.match(cell):
                overloads_count += 1
                continue
            at_s, value = time_of(row[time_at]), _amps(cell, scale)
        except (IndexError, ValueError):
            unread_count += 1
            continue
        if before_s is not None and at_s + days_s < before_s - 0.5 * DAY_S:
            # A clock that starts the day anew.
            days_s += DAY_S
        elif before_s is not None and HOUR_BACK_S[0] <= before_s - days_s - at_s <= HOUR_BACK_S[1]:
            # Clocks went back: the hour comes again, and its samples stay in their order.
            days_s += HOUR_S
        at_s += days_s
        if before_s is not None and at_s <= before_s:
            unread_count += 1
            continue
        before_s = at_s
        t_s.append(at_s)
        current_a.append(value)
    if len(t_s) < LEAST_LINES:
        raise TableError("Fewer than eight lines could be read as a time and a current.")
    start_s = t_s[0]
    return CurrentLog(
        t_s=tuple(t - start_s for t in t_s), current_a=tuple(current_a), overloads_count=overloads_count, unread_count=unread_count
    )
