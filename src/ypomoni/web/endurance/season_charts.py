"""The pictures of the page Season as finished SVG numbers: charge over the days, the year on the sun, a week painted."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ypomoni.core.evaluation.asking import CutsLines, SunLines
from ypomoni.core.judgement.seasons import MONTHS
from ypomoni.core.requirements.patterns import WEEK_H, TimePattern
from ypomoni.core.seasons.cuts import cuts_of
from ypomoni.core.seasons.starting import CutoffPoint
from ypomoni.core.seasons.sun import SUN_YEAR_DAYS_COUNT, SunPlayed
from ypomoni.core.telling.wording import plain_number, say_hours, say_percent
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import HOURS_PER_DAY

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 760.0, 300.0, 66.0, 16.0, 28.0, 40.0
MOST_DAYS = 21
# A cut thinner than this is not told apart; of so many more none is drawn.
LEAST_WIDTH, MOST_CUTS = 0.5, 400
BARS_HEIGHT = 170.0
DAY_LETTERS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


@dataclass(frozen=True, slots=True, kw_only=True)
class SeasonTick:
    """A tick of an axis: where, and its words."""

    at: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SeasonLine:
    """One line of charge: whose, and its points as SVG has them."""

    key: str
    name: str
    points: str


@dataclass(frozen=True, kw_only=True)
class CutsChart:
    """Charge over the days with the cuts shaded, the day it fails, and where the week repeats."""

    lines: tuple[SeasonLine, ...]
    cuts: tuple[tuple[float, float], ...]
    x_ticks: tuple[SeasonTick, ...]
    y_ticks: tuple[SeasonTick, ...]
    axis: str
    fails_x: float | None
    fails_text: str
    repeats_x: float | None
    low_y: float | None
    low_text: str


def cuts_chart(supply: Supply, pattern: TimePattern, lines: CutsLines) -> CutsChart:
    """Return the picture of a pattern: from its beginning, or the last weeks before it fails, and one week of what it settles to."""
    today = lines.today
    ends_h = today.walked_h
    begin_h = 0.0
    if not today.survives:
        ends_h = today.cuts[-1].end_h if today.cuts else ends_h
        if ends_h > MOST_DAYS * HOURS_PER_DAY:
            begin_h = WEEK_H * int((ends_h - 14 * HOURS_PER_DAY) / WEEK_H)
    elif pattern.repeats and ends_h > MOST_DAYS * HOURS_PER_DAY and today.settled:
        begin_h = WEEK_H * int((ends_h - 14 * HOURS_PER_DAY) / WEEK_H)
    end_h = max(ends_h, begin_h + HOURS_PER_DAY)
    right, bottom = WIDTH - RIGHT, HEIGHT - BOTTOM

    def x_of(t_h: float) -> float:
        return LEFT + (right - LEFT) * (min(max(t_h, begin_h), end_h) - begin_h) / (end_h - begin_h)

    def y_of(left: float) -> float:
        return bottom - (bottom - TOP) * max(0.0, min(1.0, left))

    drawn = [
        SeasonLine(key=key, name=name, points=_points(trace, x_of, y_of, begin_h, end_h))
        for key, name, trace in (
            ("worst", "old and cold", lines.worst.trace),
            ("fresh", "new", lines.fresh.trace),
            ("today", "today", today.trace),
        )
    ]
    shaded = [(a, b) for a, b in cuts_of(supply, pattern, end_h) if b > begin_h]
    wide = [(x_of(a), x_of(b) - x_of(a)) for a, b in shaded if x_of(b) - x_of(a) >= LEAST_WIDTH]
    fails_h = today.dies_at_h if today.dies_at_h is not None else today.fails_at_h
    lowest = min(today.trace, key=lambda p: p[1])
    return CutsChart(
        lines=tuple(drawn),
        cuts=tuple(wide if len(wide) <= MOST_CUTS else ()),
        x_ticks=tuple(_day_ticks(begin_h, end_h, x_of, names_days=pattern.repeats)),
        y_ticks=tuple(SeasonTick(at=y_of(v / 100), text=f"{v} %") for v in (0, 25, 50, 75, 100)),
        axis="days of the pattern" if pattern.repeats else "days since the history begins",
        fails_x=None if fails_h is None or today.survives else x_of(fails_h),
        fails_text=f"dies, day {int(fails_h / HOURS_PER_DAY + 1e-9) + 1}"
        if today.dies_at_h is not None and fails_h is not None
        else f"an alarm is not carried, day {today.fails_on_day}",
        repeats_x=x_of(end_h - WEEK_H) if pattern.repeats and today.settled and today.survives and end_h - WEEK_H > begin_h else None,
        low_y=y_of(lowest[1]) if today.survives else None,
        low_text=f"never below {say_percent(lowest[1])}" if today.survives else "",
    )


def _points(trace: Sequence[tuple[float, float]], x_of, y_of, begin_h: float, end_h: float) -> str:
    """Return the points of a trace within a time; of several on one pixel the least and the greatest."""
    found: list[str] = []
    column, low, high = -1, 2.0, -1.0
    for t, left in trace:
        if t < begin_h - 1e-9 or t > end_h + 1e-9:
            continue
        x = x_of(t)
        at = int(2 * x)
        if at != column:
            column, low, high = at, 2.0, -1.0
        if left < low or left > high:
            found.append(f"{x:.1f},{y_of(left):.1f}")
        low, high = min(low, left), max(high, left)
    return " ".join(found)


def _day_ticks(begin_h: float, end_h: float, x_of, *, names_days: bool) -> list[SeasonTick]:
    days = (end_h - begin_h) / HOURS_PER_DAY
    step = next((s for s in (1, 2, 7, 14, 28, 91, 182, 365, 730) if days / s <= 15), 1825)
    first = int(begin_h / HOURS_PER_DAY)
    found: list[SeasonTick] = []
    for n in range(int(days) + 1):
        day = first + n
        if n % step == 0 and x_of(day * HOURS_PER_DAY) < WIDTH - RIGHT - 30.0:
            name = f"{DAY_LETTERS[day % 7]} " if names_days and step == 1 else ""
            found.append(SeasonTick(at=x_of(day * HOURS_PER_DAY), text=f"{name}{day + 1}"))
    return found


@dataclass(frozen=True, kw_only=True)
class SunChart:
    """What the sun gives and what is taken, month by month, and the charge through the second year."""

    bars: tuple[tuple[float, float, float, str], ...]
    needs: tuple[tuple[float, float, float], ...]
    months: tuple[SeasonTick, ...]
    bar_ticks: tuple[SeasonTick, ...]
    worst_x: float
    worst_text: str
    lines: tuple[SeasonLine, ...]
    y_ticks: tuple[SeasonTick, ...]
    fails_x: float | None
    fails_text: str
    year_said: str


def sun_chart(lines: SunLines) -> SunChart:
    """Return the year in one picture, from the sunniest month on."""
    today = lines.today
    first = today.first_month
    months = [m % 12 for m in range(first, first + 12)]
    right = WIDTH - RIGHT
    slot = (right - LEFT) / 12
    most = max(*today.yield_ah_per_day, *today.need_ah_per_day, 1e-9) * 1.1
    bars_bottom = BARS_HEIGHT - 26.0

    def bar_y(ah: float) -> float:
        return bars_bottom - (bars_bottom - TOP) * ah / most

    bars = tuple(
        (
            LEFT + n * slot + 0.12 * slot,
            bar_y(today.yield_ah_per_day[m]),
            bars_bottom - bar_y(today.yield_ah_per_day[m]),
            _bar_key(today, m),
        )
        for n, m in enumerate(months)
    )
    needs = tuple(
        (LEFT + n * slot + 0.04 * slot, LEFT + (n + 1) * slot - 0.04 * slot, bar_y(today.need_ah_per_day[m])) for n, m in enumerate(months)
    )
    year = 1 if len(today.days) > SUN_YEAR_DAYS_COUNT else 0
    bottom = HEIGHT - BOTTOM

    def y_of(left: float) -> float:
        return bottom - (bottom - TOP) * max(0.0, min(1.0, left))

    def x_of(day: int) -> float:
        return LEFT + (right - LEFT) * (day % SUN_YEAR_DAYS_COUNT) / SUN_YEAR_DAYS_COUNT

    drawn = tuple(
        SeasonLine(key=key, name=name, points=_year_points(played, year, x_of, y_of))
        for key, name, played in (("worst", "old and cold", lines.worst), ("fresh", "new", lines.fresh), ("today", "today", today))
    )
    worst_at = months.index(today.worst_month)
    ratio = "" if today.worst_ratio is None else f"{MONTHS[today.worst_month]}: {say_percent(today.worst_ratio)} of the need"
    ends_x = None if today.ends_on_day is None else x_of(today.ends_on_day)
    return SunChart(
        bars=bars,
        needs=needs,
        months=tuple(SeasonTick(at=LEFT + (n + 0.5) * slot, text=MONTHS[m][:3]) for n, m in enumerate(months)),
        bar_ticks=tuple(SeasonTick(at=bar_y(v), text=plain_number(v)) for v in _nice_steps(most)),
        worst_x=LEFT + (worst_at + 0.5) * slot,
        worst_text=ratio,
        lines=drawn,
        y_ticks=tuple(SeasonTick(at=y_of(v / 100), text=f"{v} %") for v in (0, 25, 50, 75, 100)),
        fails_x=ends_x,
        fails_text=""
        if today.ends_on_day is None
        else f"flat in {MONTHS[today.days[-1].month]}, year {today.ends_on_day // SUN_YEAR_DAYS_COUNT + 1}",
        year_said="second year" if year else "first year",
    )


def _bar_key(played: SunPlayed, month: int) -> str:
    return "short" if played.yield_ah_per_day[month] < played.need_ah_per_day[month] else "enough"


def _year_points(played: SunPlayed, year: int, x_of, y_of) -> str:
    days = [d for d in played.days if d.day // SUN_YEAR_DAYS_COUNT == year] or list(played.days[:SUN_YEAR_DAYS_COUNT])
    return " ".join(f"{x_of(d.day):.1f},{y_of(d.least_ratio):.1f}" for d in days)


def _nice_steps(most: float) -> list[float]:
    step = next(s for s in (10.0**n * k for n in range(-6, 6) for k in (1, 2, 5)) if most / s <= 5)
    return [n * step for n in range(int(most / step) + 1)]


@dataclass(frozen=True, kw_only=True)
class StartChart:
    """Hours and charge left against the cut-off, with what a start needs and where the cut-off stands."""

    hours: str
    left: str
    x_ticks: tuple[SeasonTick, ...]
    hour_ticks: tuple[SeasonTick, ...]
    needs_y: float
    at_x: float


START_HEIGHT = 220.0


def start_chart(points: tuple[CutoffPoint, ...], needs_ratio: float, at_v: float) -> StartChart:
    """Return the picture of what a cut-off costs and leaves."""
    low_v, high_v = points[0].cutoff_v, points[-1].cutoff_v
    most_h = max(p.holdover_h for p in points) * 1.08 or 1.0
    right, bottom = WIDTH - LEFT, START_HEIGHT - BOTTOM

    def x_of(v: float) -> float:
        return LEFT + (right - LEFT) * (v - low_v) / (high_v - low_v)

    def y_of(share: float) -> float:
        return bottom - (bottom - TOP) * share

    step_v = next(s for s in (0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0) if (high_v - low_v) / s <= 10)
    first = math.ceil(low_v / step_v - 1e-9)
    return StartChart(
        hours=" ".join(f"{x_of(p.cutoff_v):.1f},{y_of(p.holdover_h / most_h):.1f}" for p in points),
        left=" ".join(f"{x_of(p.cutoff_v):.1f},{y_of(p.left_ratio):.1f}" for p in points),
        x_ticks=tuple(
            SeasonTick(at=x_of(n * step_v), text=f"{n * step_v:.3g} V")
            for n in range(first, int(high_v / step_v) + 1)
            if n * step_v <= high_v
        ),
        hour_ticks=tuple(SeasonTick(at=y_of(h / most_h), text=say_hours(h) if h else "0 h") for h in _nice_steps(most_h)),
        needs_y=y_of(needs_ratio),
        at_x=x_of(min(max(at_v, low_v), high_v)),
    )
