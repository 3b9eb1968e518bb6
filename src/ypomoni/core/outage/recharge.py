"""Recharge while the load is carried: the law of `law` run backwards, at the charger's limit until the set voltage lets in less.

Nickel-metal hydride is charged at constant current.
"""

import math
from dataclasses import dataclass

from ypomoni.core.bracketing import bracket
from ypomoni.core.chemistries import Chemistry
from ypomoni.core.outage.law import accepted_a, charge
from ypomoni.core.outage.walk import Stop, walk
from ypomoni.core.things.batteries import Bank, Pack, build_pack
from ypomoni.core.things.supplies import Supply

LONGEST_H = 24.0 * 365.0
CV_STEP_H = 0.02
# So close below what a set voltage fills at rest the last of the charge goes in ever more slowly. [L]
ASYMPTOTE_RATIO = 0.03


@dataclass(frozen=True, slots=True, kw_only=True)
class Recovery:
    """Hours until the bank is back to a share of its present capacity (None: never), and how it got there."""

    recovery_h: float | None
    charge_current_a: float
    start_missing_ah: float
    target_missing_ah: float
    constant_current_h: float


def charge_current_a(supply: Supply, standby_current_a: float) -> float | None:
    """Return what is left for the bank beside its load: max(0, min(limit, supply − standby)); None where that is not known. [A]

    Where mains carries the loads, the charger has the battery alone to feed.
    """
    if supply.of_kind.is_sunlit:
        return _in_full_sun_a(supply, standby_current_a)
    if supply.charge_limit_a is None:
        return None
    if supply.of_kind.mains_carries:
        return supply.charge_limit_a
    return None if supply.supply_current_a is None else max(0.0, min(supply.charge_limit_a, supply.supply_current_a - standby_current_a))


def _in_full_sun_a(supply: Supply, standby_current_a: float) -> float | None:
    """Return what full sun leaves for the bank; no limit stated is none but the panel's. [A]"""
    if supply.solar is None or not supply.solar.has_figures:
        return None
    sun_a = supply.solar.current_a(supply.charge_v, supply.nominal_v)
    return max(0.0, min(math.inf if supply.charge_limit_a is None else supply.charge_limit_a, sun_a - standby_current_a))


def recovery_beside(supply: Supply, standby_current_a: float) -> Recovery | None:
    """Return the recovery of a supply's bank beside a standby load; None for cells that are not charged or a charger that is not known."""
    current_a = charge_current_a(supply, standby_current_a)
    # What the sun takes to bring it back is a matter of days: see `seasons.sun`.
    return None if current_a is None or supply.of_kind.is_sunlit else recovery_with(supply, current_a)


def is_promised(supply: Supply) -> bool:
    """Say whether an hour can be promised for a recharge: not where lithium-ion lies on the asymptote of its set voltage.

    Set to 4.10 V a cell it goes to about 90 %, and cells differ in whether and when they get there.
    """
    bank = supply.bank
    by = bank.chemistry.by_voltage if bank else None
    if by is None or by.part_charge_is_sure or supply.starts_at_ratio >= 1.0:
        return True
    return supply.requirement.recharge_to_ratio <= supply.starts_at_ratio - ASYMPTOTE_RATIO


def recovery_with(supply: Supply, current_a: float) -> Recovery | None:
    """Return the recovery of a supply's bank with a charge current; None where it is not charged or the set voltage is not known."""
    bank = supply.bank
    if bank is None or bank.chemistry.is_primary:
        return None
    if supply.charge_v is None and not bank.chemistry.charges_at_constant_current:
        return None
    return simulate_recovery(
        bank,
        condition_ratio=bank.condition_today_ratio(supply.typical_degc),
        temperature_degc=supply.typical_degc,
        current_a=current_a,
        charge_v=supply.charge_v,
        to_ratio=supply.requirement.recharge_to_ratio,
    )


def discharged_at_20h(pack: Pack, end_v: float) -> Stop:
    """Return where a full pack stops that is discharged at C/20 to its end voltage."""
    rate_a = pack.c20_ah / 20.0
    return walk(pack, end_v, 0.0, 0.0, [(0.0, rate_a, 0.0, 0.0)], pack.capacity_ah / rate_a)


