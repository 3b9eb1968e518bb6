"""What a UPS really burns: its overhead, and where the runs can tell it the condition of its battery, from runs that were timed.

Least squares on the logarithm of the run time of the battery simulation, the efficiency fixed. A straight line through energies would give
nonsense, since what a battery gives falls with the rate.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache

from ypomoni.core.outage.walk import walk
from ypomoni.core.telling.results import IdentifiedUps
from ypomoni.core.things.batteries import Bank, build_pack
from ypomoni.core.things.outputs import AcOutput, OverheadFrom, TimedRun
from ypomoni.core.things.supplies import Supply

HORIZON_H = 87_600.0
# Outputs must be so far apart for the condition to be told from the overhead.
APART_TIMES = 3.0
CONDITION_RATIOS = (0.05, 1.05)
# A run timed by hand is off by this at least. [M]
LEAST_ERROR_RATIO = 0.01
DEVIATIONS = 1.96
MOST_STEPS = 25
SETTLED = 1e-10
# A bank of one label may hold so much more than it says.
GREATEST_CAPACITY_RATIO = 1.1

Errors = Callable[[tuple[float, float]], list[float]]
"""What each run is off, in the logarithm of its time, for an overhead and a condition."""


def ends_at_v(supply: Supply, bank: Bank) -> float:
    """Return the battery voltage at which a supply stops, whatever its loads need. [V]"""
    stated = [v for v in (supply.cutoff_v, bank.own_cutoff_v, supply.least_input_v) if v is not None]
    return max(stated, default=bank.end_v)


def run_time_h(
    supply: Supply, output: AcOutput, output_w: float, overhead_w: float, condition_ratio: float, *, capacity_ratio: float = 1.0
) -> float:
    """Return how long a UPS carries a steady output from full, at its typical temperature. [h]"""
    bank = supply.bank
    if bank is None:
        raise ValueError(f"{supply.key} has no bank")
    pack = build_pack(
        bank,
        condition_ratio=condition_ratio,
        temperature_degc=supply.typical_degc,
        starts_at_ratio=supply.starts_at_ratio,
        capacity_ratio=capacity_ratio,
    )
    draw = (0.0, supply.own_current_a, overhead_w + output_w / output.efficiency_ratio, 0.0)
    return walk(pack, ends_at_v(supply, bank), pack.start_u_ah, 0.0, [draw], HORIZON_H).t_h


def longest_run_h(supply: Supply, output_w: float) -> float:
    """Return how long a UPS without any overhead could carry an output, its battery as good as one of its label ever is. [h]"""
    if supply.ac is None:
        raise ValueError(f"{supply.key} has no output")
    return run_time_h(supply, supply.ac, output_w, 0.0, CONDITION_RATIOS[1], capacity_ratio=GREATEST_CAPACITY_RATIO)


def are_apart(runs: Sequence[TimedRun]) -> bool:
    """Say whether the outputs of some runs are far enough apart for the condition to be told."""
    outputs = [r.output_w for r in runs]
    return max(outputs) > 0 and max(outputs) >= APART_TIMES * min(outputs) * (1 - 1e-9)


def identified(supply: Supply) -> Supply:
    """Return a supply with what its timed runs say in place of what was stated; as it is where there are none that can be used."""
    found = identify(supply)
    if found is None or supply.ac is None or supply.bank is None:
        return supply
    bank = supply.bank if found.condition_ratio is None else replace(supply.bank, condition_ratio=found.condition_ratio)
    output = replace(
        supply.ac, overhead_w=found.overhead_w, overhead_from=OverheadFrom.TIMED_RUNS, tells_condition=found.condition_ratio is not None
    )
    return replace(supply, ac=output, bank=bank, timed_runs=())


def identify(supply: Supply) -> IdentifiedUps | None:
    """Return what the timed runs of a UPS say; None without any, or without a battery to simulate."""
    if not supply.timed_runs or supply.ac is None or not supply.of_kind.is_inverter or supply.bank is None:
        return None
    chemistry = supply.bank.chemistry
    if not chemistry.lowest_degc <= supply.typical_degc <= chemistry.highest_degc:
        return None
    # What does not bear on the runs is left out, so that they are fitted once.
    bare = Supply(
        key="",
        name="",
        kind=supply.kind,
        requirement=supply.requirement,
        nominal_v=supply.nominal_v,
        typical_degc=supply.typical_degc,
        min_degc=supply.typical_degc,
        cutoff_v=supply.cutoff_v,
        own_current_a=supply.own_current_a,
        charge_limit_a=supply.charge_limit_a,
        charge_v=supply.charge_v,
        bank=supply.bank,
        ac=replace(supply.ac, overhead_w=None, rated_va=None, rated_w=None),
        timed_runs=supply.timed_runs,
    )
    return _fit(bare, supply.ac.expected_overhead_w or 10.0)


@lru_cache(maxsize=64)
def _fit(supply: Supply, usual_w: float) -> IdentifiedUps:
    bank, output, runs = supply.bank, supply.ac, supply.timed_runs
    if bank is None or output is None:
        raise ValueError("only a UPS with a battery can be timed")
    today_ratio = bank.condition_today_ratio(supply.typical_degc)
    tells_condition = bank.condition_ratio is None and are_apart(runs)
    conditions = (
        ((1.0, 0.9), (0.4, 0.6), (2.5, 0.5), (1.0, 0.3))
        if tells_condition
        else ((1.0, today_ratio), (0.2, today_ratio), (3.0, today_ratio))
    )
    starts = [(usual_w * share, c) for share, c in conditions]

    def errors(x: tuple[float, float]) -> list[float]:
        return [math.log(max(run_time_h(supply, output, r.output_w, *x), 1e-9) / r.run_h) for r in runs]

    best, best_square = starts[0], math.inf
    # A run time is not straight in the condition: from one start it may come to rest beside the best.
    for start in starts:
        x, square = _descend(errors, start, tells_condition)
        if square < best_square * (1 - 1e-6) - 1e-15:
            best, best_square = x, square
        if best_square < 1e-12:
            break
    left = errors(best)
    overhead_limit_w, condition_limit_ratio = _limits(errors, best, left, tells_condition)
    return IdentifiedUps(
        overhead_w=best[0],
        condition_ratio=best[1] if tells_condition else None,
        worst_error_ratio=max(abs(math.expm1(e)) for e in left),
        overhead_limit_w=overhead_limit_w,
        condition_limit_ratio=condition_limit_ratio if tells_condition else None,
    )


def _clamped(x: tuple[float, float]) -> tuple[float, float]:
    return max(0.0, x[0]), min(max(x[1], CONDITION_RATIOS[0]), CONDITION_RATIOS[1])


def _slopes(errors: Errors, x: tuple[float, float], left: list[float], both: bool) -> list[tuple[float, float]]:
    """Return the derivatives of every error by overhead and condition, the second 0 where it is not sought."""
    # Wide enough to stand out from the rounding of a run time, narrow enough to be a slope.
    dw = max(0.02, 2e-3 * x[0])
    by_w = [(b - a) / dw for a, b in zip(left, errors((x[0] + dw, x[1])), strict=True)]
    if not both:
        return [(w, 0.0) for w in by_w]
    dc = -2e-3
    by_c = [(b - a) / dc for a, b in zip(left, errors((x[0], x[1] + dc)), strict=True)]
    return list(zip(by_w, by_c, strict=True))


def _normal(slopes: list[tuple[float, float]]) -> tuple[float, float, float]:
    return sum(w * w for w, _ in slopes), sum(w * c for w, c in slopes), sum(c * c for _, c in slopes)


def _descend(errors: Errors, start: tuple[float, float], both: bool) -> tuple[tuple[float, float], float]:
    """Return where the sum of squares is least near a start, and how much it is there (Levenberg and Marquardt)."""
    x, damping = _clamped(start), 1e-3
    left = errors(x)
    square = sum(e * e for e in left)
    for _ in range(MOST_STEPS):
        slopes = _slopes(errors, x, left, both)
        ww, wc, cc = _normal(slopes)
        gw, gc = sum(w * e for (w, _), e in zip(slopes, left, strict=True)), sum(c * e for (_, c), e in zip(slopes, left, strict=True))
        gained = 0.0
        for _ in range(12):
            aw, ac = ww * (1 + damping) + 1e-15, cc * (1 + damping) + 1e-15
            whole = aw * ac - wc * wc if both else 1.0
            step = (-(ac * gw - wc * gc) / whole, -(aw * gc - wc * gw) / whole) if both else (-gw / aw, 0.0)
            y = _clamped((x[0] + step[0], x[1] + step[1]))
            after = errors(y)
            after_square = sum(e * e for e in after)
            if after_square < square:
                gained, x, left, square = square - after_square, y, after, after_square
                damping = max(damping * 0.2, 1e-9)
                break
            damping *= 4.0
        if gained < SETTLED * max(square, 1e-12):
            break
    return x, square


def _limits(errors: Errors, x: tuple[float, float], left: list[float], both: bool) -> tuple[float | None, float | None]:
    """Return the 95 % limits of what was found, each run being off by 1 % at least, or by as much as the runs disagree."""
    slopes = _slopes(errors, x, left, both)
    # With no run more than is sought the fit is exact and says nothing of its own error: then a stopwatch's counts.
    free = len(left) - (2 if both else 1)
    variance = LEAST_ERROR_RATIO**2
    if free > 0:
        variance = max(variance, sum(e * e for e in left) / free)
    ww, wc, cc = _normal(slopes)
    if not both:
        return (DEVIATIONS * math.sqrt(variance / ww), None) if ww > 0 else (None, None)
    whole = ww * cc - wc * wc
    # Overhead and condition do the same to every run: nobody can say which of them it is.
    if whole <= 1e-12 * ww * cc:
        return None, None
    return DEVIATIONS * math.sqrt(variance * cc / whole), DEVIATIONS * math.sqrt(variance * ww / whole)
