"""What a supply must meet, each limit with how much of it is used.

The same limits as those behind the verdict `fails` that loads have a part in: hours, prescribed formula, output in both states, what the
battery's cells give, recharge, the supply's current beside mains, repeated cuts and the sun. All of them only get worse with more load.
"""

from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.evaluation.figures import Figures
from ypomoni.core.evaluation.living import survives_season
from ypomoni.core.judgement.bank import cell_limits_a
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.outage.loading import Quantity, uses_of_output
from ypomoni.core.outage.recharge import recovery_beside
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import size_by
from ypomoni.core.sizing.duty_cycle import duty_cycle_of
from ypomoni.core.telling.results import SupplyResult
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Plan, Supply

ROUNDING_RATIO = 1e-9


class Limit(StrEnum):
    """What a supply can fail at."""

    OUTPUT_STANDBY = "output_standby"
    OUTPUT_ALARM = "output_alarm"
    CELLS = "cells"
    MAINS = "mains"
    RECHARGE = "recharge"
    FORMULA = "formula"
    HOURS = "hours"
    SEASON = "season"


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """How much of one limit is used: at most 1 is met. ``amount`` and ``allowed`` are in A, W, VA, h or Ah by the kind of limit; ``unit`` for outputs."""

    limit: Limit
    share_ratio: float
    amount: float | None
    allowed: float
    unit: Quantity = Quantity.AMPERES

    @property
    def is_met(self) -> bool:
        """Whether the supply keeps this limit."""
        return self.share_ratio <= 1 + ROUNDING_RATIO


def can_be_computed(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether hours can be named for a supply with these loads."""
    return hindrance_of(supply, loads) is None


def movable_supplies(plan: Plan) -> list[Supply]:
    """Return the supplies that loads may be moved between: their hours can be named, and no selector feeds for them."""
    return [s for s in plan.supplies if plan.selector_of(s.key) is None and can_be_computed(s, plan.loads_on(s.key))]


def meets(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether a supply with these loads keeps all its limits; the cheap ones are asked first."""
    # Nothing hangs on it and it draws nothing: there is nothing it could fail at.
    if not loads and supply.own_current_a == 0:
        return True
    if not can_be_computed(supply, loads):
        return False
    case = Case(supply, loads)
    if case.draws_nothing:
        return True
    return all(s.is_met for s in (*currents(case), *_recharge_of(case))) and carries(case)


def carries(case: Case) -> bool:
    """Say whether a supply that draws keeps the limits of its charge: the prescribed formula, its hours by the simulation, its cuts or its sun."""
    return all(s.is_met for s in _formula_of(case)) and case.run().carries(case.requirement.standby_h) and survives_season(case)


def standings(figures: Figures) -> tuple[Standing, ...]:
    """Return every limit of a supply whose hours are computed, the most used first."""
    case, result = figures.case, figures.result
    if case is None or result.holdover is None:
        return ()
    must_h, holdover_h = result.standby_h, result.holdover.expected
    hours = Standing(
        limit=Limit.HOURS, share_ratio=must_h / holdover_h if holdover_h > 0 else float("inf"), amount=holdover_h, allowed=must_h
    )
    found = (hours, *currents(case), *_formula(result), *_recharge(result), *_season(result))
    return tuple(sorted(found, key=lambda s: -s.share_ratio))


def currents(case: Case) -> tuple[Standing, ...]:
    """Return how far each limit on current is used: the output, the cells, and what the supply gives while mains is there. [A]"""
    return (*outputs(case), *_cells(case), *_mains(case))


def outputs(case: Case) -> tuple[Standing, ...]:
    """Return how much of the output limits the peaks take, where limits are known."""
    return tuple(
        Standing(limit=limit, share_ratio=a.peak / a.allowed, amount=a.peak, allowed=a.allowed, unit=a.quantity)
        for limit, in_alarm in ((Limit.OUTPUT_STANDBY, False), (Limit.OUTPUT_ALARM, True))
        for a in uses_of_output(case, in_alarm=in_alarm)
    )


def _cells(case: Case) -> tuple[Standing, ...]:
    """Return how far the greatest currents of the battery's cells are used, on average and at the peak. [A]"""
    if case.supply.bank is None:
        return ()
    mean_limit_a, peak_limit_a = cell_limits_a(case.supply.bank)
    mean_a = max(case.mean_current_a(in_alarm=state) for state in (False, True))
    peak_a = max(case.peak_current_a(in_alarm=state) for state in (False, True))
    pairs = ((mean_a, mean_limit_a), (peak_a, peak_limit_a))
    return tuple(Standing(limit=Limit.CELLS, share_ratio=a / most_a, amount=a, allowed=most_a) for a, most_a in pairs if most_a is not None)


def _mains(case: Case) -> tuple[Standing, ...]:
    """Return how much of the supply's own current the average standby takes while mains is there. [A]"""
    supply = case.supply
    if not supply.of_kind.shares_charger or supply.supply_current_a is None:
        return ()
    standby_a = case.mean_current_a(in_alarm=False)
    share = standby_a / supply.supply_current_a if supply.supply_current_a > 0 else float("inf")
    return (Standing(limit=Limit.MAINS, share_ratio=share, amount=standby_a, allowed=supply.supply_current_a),) if standby_a > 0 else ()


def _formula_of(case: Case) -> tuple[Standing, ...]:
    method = case.requirement.method
    if method is Method.SIMULATION:
        return ()
    asked_ah = size_by(method, duty_cycle_of(case), case.requirement, case, case.supply.nominal_v).required_ah
    return _formula_standing(asked_ah, case.bank.rated_c20_ah)


def _formula(result: SupplyResult) -> tuple[Standing, ...]:
    """Return how much of the rated capacity the prescribed formula asks for; none where the simulation is prescribed. [Ah]"""
    asked_ah = next((m.required_ah for m in result.methods if m.method is not Method.SIMULATION), None)
    return _formula_standing(asked_ah, result.rated_c20_ah or 0.0)


def _formula_standing(asked_ah: float | None, rated_ah: float) -> tuple[Standing, ...]:
    if asked_ah is None or rated_ah <= 0:
        return ()
    return (Standing(limit=Limit.FORMULA, share_ratio=asked_ah / rated_ah, amount=asked_ah, allowed=rated_ah),)


def _recharge_of(case: Case) -> tuple[Standing, ...]:
    found = recovery_beside(case.supply, case.mean_current_a(in_alarm=False))
    return () if found is None else _recharge_standing(found.recovery_h, case.requirement.recharge_h)


def _recharge(result: SupplyResult) -> tuple[Standing, ...]:
    """Return how much of the allowed recharge time is taken; none where none is required or the charger is not known. [h]"""
    return _recharge_standing(result.recovery_h, result.recharge_h) if "recovery" in result.workings else ()


def _season(result: SupplyResult) -> tuple[Standing, ...]:
    """Return the limit of a season that is not lived through; one that is leaves room that has no measure."""
    dies = (result.cuts is not None and not result.cuts.survives) or (result.solar is not None and not result.solar.sustains)
    return (Standing(limit=Limit.SEASON, share_ratio=float("inf"), amount=None, allowed=1.0),) if dies else ()


def _recharge_standing(hours_h: float | None, allowed_h: float | None) -> tuple[Standing, ...]:
    if allowed_h is None:
        return ()
    share = hours_h / allowed_h if hours_h is not None else float("inf")
    return (Standing(limit=Limit.RECHARGE, share_ratio=share, amount=hours_h, allowed=allowed_h),)
