"""Timed runs of a UPS as people write them: a line each, as in `26 W 3 h 50 min`, or the log of a meter with time and watts."""

import re
from dataclasses import dataclass

from ypomoni.core.things.outputs import TimedRun
from ypomoni.documents.quantities import read_quantity
from ypomoni.records.kinds import HOURS

MOST_LINES, MOST_RUNS = 20_000, 20
# From so many lines of two numbers on it is the log of a meter.
LEAST_LOG_LINES = 8
# Under this share of the mean the output counts as off.
OFF_RATIO = 0.05
_NUMBER = r"(\d+(?:[.,]\d+)?)"
_WATTS = re.compile(_NUMBER + r"\s*(kW|W)\b")
_HOURS, _MINUTES, _SECONDS = (
    re.compile(_NUMBER + rf"\s*(?:{words})(?![a-z])", re.I) for words in ("h|hours?", "min|minutes?|m", "s|sec|seconds?")
)
_CLOCK = re.compile(r"\b(\d{1,3}):(\d{2})(?::(\d{2}))?\b")


@dataclass(frozen=True, slots=True, kw_only=True)
class UnreadRun:
    """A line that could not be read, and what would be right."""

    line: int
    text: str
    message: str


def read_run_lines(text: str) -> tuple[list[TimedRun], list[UnreadRun]]:
    """Return the runs in a text, and the lines that could not be read."""
    lines = [(n, line.strip()) for n, line in enumerate(text.splitlines()[:MOST_LINES], start=1) if line.strip()]
    log = [row for _, line in lines if (row := _log_row(line)) is not None]
    if len(log) >= LEAST_LOG_LINES and len(log) >= len(lines) - 2:
        run = _run_of_log(log)
        if run is not None:
            return [run], []
        return [], [UnreadRun(line=1, text=lines[0][1], message="the log shows no output that goes on for a while and then ends.")]
    found: list[TimedRun] = []
    unread: list[UnreadRun] = []
    for n, line in lines:
        watts, hours_h = _watts(line), _hours(line)
        if watts is None or hours_h is None or hours_h <= 0:
            missing = "watts, as in 26 W" if watts is None else "how long it lasted, as in 3 h 50 min or 3:50"
            unread.append(UnreadRun(line=n, text=line[:60], message=f"needs {missing}."))
        elif len(found) < MOST_RUNS:
            found.append(TimedRun(output_w=watts, run_h=hours_h))
        else:
            unread.append(UnreadRun(line=n, text=line[:60], message=f"is more than the {MOST_RUNS} runs that are kept."))
    return found, unread


def read_duration_h(text: str) -> float:
    """Return a duration as people write it: 3 h 50 min, 3:50, 40 min, or a plain number of hours. [h]

    Raises
    ------
    QuantityTextError
        If it says no time.
    """
    found = _hours(text)
    return read_quantity(text, HOURS) if found is None else found


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _clock_h(clock: re.Match[str]) -> float:
    return int(clock[1]) + int(clock[2]) / 60 + int(clock[3] or 0) / 3600


def _watts(line: str) -> float | None:
    found = _WATTS.search(line)
    return None if found is None else _number(found[1]) * (1000.0 if found[2] == "kW" else 1.0)


def _hours(line: str) -> float | None:
    rest = _WATTS.sub(" ", line)
    clock = _CLOCK.search(rest)
    if clock:
        return _clock_h(clock)
    parts = [(pattern.search(rest), per) for pattern, per in ((_HOURS, 1.0), (_MINUTES, 1 / 60), (_SECONDS, 1 / 3600))]
    known = [_number(found[1]) * per for found, per in parts if found]
    return sum(known) if known else None


def _log_row(line: str) -> tuple[float, float] | None:
    """Return time in hours and watts of one row of a log; None for a heading."""
    cells = [c for c in re.split(r"[;\t ]+|,(?=\s)|(?<=\d),(?=\d+:)", line.replace(", ", ";")) if c]
    if len(cells) == 1 and cells[0].count(",") == 1:
        cells = cells[0].split(",")
    if len(cells) < 2:
        return None
    clock = _CLOCK.search(cells[0]) or (_CLOCK.search(cells[1]) if len(cells) > 2 else None)
    try:
        watts = _number(cells[-1])
        if clock:
            return _clock_h(clock), watts
        return _number(cells[0]) / 3600.0, watts
    except ValueError:
        return None


def _run_of_log(log: list[tuple[float, float]]) -> TimedRun | None:
    """Return the run of a meter's log: its mean output until it went off. Times without a clock are seconds."""
    turned = [log[0]]
    days = 0.0
    for hour_h, watts in log[1:]:
        if hour_h + days < turned[-1][0] - 1e-9:
            days += 24.0
        turned.append((hour_h + days, watts))
    greatest = max(w for _, w in turned)
    on = [n for n, (_, w) in enumerate(turned) if w > OFF_RATIO * greatest]
    if greatest <= 0 or len(on) < LEAST_LOG_LINES // 2:
        return None
    first, last = on[0], on[-1]
    end = turned[min(last + 1, len(turned) - 1)][0]
    energy = sum(0.5 * (turned[n][1] + turned[n + 1][1]) * (turned[n + 1][0] - turned[n][0]) for n in range(first, last))
    lasted = turned[last][0] - turned[first][0]
    return None if lasted <= 0 else TimedRun(output_w=energy / lasted, run_h=end - turned[first][0])
