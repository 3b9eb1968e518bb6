"""The duty strip: one window of time, with what a mode draws while it is on. Drawn beside a load."""

from dataclasses import dataclass

from ypomoni.documents.quantities import show_current, show_duty
from ypomoni.records.load import LoadRow

WIDTH = 120.0
HEIGHT = 16.0
MOST_PULSES = 12
# A pulse thinner than this is drawn so, and the strip says that it is not to scale.
LEAST_WIDTH = 1.5


@dataclass(frozen=True, slots=True, kw_only=True)
class DutyStrip:
    """Pulses as (x, width, y, height) over a window, and its words."""

    pulses: tuple[tuple[float, float, float, float], ...]
    rest_height: float
    words: str
    to_scale: bool


def build_duty(row: LoadRow) -> DutyStrip | None:
    """Return the duty strip of a load's bursts, or None without any."""
    bursts = row["bursts"]
    if not bursts:
        return None
    window_s = min(86_400.0, max(3600.0 / b["per_hour"] for b in bursts) * 2)
    top_a = max([row["standby_current_a"] or 0.0, *(b["current_a"] for b in bursts)]) or 1.0
    pulses: list[tuple[float, float, float, float]] = []
    to_scale = True
    for burst in bursts:
        period_s = 3600.0 / burst["per_hour"]
        start_s = burst["offset_s"] % period_s
        while start_s < window_s and len(pulses) < MOST_PULSES * len(bursts):
            width = burst["duration_s"] / window_s * WIDTH
            to_scale &= width >= LEAST_WIDTH
            height = max(3.0, burst["current_a"] / top_a * HEIGHT)
            x = start_s / window_s * WIDTH
            pulses.append((round(x, 2), round(min(max(width, LEAST_WIDTH), WIDTH - x), 2), round(HEIGHT - height, 2), round(height, 2)))
            start_s += period_s
    words = "; ".join(f"{show_current(b['current_a'])}, {show_duty(b['duration_s'], b['per_hour'])}" for b in bursts)
    rest = max(1.0, (row["standby_current_a"] or 0.0) / top_a * HEIGHT)
    return DutyStrip(pulses=tuple(pulses), rest_height=round(rest, 2), words=words, to_scale=to_scale)
