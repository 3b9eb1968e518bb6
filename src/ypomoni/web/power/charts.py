"""The pictures of the stage Power as finished SVG numbers: hours against load, and what a selector does."""

import math
from dataclasses import dataclass

from ypomoni.core.outage.load_curve import LoadCurve
from ypomoni.core.outage.selecting import Look, Selected
from ypomoni.core.telling.wording import plain_number, say_hours, say_percent, say_volts, say_watts
from ypomoni.core.things.outputs import TimedRun
from ypomoni.core.things.selectors import Gauge

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 760.0, 330.0, 78.0, 20.0, 18.0, 44.0
SHARE_HEIGHT = 54.0
W_TICKS = (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000)
H_TICKS = (0.1, 0.25, 0.5, 1, 2, 4, 8, 12, 24, 48, 96, 168, 336, 720)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartLine:
    """One line with its name: its points as SVG has them."""

    name: str
    points: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartTick:
    """A tick of an axis: where, and its words."""

    at: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadChart:
    """Hours against load, with the share that the UPS burns itself below."""

    lines: tuple[ChartLine, ...]
    x_ticks: tuple[ChartTick, ...]
    y_ticks: tuple[ChartTick, ...]
    now_x: float | None
    now_y: float | None
    now_text: str
    crossing_x: float | None
    crossing_text: str
    share: str
    runs: tuple[tuple[float, float, str], ...]
    said: str


