"""Hours against load: how long a UPS carries a steady output, from a watt to its rating."""

import math
from dataclasses import dataclass

from ypomoni.core.bracketing import bracket
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import mean_draw
from ypomoni.core.outage.identifying import identified, run_time_h
from ypomoni.core.things.outputs import AcOutput
from ypomoni.core.things.supplies import Supply

LEAST_W = 1.0
POINTS_COUNT = 40
# A rating in W that is not known is so much of that in VA. [M]
USUAL_W_PER_VA = 0.6


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadPoint:
    """How long an output is carried, and which share of what the battery gives is burnt by the UPS itself. [W, h, ratio]"""

    output_w: float
    run_h: float
    overhead_ratio: float


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadCurve:
    """Hours against load of one UPS, its present load on it. [W, h]"""

    key: str
    name: str
    points: tuple[LoadPoint, ...]
    rated_w: float
    overhead_w: float
    now_w: float | None = None
    now_h: float | None = None


def rated_w_of(output: AcOutput) -> float:
    """Return the watts an output is rated for, reckoned from its volt-amperes where they are not said. [W]"""
    if output.rated_w is not None:
        return output.rated_w
    return USUAL_W_PER_VA * output.rated_va if output.rated_va is not None else 500.0


def present_output_w(case: Case) -> float:
    """Return what the loads of a UPS take of its output in standby, on average. [W]"""
    supply = case.supply
    efficiency_ratio = supply.feed.efficiency_ratio if supply.feed else 1.0
    return efficiency_ratio * sum(mean_draw(c, in_alarm=False).power_w for c in case.currents)


def load_curve(supply: Supply, now_w: float | None = None, *, points_count: int = POINTS_COUNT) -> LoadCurve | None:
    """Return hours against load of a UPS whose overhead and battery are known; None of any other supply."""
    known = identified(supply)
    output, bank = known.ac, known.bank
    if output is None or bank is None or not known.of_kind.is_inverter or not known.is_modelled:
        return None
    if not bank.chemistry.lowest_degc <= known.typical_degc <= bank.chemistry.highest_degc:
        return None
    top_w = max(rated_w_of(output), 2 * LEAST_W)
    step = math.log(top_w / LEAST_W) / (points_count - 1)
    points = tuple(_point(known, output, LEAST_W * math.exp(n * step)) for n in range(points_count))
    return LoadCurve(
        key=supply.key,
        name=supply.name,
        points=points,
        rated_w=top_w,
        overhead_w=output.burns_w,
        now_w=now_w,
        now_h=None if now_w is None else hours_at(known, now_w),
    )


def hours_at(supply: Supply, output_w: float) -> float:
    """Return how long a UPS carries a steady output, today. [h]"""
    known = identified(supply)
    if known.ac is None or known.bank is None:
        raise ValueError(f"{supply.key} is no UPS with a battery")
    condition = known.bank.condition_today_ratio(known.typical_degc)
    return run_time_h(known, known.ac, output_w, known.ac.burns_w, condition)


def _point(supply: Supply, output: AcOutput, output_w: float) -> LoadPoint:
    given_w = output.burns_w + output_w / output.efficiency_ratio
    return LoadPoint(output_w=output_w, run_h=hours_at(supply, output_w), overhead_ratio=output.burns_w / given_w)


def crossing_w(one: Supply, other: Supply) -> float | None:
    """Return the output at which two UPS last equally long, below which one lasts longer and above it the other; None where there is none. [W]"""
    outputs = [identified(s).ac for s in (one, other)]
    if any(o is None for o in outputs):
        return None
    top_w = min(rated_w_of(o) for o in outputs if o is not None)

    def first_lasts(output_w: float) -> bool:
        return hours_at(one, output_w) >= hours_at(other, output_w)

    at_first = first_lasts(LEAST_W)
    if at_first == first_lasts(top_w):
        return None
    low = bracket(lambda w: first_lasts(w) == at_first, LEAST_W, top_w, rounds=24)
    return 0.5 * (low[0] + low[1])