def simulate_recovery(
    bank: Bank, *, condition_ratio: float, temperature_degc: float, current_a: float, charge_v: float | None, to_ratio: float
) -> Recovery:
    """Return the recovery of a bank that was discharged at C/20 to its end voltage.

    Parameters
    ----------
    current_a
        Greatest current into the bank. [A]
    charge_v
        Set voltage at the bank's terminals; not needed for chemistries charged at constant current. [V]
    to_ratio
        Share of present capacity that counts as recovered, 1 − u/q.
    """
    pack = build_pack(bank, condition_ratio=condition_ratio, temperature_degc=temperature_degc)
    chemistry = bank.chemistry
    q = pack.capacity_ah
    stop = discharged_at_20h(pack, bank.end_v)
    target_ah = (1.0 - to_ratio) * q
    # What a bank gives at C/20 down to its end may be less than what may stay missing.
    if stop.u_ah <= target_ah:
        return _recovery(0.0, current_a, stop.u_ah, target_ah, 0.0)
    if current_a <= 0.0:
        return _recovery(None, current_a, stop.u_ah, target_ah, 0.0)
    into_a = chemistry.charge_ratio * current_a
    until_target_h = (stop.u_ah - target_ah) / into_a
    if chemistry.charges_at_constant_current or charge_v is None:
        hours_h = until_target_h if until_target_h <= LONGEST_H else None
        return _recovery(hours_h, current_a, stop.u_ah, target_ah, hours_h or 0.0)
    return _charge(pack, chemistry, stop.u_ah, stop.d_ah, current_a, charge_v, target_ah, until_target_h)


def _charge(
    pack: Pack, chemistry: Chemistry, u0: float, d0: float, current_a: float, charge_v: float, target_ah: float, until_target_h: float
) -> Recovery:
    eta = chemistry.charge_ratio

    def let_in_a(u: float, d: float) -> float:
        return accepted_a(pack, chemistry, charge_v, u, d)

    def charged(u: float, d: float, i: float, dt: float) -> tuple[float, float]:
        return charge(pack, chemistry, u, d, i, dt)

    # Constant current: the head only rises, so the set voltage takes over once and for good.
    def takes_all(t: float) -> bool:
        return let_in_a(*charged(u0, d0, current_a, t)) >= current_a

    # At rest it lies still where the set voltage lets nothing in any more: what is beyond that is never reached.
    if let_in_a(target_ah, 0.0) <= 0.0:
        longest_h = min(until_target_h, LONGEST_H)
        return _recovery(None, current_a, u0, target_ah, bracket(takes_all, 0.0, longest_h, rounds=50)[0])
    longest_h = min(until_target_h, LONGEST_H)
    if takes_all(longest_h):
        return _recovery(longest_h if until_target_h <= LONGEST_H else None, current_a, u0, target_ah, longest_h)
    t = constant_h = bracket(takes_all, 0.0, longest_h, rounds=50)[0]
    u, d = charged(u0, d0, current_a, t)
    dt = CV_STEP_H
    while t < LONGEST_H:
        # The current at the middle of a step stands for the step: what the set voltage lets in falls all the time.
        i0 = min(current_a, let_in_a(u, d))
        i = min(current_a, let_in_a(*charged(u, d, i0, 0.5 * dt)))
        u1, d1 = charged(u, d, i, dt)
        if u1 <= target_ah:
            return _recovery(t + dt * (u - target_ah) / (u - u1), current_a, u0, target_ah, constant_h)
        # It lets in less and less: if today's current would not do it within a year, no later one does.
        if eta * i * (LONGEST_H - t) < u1 - target_ah:
            break
        change = abs(i - i0) / i0 if i0 > 0 else 0.0
        t, u, d = t + dt, u1, d1
        # The current falls ever more slowly towards full, so steps grow with it; a step that moved too much is followed by a shorter one.
        dt = min(2 * dt, max(0.25, 0.01 * t)) if change < 0.002 else max(0.5 * dt, 0.005) if change > 0.02 else dt
    return _recovery(None, current_a, u0, target_ah, constant_h)


def closed_form_h(start_missing_ah: float, target_missing_ah: float, into_a: float, tau_h: float) -> float:
    """Return the textbook check: constant current until m = η·I·τ, then m falls as e^(−t/τ). [h]

    Parameters
    ----------
    into_a
        η·I_c, what is stored of the charge current. [A]
    """
    # What is missing when the set voltage takes over; from there it falls as e^(−t/τ).
    knee_ah = into_a * tau_h
    if target_missing_ah >= knee_ah:
        return (start_missing_ah - target_missing_ah) / into_a
    first_ah = min(start_missing_ah, knee_ah)
    return (start_missing_ah - first_ah) / into_a + tau_h * math.log(first_ah / target_missing_ah)


def _recovery(hours_h: float | None, current_a: float, start_ah: float, target_ah: float, constant_h: float) -> Recovery:
    return Recovery(
        recovery_h=hours_h,
        charge_current_a=current_a,
        start_missing_ah=start_ah,
        target_missing_ah=target_ah,
        constant_current_h=constant_h,
    )