def load_chart(
    curves: tuple[LoadCurve, ...], runs: tuple[TimedRun, ...] = (), crossing_w: float | None = None, crossing_words: str = ""
) -> LoadChart | None:
    """Return the chart of some UPS; the first is the one that is there."""
    if not curves:
        return None
    top_w = max(c.rated_w for c in curves)
    hours = [p.run_h for c in curves for p in c.points if p.run_h > 0] + [r.run_h for r in runs]
    if not hours:
        return None
    low_h, high_h = max(min(hours), max(hours) / 500), max(hours) * 1.15
    right, bottom = WIDTH - RIGHT, HEIGHT - BOTTOM

    def x_of(output_w: float) -> float:
        return LEFT + (right - LEFT) * math.log(max(output_w, 1.0)) / math.log(top_w)

    def y_of(run_h: float) -> float:
        part = math.log(max(run_h, low_h) / low_h) / math.log(high_h / low_h)
        return bottom - (bottom - TOP) * part

    lines = [
        ChartLine(name=curve.name, points=" ".join(f"{x_of(p.output_w):.1f},{y_of(p.run_h):.1f}" for p in curve.points if p.run_h >= low_h))
        for curve in curves
    ]
    here = curves[0]
    share_top, share_bottom = 6.0, SHARE_HEIGHT - 14.0
    share = " ".join(f"{x_of(p.output_w):.1f},{share_bottom - (share_bottom - share_top) * p.overhead_ratio:.1f}" for p in here.points)
    burnt = ""
    if here.now_w is not None:
        share_now = min(here.points, key=lambda p: abs(p.output_w - (here.now_w or 0.0))).overhead_ratio
        burnt = f"At {say_watts(here.now_w)} it lasts {say_hours(here.now_h or 0.0)}; of what the battery gives it burns about {say_percent(share_now)} itself."
    return LoadChart(
        lines=tuple(lines),
        x_ticks=tuple(ChartTick(at=x_of(w), text=f"{w}") for w in W_TICKS if w <= top_w),
        y_ticks=tuple(ChartTick(at=y_of(h), text=say_hours(h)) for h in H_TICKS if low_h <= h <= high_h),
        now_x=None if here.now_w is None else x_of(here.now_w),
        now_y=None if here.now_h is None else y_of(here.now_h),
        now_text="" if here.now_w is None else f"now {say_watts(here.now_w)}: {say_hours(here.now_h or 0.0)}",
        crossing_x=None if crossing_w is None else x_of(crossing_w),
        crossing_text="" if crossing_w is None else f"below {plain_number(crossing_w, 2)} W {crossing_words}",
        share=f"{x_of(here.points[0].output_w):.1f},{share_bottom} {share} {x_of(here.points[-1].output_w):.1f},{share_bottom}",
        runs=tuple((x_of(r.output_w), y_of(r.run_h), f"{say_watts(r.output_w)} for {say_hours(r.run_h)}") for r in runs),
        said=burnt,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BackupChart:
    """What a selector does over time: the voltage of each input, what the device is fed with, which input feeds when, and what a gauge shows."""

    lines: tuple[ChartLine, ...]
    fed: str
    needs_y: float | None
    needs_text: str
    switch_y: float | None
    switch_text: str
    x_ticks: tuple[ChartTick, ...]
    y_ticks: tuple[ChartTick, ...]
    bars: tuple[tuple[float, float, int, str], ...]
    dead_x: float | None
    dead_text: str
    gauge: str
    left: tuple[ChartLine, ...]
    # Every instant that is played: where it lies, what feeds then, and all of it in words.
    instants: tuple[tuple[float, str], ...] = ()


def backup_chart(
    selected: Selected, names: dict[str, str], switch_below_v: float, needs_v: float | None, gauge: Gauge | None
) -> BackupChart | None:
    """Return the chart of a played selector."""
    looks = selected.looks
    if len(looks) < 2:
        return None
    end_h = max(looks[-1].t_h, 1e-6) * 1.05
    tops = [v for look in looks for v in (*look.input_v, look.fed_v)]
    high_v, low_v = max(tops) * 1.04, 0.0
    right, bottom = WIDTH - RIGHT, HEIGHT - BOTTOM

    def x_of(t_h: float) -> float:
        return LEFT + (right - LEFT) * t_h / end_h

    def y_of(v: float) -> float:
        return bottom - (bottom - TOP) * (v - low_v) / (high_v - low_v)

    lines = [
        ChartLine(name=names[key], points=" ".join(f"{x_of(look.t_h):.1f},{y_of(look.input_v[n]):.1f}" for look in looks))
        for n, key in enumerate(selected.input_keys)
    ]
    bars: list[tuple[float, float, int, str]] = []
    shown = [c for c in selected.changes if c.from_h <= looks[-1].t_h]
    for n, change in enumerate(shown):
        until_h = shown[n + 1].from_h if n + 1 < len(shown) else looks[-1].t_h
        width = x_of(until_h) - x_of(change.from_h)
        if width >= 0.4 or n == 0:
            bars.append((x_of(change.from_h), max(width, 0.4), selected.input_keys.index(change.input_key), names[change.input_key]))
    share_top, share_bottom = 6.0, SHARE_HEIGHT - 14.0

    def share_points(values: list[float]) -> str:
        return " ".join(
            f"{x_of(look.t_h):.1f},{share_bottom - (share_bottom - share_top) * v:.1f}" for look, v in zip(looks, values, strict=True)
        )

    left = tuple(
        ChartLine(name=names[key], points=share_points([look.left_ratio[n] for look in looks])) for n, key in enumerate(selected.input_keys)
    )
    step_h = next((h for h in (0.25, 0.5, 1, 2, 4, 6, 12, 24, 48, 96, 168, 336, 720, 2190, 8760) if end_h / h <= 8), 8760.0)
    return BackupChart(
        lines=tuple(lines),
        fed=" ".join(f"{x_of(look.t_h):.1f},{y_of(look.fed_v):.1f}" for look in looks),
        needs_y=None if not needs_v else y_of(needs_v),
        needs_text="" if not needs_v else f"dead below {say_volts(needs_v)}",
        switch_y=None if switch_below_v <= 0 else y_of(switch_below_v),
        switch_text="" if switch_below_v <= 0 else f"changes over below {say_volts(switch_below_v)}",
        x_ticks=tuple(ChartTick(at=x_of(n * step_h), text=say_hours(n * step_h) if n else "0") for n in range(int(end_h / step_h) + 1)),
        y_ticks=tuple(ChartTick(at=y_of(v), text=f"{v} V") for v in range(0, math.ceil(high_v), 2 if high_v < 20 else 6)),
        bars=tuple(bars),
        dead_x=None if selected.dead is None else x_of(selected.holdover_h),
        dead_text="" if selected.dead is None else f"{selected.dead} dead after {say_hours(selected.holdover_h)}",
        gauge="" if gauge is None else share_points([gauge.shows_ratio(look.fed_v) for look in looks]),
        left=left,
        instants=tuple((round(x_of(look.t_h), 1), _say_instant(look, selected.input_keys, names)) for look in looks),
    )


def _say_instant(look: Look, keys: tuple[str, ...], names: dict[str, str]) -> str:
    """Return one instant in words: what the device is fed with and by what, then each input."""
    fed = f"fed with {say_volts(look.fed_v)} by {names[look.feeding]}" if look.feeding in names and look.fed_v > 0 else "fed with nothing"
    each = "; ".join(
        f"{names[key]} shows {say_volts(v)}, {say_percent(max(0.0, left))} left"
        for key, v, left in zip(keys, look.input_v, look.left_ratio, strict=True)
    )
    when = f"After {say_hours(look.t_h)}" if look.t_h > 0 else "As mains fails"
    return f"{when} the device is {fed}. {each}."
