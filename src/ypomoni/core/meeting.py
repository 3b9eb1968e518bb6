"""What a supply must meet, each limit with how much of it is used. Called by the balance board's offers and by the optimiser.

The same limits as those behind the verdict `fails`: hours, prescribed formula, output in both states, recharge. All of them only get worse
with more load.
"""

from dataclasses import dataclass
from enum import StrEnum

from ypomoni.core.case import Case
from ypomoni.core.loads import Load
from ypomoni.core.recovery import Recovery, charge_current_a, simulate_recovery
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import size_by
from ypomoni.core.sizing.profile import profile_of
from ypomoni.core.supplies import Supply

ROUNDING_RATIO = 1e-9


class Limit(StrEnum):
    """What a supply can fail of."""

    OUTPUT_STANDBY = "output_standby"
    OUTPUT_ALARM = "output_alarm"
    RECHARGE = "recharge"
    FORMULA = "formula"
    HOURS = "hours"


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """How much of one limit is used: at most 1 is met. ``value`` and ``limit_value`` are in A, h or Ah by the kind of limit."""

    limit: Limit
    share_ratio: float
    amount: float | None
    allowed: float

    @property
    def is_met(self) -> bool:
        """Whether the supply keeps this limit."""
        return self.share_ratio <= 1 + ROUNDING_RATIO


def can_be_computed(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether hours can be named for a supply with these loads: it is modelled, feeds no AC, and has a bank."""
    return supply.is_modelled and supply.bank is not None and not any(load.ac for load in loads)


def meets(supply: Supply, loads: tuple[Load, ...]) -> bool:
    """Say whether a supply with these loads keeps all its limits; the cheap ones are asked first."""
    if not loads and supply.own_current_a == 0:
        return True
    if not can_be_computed(supply, loads):
        return False
    case = Case(supply, loads)
    if case.draws_nothing:
        return True
    return all(s.is_met for s in (*outputs(case), *recharge(case))) and carries(case)


def carries(case: Case) -> bool:
    """Say whether a supply that draws keeps the limits of its charge: the prescribed formula, and its hours by the simulation."""
    return all(s.is_met for s in formula(case)) and case.outage().carries(case.requirement.standby_h)


def standings(case: Case) -> tuple[Standing, ...]:
    """Return every limit of a supply that has a bank and draws, the most used first."""
    must_h = case.requirement.standby_h
    holdover_h = case.holdover().holdover_h
    hours = Standing(
        limit=Limit.HOURS, share_ratio=must_h / holdover_h if holdover_h > 0 else float("inf"), amount=holdover_h, allowed=must_h
    )
    found = (hours, *outputs(case), *formula(case), *recharge(case))
    return tuple(sorted(found, key=lambda s: -s.share_ratio))


def outputs(case: Case) -> tuple[Standing, ...]:
    """Return how much of the output limits the peaks take, where limits are known. [A]"""
    found: list[Standing] = []
    for limit, in_alarm in ((Limit.OUTPUT_STANDBY, False), (Limit.OUTPUT_ALARM, True)):
        allowed_a = case.supply.output_limit_of(in_alarm=in_alarm)
        if allowed_a is not None:
            peak_a = case.peak_current_a(in_alarm=in_alarm)
            found.append(Standing(limit=limit, share_ratio=peak_a / allowed_a, amount=peak_a, allowed=allowed_a))
    return tuple(found)


def formula(case: Case) -> tuple[Standing, ...]:
    """Return how much of the rated capacity the prescribed formula asks for; none where the simulation is prescribed. [Ah]"""
    method = case.requirement.method
    if method is Method.SIMULATION:
        return ()
    asked_ah = size_by(method, profile_of(case), case.requirement, case, case.supply.nominal_v).required_ah
    rated_ah = case.bank.rated_c20_ah
    if asked_ah is None:
        return ()
    return (Standing(limit=Limit.FORMULA, share_ratio=asked_ah / rated_ah, amount=asked_ah, allowed=rated_ah),)


def recharge(case: Case) -> tuple[Standing, ...]:
    """Return how much of the allowed recharge time is taken; none where none is required or the charger is not known. [h]"""
    allowed_h = case.requirement.recharge_h
    found = recovery_beside(case.supply, case.mean_current_a(in_alarm=False))
    if allowed_h is None or found is None:
        return ()
    hours_h = found.recovery_h
    return (
        Standing(
            limit=Limit.RECHARGE,
            share_ratio=hours_h / allowed_h if hours_h is not None else float("inf"),
            amount=hours_h,
            allowed=allowed_h,
        ),
    )


def recovery_beside(supply: Supply, standby_current_a: float) -> Recovery | None:
    """Return the recovery of a supply's bank beside a standby load; None for cells that are not charged or a charger that is not known."""
    bank = supply.bank
    if bank is None or bank.chemistry.is_primary or supply.charge_limit_a is None or supply.supply_current_a is None:
        return None
    if supply.charge_v is None and not bank.chemistry.charges_at_constant_current:
        return None
    return simulate_recovery(
        bank,
        condition_ratio=bank.condition_today_ratio(supply.typical_degc),
        temperature_degc=supply.typical_degc,
        current_a=charge_current_a(supply.charge_limit_a, supply.supply_current_a, standby_current_a),
        charge_v=supply.charge_v,
        to_ratio=supply.requirement.recharge_to_ratio,
    )
