"""What a log says, in words and as a picture; what a load or a mode takes of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ypomoni.core.measuring.log_reading import FoundTrain, LogFindings
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent
from ypomoni.documents.quantities import show_duty

MOST_TRAINS = 6
WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 900.0, 260.0, 64.0, 12.0, 12.0, 40.0
COLUMNS_COUNT = 400
MOST_MARKS = 120
# A picture that is drawn out further shows the samples themselves.
LEAST_SHOWN_S = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class LogChart:
    """A log as a picture: the least and the most of each moment, the bursts that were found, the axes; and which part of it is shown. [s]"""

    path: str
    marks: tuple[tuple[float, float], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    x_word: str
    from_s: float
    to_s: float
    is_part: bool


def recurring(found: LogFindings) -> tuple[FoundTrain, ...]:
    """Return the trains that recur, at most as many as a load takes."""
    return tuple(t for t in found.trains if t.per_hour is not None and len(t.bursts) > 1)[:MOST_TRAINS]


def load_columns(found: LogFindings) -> dict[str, Any]:
    """Return what a load's record takes from a log: its rest as standby, its bursts, both measured."""
    rest_a = _rounded(max(found.rest_a, 0.0))
    limit_a = max(0.01 * rest_a, 0.5 * found.noise_a / max(1.0, found.samples_count**0.5), 1e-9)
    return {
        "standby_current_a": rest_a,
        "standby_uncertainty_a": limit_a,
        "bursts": [{**burst, "offset_s": 0.0, "during": "always"} for burst in bursts_of(found)],
        "standby_provenance": "measured",
        "standby_text": None,
        "standby_reading": None,
    }


def bursts_of(found: LogFindings) -> list[dict[str, Any]]:
    """Return the bursts that recur, as they are registered. [A, s, 1/h]"""
    return [
        {
            "name": "logged" if n == 0 else f"logged {n + 1}",
            "current_a": _rounded(t.current_a),
            "duration_s": _rounded(t.duration_s),
            "per_hour": _rounded(t.per_hour or 0.0),
        }
        for n, t in enumerate(recurring(found))
    ]


def mode_parts(found: LogFindings) -> list[dict[str, Any]]:
    """Return the modes of a device that a log shows: its rest, and what comes again and again."""
    blank = {"least_a": None, "greatest_a": None, "at_v": None, "duration_s": None, "per_hour": None}
    rest_a, half_a = _rounded(max(found.rest_a, 0.0)), 2.0 * found.noise_a
    rest = {
        **blank,
        "name": "at rest, logged",
        "use": "standby",
        "current_a": rest_a,
        "least_a": _rounded(max(0.0, rest_a - half_a)),
        "greatest_a": _rounded(rest_a + half_a),
    }
    return [rest, *({**blank, **burst, "use": "burst"} for burst in bursts_of(found))]


def _rounded(value: float) -> float:
    return float(f"{value:.4g}")


def told_of(found: LogFindings, *, overloads_count: int = 0, unread_count: int = 0) -> dict[str, Any]:
    """Return what a log says, in words."""
    needed = (
        "cannot be told"
        if found.needed_h is None
        else "it is, already"
        if found.needed_h <= found.logged_h
        else f"log {say_hours(found.needed_h)} in all"
    )
    doubts = []
    if overloads_count:
        doubts.append(f"{overloads_count} samples were overloads and count for nothing: take a higher range.")
    if unread_count:
        doubts.append(f"{unread_count} lines could not be read.")
    if found.gaps_count:
        doubts.append(f"There are {found.gaps_count} gaps. What began or ended in one is not timed.")
    if found.unexplained_count:
        doubts.append(f"{found.unexplained_count} stretches of several bursts at once could not be taken apart.")
    return {
        "rest": say_amps(max(found.rest_a, 0.0)),
        "noise": say_amps(found.noise_a, 2),
        "mean": say_amps(max(found.mean_a, 0.0)),
        "limit": say_amps(found.mean_limit_a, 2),
        "needed": needed,
        "logged": say_hours(found.logged_h),
        "samples": f"{found.samples_count:,}",
        "trains": [
            (
                say_amps(t.current_a),
                f"{plain_number(t.duration_s)} s",
                "once" if t.per_hour is None else show_duty(t.duration_s, t.per_hour),
                len(t.bursts),
                "" if t.per_hour is None or t.jitter_s <= 0 else f"± {plain_number(t.jitter_s, 2)} s",
            )
            for t in found.trains[:MOST_TRAINS]
        ],
        "steps": [
            f"{say_amps(max(s.from_a, 0.0))} to {say_amps(max(s.to_a, 0.0))} after {say_hours(s.at_s / 3600)}" for s in found.steps[:6]
        ],
        "doubts": doubts,
        "share": say_percent(found.mean_limit_a / found.mean_a) if found.mean_a > 0 else "",
    }


def chart_of(
    t_s: Sequence[float], current_a: Sequence[float], found: LogFindings | None, from_s: float | None = None, to_s: float | None = None
) -> LogChart:
    """Return the picture of a log, or of the part of it between two times. [s, A]"""
    begin_s, end_s = t_s[0], max(t_s[-1], t_s[0] + 1e-6)
    low_s, high_s = max(begin_s, begin_s if from_s is None else from_s), min(end_s, end_s if to_s is None else to_s)
    if high_s - low_s < LEAST_SHOWN_S and end_s - begin_s > LEAST_SHOWN_S:
        low_s, high_s = begin_s, end_s
    span_s = high_s - low_s
    shown = [(t, a) for t, a in zip(t_s, current_a, strict=True) if low_s <= t <= high_s] or [(low_s, 0.0)]
    low_a, high_a = min(0.0, *(a for _, a in shown)), max(a for _, a in shown) * 1.05 or 1.0
    scale, word = next((s, w) for s, w, most in ((3600.0, "h", 7200.0), (60.0, "min", 120.0), (1.0, "s", 0.0)) if span_s >= most)

    def x_of(t: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * (t - low_s) / span_s, 1)

    def y_of(a: float) -> float:
        return round(TOP + (HEIGHT - TOP - BOTTOM) * (high_a - a) / (high_a - low_a), 1)

    cells: dict[int, tuple[float, float]] = {}
    for t, a in shown:
        n = int(COLUMNS_COUNT * (t - low_s) / span_s)
        least, most = cells.get(n, (a, a))
        cells[n] = (min(least, a), max(most, a))
    path = "".join(
        f"M{x_of(low_s + span_s * n / COLUMNS_COUNT)} {y_of(least)}V{min(y_of(most), y_of(least) - 0.8)}"
        for n, (least, most) in sorted(cells.items())
    )
    bursts = sorted((b for t in (found.trains if found else ()) for b in t.bursts), key=lambda b: b.start_s)
    marked = [b for b in bursts if low_s <= b.start_s <= high_s][:MOST_MARKS]
    return LogChart(
        path=path,
        marks=tuple((x_of(b.start_s), y_of(min(b.current_a, high_a))) for b in marked),
        x_ticks=tuple((x_of(low_s + span_s * n / 5), plain_number((low_s + span_s * n / 5) / scale, 3)) for n in range(6)),
        y_ticks=tuple((y_of(low_a + (high_a - low_a) * n / 4), say_amps(low_a + (high_a - low_a) * n / 4, 2)) for n in range(5)),
        x_word=word,
        from_s=low_s,
        to_s=high_s,
        is_part=low_s > begin_s or high_s < end_s,
    )
