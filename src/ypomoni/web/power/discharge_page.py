"""The page model of timed discharges: each with what it comes to, its picture against the prediction, and what its condition would do."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.outage.case import hindrance_of
from ypomoni.core.outage.testing import discharge_volts, followed_to_v, result_of_test
from ypomoni.core.telling.results import Band, DischargeResult
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent, say_range, say_required_h, say_volts
from ypomoni.core.things.batteries import REPLACE_BELOW_RATIO
from ypomoni.core.things.discharge_tests import DischargeEnd, DischargeTest
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BOTTOM = 560.0, 240.0, 56.0, 14.0, 14.0, 40.0
TICKS_COUNT = 6
STEPS = tuple(m * 10.0**p for p in range(-3, 5) for m in (1.0, 2.0, 5.0))


@dataclass(frozen=True, slots=True, kw_only=True)
class TickMark:
    """A tick of an axis: where, and its words."""

    at: float
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeChart:
    """Volts over hours: what was predicted with its band at the end, what was read, where it ended."""

    predicted: str
    band: tuple[float, float]
    end_y: float
    samples: tuple[tuple[float, float, str], ...]
    ended: tuple[float, float] | None
    x_ticks: tuple[TickMark, ...]
    y_ticks: tuple[TickMark, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeView:
    """One timed discharge, in words."""

    key: str
    when: str
    how: str
    shape: str
    verdict: str
    test: str
    condition: str
    predicted: str
    inside: str
    taking: str
    condition_ratio: float | None
    is_taken: bool
    chart: DischargeChart | None


def discharge_views(plan: Plan, supply: Supply) -> list[DischargeView]:
    """Return the timed discharges of a supply's bank, the latest first."""
    loads = plan.loads_on(supply.key)
    return [_view(supply, loads, test) for test in reversed(plan.tests_of(supply.key))]


def _view(supply: Supply, loads: tuple[Load, ...], test: DischargeTest) -> DischargeView:
    told = result_of_test(supply, test)
    shape, verdict = _verdict(told)
    at_least = "at least " if told.is_lower_bound else ""
    current_a = test.mean_current_a
    bank = supply.bank
    is_taken = (
        bank is not None
        and told.condition_ratio is not None
        and bank.condition_ratio is not None
        and abs(bank.condition_ratio - told.condition_ratio) < 0.0006
    )
    return DischargeView(
        key=test.key,
        when=f"{test.at:%d %b %Y, %H:%M}",
        how=f"{say_amps(current_a) if current_a else 'an unknown current'} for {say_hours(test.ran_h)} at {plain_number(test.temperature_degc)} °C, "
        + ("to" if test.ended is DischargeEnd.END_VOLTAGE else "stopped at")
        + f" {say_volts(test.end_v)}",
        shape=shape,
        verdict=verdict,
        test="cannot be told" if told.test_ratio is None else f"{at_least}{say_percent(told.test_ratio)} of a new one",
        condition="cannot be told" if told.condition_ratio is None else f"{at_least}{say_percent(told.condition_ratio)}",
        predicted=""
        if told.predicted is None
        else f"{say_hours(told.predicted.expected)}, {say_range(told.predicted.low, told.predicted.high)}",
        inside={True: "as predicted", False: "not as predicted", None: "too short to tell"}[told.inside_band],
        taking=_taking(supply, loads, told),
        condition_ratio=None if told.is_lower_bound else told.condition_ratio,
        is_taken=is_taken,
        chart=_chart(supply, test, told),
    )


def _verdict(told: DischargeResult) -> tuple[str, str]:
    if told.test_ratio is None:
        return "unknown", "cannot be told"
    if told.is_lower_bound:
        return "note", "stopped: a lower bound, which condemns nothing"
    if told.test_ratio < REPLACE_BELOW_RATIO:
        return "fails", f"replace: under {say_percent(REPLACE_BELOW_RATIO)}"
    return "holds", "good enough"


def _taking(supply: Supply, loads: tuple[Load, ...], told: DischargeResult) -> str:
    """Say what taking the condition into the plan does to its hours."""
    bank = supply.bank
    if bank is None or told.condition_ratio is None or told.is_lower_bound or hindrance_of(supply, loads) is not None:
        return ""
    taken = replace(supply, bank=replace(bank, condition_ratio=told.condition_ratio))
    before, after = (compute_figures(s, loads, in_full=False).result.holdover for s in (supply, taken))
    if before is None or after is None:
        return ""
    must_h = supply.requirement.standby_h
    return (
        f"{say_hours(before.expected, must_h=must_h)} would become {say_hours(after.expected, must_h=must_h)} of {say_required_h(must_h)}."
    )


def _chart(supply: Supply, test: DischargeTest, told: DischargeResult) -> DischargeChart | None:
    bank, current_a, predicted = supply.bank, test.mean_current_a, told.predicted
    if bank is None or predicted is None or not current_a:
        return None
    curve = discharge_volts(supply, bank, test, current_a)
    read = [(s.t_h, s.terminal_v) for s in test.samples if s.terminal_v is not None]
    return chart_discharge(curve, predicted, followed_to_v(supply, bank, test), read, (test.ran_h, test.end_v))


def chart_discharge(
    curve: Sequence[tuple[float, float]],
    predicted: Band,
    end_v: float,
    read: Sequence[tuple[float, float]],
    ended: tuple[float, float] | None,
) -> DischargeChart:
    """Return the picture of a discharge: what was predicted, what was read, and where it ended, or nothing of that while it runs. [h, V]"""
    last = [] if ended is None else [ended]
    volts = [v for _, v in (*curve, *read, *last)] + [end_v]
    low_v, high_v = min(volts) - 0.1, max(volts) + 0.1
    last_h = 1.05 * max([predicted.high, *(t for t, _ in (*read, *last))])

    def x_of(t_h: float) -> float:
        return round(LEFT + (WIDTH - LEFT - RIGHT) * t_h / last_h, 1)

    def y_of(v: float) -> float:
        return round(TOP + (HEIGHT - TOP - BOTTOM) * (high_v - v) / (high_v - low_v), 1)

    return DischargeChart(
        predicted=" ".join(f"{x_of(t)},{y_of(v)}" for t, v in curve),
        band=(x_of(predicted.low), x_of(predicted.high)),
        end_y=y_of(end_v),
        samples=tuple((x_of(t), y_of(v), f"{say_volts(v)} after {say_hours(t)}") for t, v in read),
        ended=None if ended is None else (x_of(ended[0]), y_of(ended[1])),
        x_ticks=tuple(TickMark(at=x_of(t), text=plain_number(t, 4)) for t in _round_ticks(0.0, last_h)),
        y_ticks=tuple(TickMark(at=y_of(v), text=plain_number(v, 4)) for v in _round_ticks(low_v, high_v)),
    )


def _round_ticks(low: float, high: float) -> list[float]:
    """Return round numbers between two, seven at most."""
    step = next(s for s in STEPS if (high - low) / s <= TICKS_COUNT)
    first = math.ceil(low / step - 1e-9)
    return [round(n * step, 6) for n in range(first, math.floor(high / step + 1e-9) + 1)]
