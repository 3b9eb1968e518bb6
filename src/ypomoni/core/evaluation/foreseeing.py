"""What a discharge test is foreseen to do, fixed before it begins: hours with their band, the volts on the way, and until when the site is weak.

Loads that cycle are foreseen from their average with a band that their currents are in, never from what they draw at an instant.
"""

from dataclasses import dataclass, replace
from datetime import UTC, datetime

from ypomoni.core.evaluation.figures import compute_currents, compute_figures
from ypomoni.core.outage.recharge import recovery_beside
from ypomoni.core.outage.testing import SLOW_FROM_H, discharge_volts, result_of_test
from ypomoni.core.telling.results import Band
from ypomoni.core.things.discharge_tests import DischargeEnd, DischargeTest
from ypomoni.core.things.loads import Load
from ypomoni.core.things.supplies import Supply

# From this share of its charge on a site is no longer called weak.
STRONG_AGAIN_RATIO = 0.80
TRIED_H = (2 * SLOW_FROM_H, SLOW_FROM_H / 2)
POINTS_COUNT = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Foreseen:
    """A test before it begins. [A, h] ``volts`` are (hours, V) on the way. ``weak_h`` is how long the recharge takes to 80 % after it; None: not known."""

    mean_a: float
    band: Band
    volts: tuple[tuple[float, float], ...]
    weak_h: float | None


def foresee_discharge(
    supply: Supply, loads: tuple[Load, ...], *, temperature_degc: float, current_a: float | None, end_v: float
) -> Foreseen | None:
    """Return what a discharge to an end voltage is foreseen to do, by a constant current, or by the loads where that is None.

    None where there is no battery, nothing draws, the end lies above a full battery, or the temperature is outside what is tabled.
    """
    bank = supply.bank
    if bank is None or end_v >= bank.full_v or not bank.chemistry.covers(temperature_degc):
        return None
    standby_a = compute_currents(supply, loads).result.standby_current_a
    mean_a = standby_a if current_a is None else current_a
    if mean_a is None or mean_a <= 0:
        return None
    band = _of_loads(supply, loads, temperature_degc, end_v) if current_a is None else None
    # Whether the slow row or the fast one counts is seen from either end; where neither agrees with itself, the fast one is taken.
    slow, fast = (_test(supply, temperature_degc, mean_a, end_v, tried_h) for tried_h in TRIED_H)
    test, predicted = slow, result_of_test(supply, slow).predicted
    if predicted is not None and predicted.expected < SLOW_FROM_H:
        test, predicted = fast, result_of_test(supply, fast).predicted
    if predicted is None:
        return None
    if current_a is not None:
        band = predicted
    if band is None:
        return None
    recovery = recovery_beside(
        replace(supply, requirement=replace(supply.requirement, recharge_to_ratio=STRONG_AGAIN_RATIO)), standby_a or 0.0
    )
    return Foreseen(
        mean_a=mean_a,
        band=band,
        volts=tuple(discharge_volts(supply, bank, test, mean_a, POINTS_COUNT)),
        weak_h=None if recovery is None else recovery.recovery_h,
    )


def _test(supply: Supply, temperature_degc: float, current_a: float, end_v: float, ran_h: float) -> DischargeTest:
    return DischargeTest(
        key="",
        supply_key=supply.key,
        at=datetime(2000, 1, 1, tzinfo=UTC),
        temperature_degc=temperature_degc,
        ran_h=ran_h,
        ended=DischargeEnd.END_VOLTAGE,
        end_v=end_v,
        current_a=current_a,
    )


def _of_loads(supply: Supply, loads: tuple[Load, ...], temperature_degc: float, end_v: float) -> Band | None:
    """Return the hours of an outage in standby alone at the test's temperature, down to its end voltage, with what is not known of the currents."""
    tested = replace(
        supply,
        cutoff_v=max(end_v, supply.cutoff_v or 0.0),
        typical_degc=temperature_degc,
        min_degc=temperature_degc,
        max_degc=None,
        requirement=replace(supply.requirement, alarm_min=0.0),
    )
    return compute_figures(tested, loads, in_full=True).result.holdover
