"""What a timed discharge says of a bank: how it compares with a new one, its condition for the model, and whether it came as predicted.

The test per cent is not the condition: its resistance would count twice. From 3 h on a test is slow and the low-rate row of the temperature
table counts; shorter ones go by the IEEE row.
"""

import math

from ypomoni.core.bracketing import bracket
from ypomoni.core.errors import OutsideTableError
from ypomoni.core.outage.band import band_of
from ypomoni.core.outage.law import terminal
from ypomoni.core.outage.uncertainty import CONDITION_SPREAD_RATIO, capacity_spread_ratio
from ypomoni.core.outage.walk import walk
from ypomoni.core.telling.results import Band, DischargeResult
from ypomoni.core.things.batteries import Bank, build_pack
from ypomoni.core.things.discharge_tests import DischargeEnd, DischargeTest
from ypomoni.core.things.supplies import Supply

SLOW_FROM_H = 3.0
REFERENCE_DEGC = 25.0
# What a slow test is corrected by for its temperature. [1/°C, M]
PER_DEGC_RATIO = 0.006
MOST_CONDITION_RATIO = 1.05
LEAST_CONDITION_RATIO = 0.02
LONGEST_H = 2_000.0


def result_of_test(supply: Supply, test: DischargeTest) -> DischargeResult:
    """Return what a test of a supply's bank comes to; nothing of it where the bank, the current or the temperature is beyond what is known."""
    bank, current_a = supply.bank, test.mean_current_a
    stopped = test.ended is DischargeEnd.STOPPED
    blank = DischargeResult(key=test.key, test_ratio=None, condition_ratio=None, is_lower_bound=stopped, predicted=None, inside_band=None)
    # What ended above a full battery was no test of this one.
    if bank is None or current_a is None or current_a <= 0 or test.end_v >= bank.full_v:
        return blank
    try:
        predicted = _predicted(supply, bank, test, current_a)
        return DischargeResult(
            key=test.key,
            test_ratio=_test_ratio(bank, test, current_a),
            condition_ratio=_condition_ratio(supply, bank, test, current_a),
            is_lower_bound=stopped,
            predicted=predicted,
            inside_band=_is_inside(test, predicted),
        )
    except OutsideTableError:
        return blank


def is_slow(test: DischargeTest) -> bool:
    """Say whether a test is long enough for the low-rate row."""
    return test.ran_h >= SLOW_FROM_H


def run_h(
    bank: Bank,
    current_a: float,
    end_v: float,
    *,
    condition_ratio: float,
    temperature_degc: float,
    sizing: bool,
    capacity_ratio: float = 1.0,
) -> float:
    """Return how long a bank carries a constant current from full to an end voltage. [h]"""
    pack = build_pack(
        bank, condition_ratio=condition_ratio, temperature_degc=temperature_degc, sizing=sizing, capacity_ratio=capacity_ratio
    )
    longest_h = min(LONGEST_H, 1.01 * pack.capacity_ah / current_a + 0.01)
    return walk(pack, end_v, 0.0, 0.0, [(0.0, current_a, 0.0, 0.0)], longest_h).t_h


def _test_ratio(bank: Bank, test: DischargeTest, current_a: float) -> float | None:
    """Return the test per cent as a share: by time for slow tests, by current for short ones. [ratio]"""
    if is_slow(test):
        rated_h = run_h(bank, current_a, test.end_v, condition_ratio=1.0, temperature_degc=REFERENCE_DEGC, sizing=False)
        if rated_h <= 0:
            return None
        # A slow test is of the charge, corrected by so much a degree; a short one, below, is of the current at its own temperature.
        return test.ran_h / rated_h / (1.0 + PER_DEGC_RATIO * (test.temperature_degc - REFERENCE_DEGC))

    def lasts(tried_a: float) -> bool:
        new_h = run_h(bank, tried_a, test.end_v, condition_ratio=1.0, temperature_degc=test.temperature_degc, sizing=True)
        return new_h >= test.ran_h

    low_a, high_a = bracket(lasts, 1e-4 * bank.rated_c20_ah, 200.0 * bank.rated_c20_ah, rounds=60, by_ratio=True)
    return current_a / math.sqrt(low_a * high_a)


def followed_to_v(supply: Supply, bank: Bank, test: DischargeTest) -> float:
    """Return the voltage a test is followed to: its end, or, where it was stopped, that at which the supply would have cut off. [V]"""
    if test.ended is DischargeEnd.END_VOLTAGE:
        return test.end_v
    return min(test.end_v, supply.cutoff_v if supply.cutoff_v is not None else bank.end_v)


def _condition_ratio(supply: Supply, bank: Bank, test: DischargeTest, current_a: float) -> float:
    """Return the condition for which the simulation at the test's temperature ends when the test did, at most 1.05. [ratio]"""
    end_v = followed_to_v(supply, bank, test)

    def ends_sooner(condition_ratio: float) -> bool:
        hours_h = run_h(
            bank,
            current_a,
            end_v,
            condition_ratio=condition_ratio,
            temperature_degc=test.temperature_degc,
            sizing=not is_slow(test),
        )
        return hours_h < test.ran_h

    # No condition is called better than this: blocks differ from their label by so much.
    if ends_sooner(MOST_CONDITION_RATIO):
        return MOST_CONDITION_RATIO
    low, high = bracket(ends_sooner, LEAST_CONDITION_RATIO, MOST_CONDITION_RATIO, rounds=50)
    return 0.5 * (low + high)


def _predicted(supply: Supply, bank: Bank, test: DischargeTest, current_a: float) -> Band:
    """Return what the model says of a test with the bank as it is stated, its capacity and its condition being what is not known. [h]"""
    stated = bank.condition_today_ratio(supply.typical_degc)
    end_v = followed_to_v(supply, bank, test)

    def hours_h(condition_ratio: float, capacity_ratio: float = 1.0) -> float:
        return run_h(
            bank,
            current_a,
            end_v,
            condition_ratio=max(condition_ratio, LEAST_CONDITION_RATIO),
            temperature_degc=test.temperature_degc,
            sizing=not is_slow(test),
            capacity_ratio=capacity_ratio,
        )

    expected_h, spread = hours_h(stated), capacity_spread_ratio(bank, current_a)
    ends = [(hours_h(stated, 1 - spread), hours_h(stated, 1 + spread))]
    if bank.condition_ratio is None:
        ends.append((hours_h(stated - CONDITION_SPREAD_RATIO), hours_h(stated + CONDITION_SPREAD_RATIO)))
    falls, rises = (
        [_log(a, b) for a, b in pairs] for pairs in ([(expected_h, bad) for bad, _ in ends], [(good, expected_h) for _, good in ends])
    )
    return band_of(expected_h, math.hypot(*falls), math.hypot(*rises))


def _log(over: float, under: float) -> float:
    if over <= 0:
        return 0.0
    return 12.0 if under <= 0 else max(0.0, math.log(over / under))


def _is_inside(test: DischargeTest, predicted: Band) -> bool | None:
    # It had not come to where it could have shown anything.
    if test.ended is DischargeEnd.STOPPED and test.ran_h < predicted.low:
        return None
    return predicted.low * (1 - 1e-9) <= test.ran_h <= predicted.high * (1 + 1e-9)


def discharge_volts(supply: Supply, bank: Bank, test: DischargeTest, current_a: float, points_count: int = 80) -> list[tuple[float, float]]:
    """Return what the bank as it is stated is predicted to show on the way of a test: hours and volts, to its end."""
    pack = build_pack(
        bank,
        condition_ratio=bank.condition_today_ratio(supply.typical_degc),
        temperature_degc=test.temperature_degc,
        sizing=not is_slow(test),
    )
    end_v = followed_to_v(supply, bank, test)
    stretch = [(0.0, current_a, 0.0, 0.0)]
    last_h = walk(pack, end_v, 0.0, 0.0, stretch, min(LONGEST_H, 1.01 * pack.capacity_ah / current_a + 0.01)).t_h
    found: list[tuple[float, float]] = []
    for n in range(1, points_count + 1):
        t_h = last_h * n / points_count
        # With no end voltage, since the volts just before the end are wanted as well.
        stop = walk(pack, -1e9, 0.0, 0.0, stretch, t_h)
        found.append((t_h, terminal(pack, stop.u_ah, stop.d_ah, current_a, 0.0, 0.0)[1]))
    return found
