"""What timed discharges say of a bank: below what it must have, worse than the time before, better than new.

A test that was stopped gives a lower bound: it condemns nothing.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from ypomoni.core.telling.results import DischargeResult, Finding, Severity
from ypomoni.core.telling.wording import plain_number, say_percent
from ypomoni.core.things.batteries import REPLACE_BELOW_RATIO, Bank
from ypomoni.core.things.discharge_tests import DischargeTest
from ypomoni.core.things.supplies import Supply

DEGRADED_BY_RATIO = 0.10
BETTER_ABOVE_RATIO = 1.05
ROUNDING = 1e-9


@dataclass(frozen=True, slots=True)
class _Told:
    """A test with a figure."""

    test: DischargeTest
    result: DischargeResult
    ratio: float


def judge_tests(supply: Supply, tests: Sequence[DischargeTest], results: Sequence[DischargeResult]) -> tuple[Finding, ...]:
    """Return what the timed discharges of a bank give rise to; those made before its blocks were fitted were of another."""
    told = [
        _Told(t, r, r.test_ratio)
        for t, r in zip(tests, results, strict=True)
        if r.test_ratio is not None and not _is_of_another(supply.bank, t)
    ]
    if not told:
        return ()
    last, found = told[-1], list[Finding]()
    # A test that was stopped says *at least so much*: only one that was run to its end condemns.
    whole = next((n for n in range(len(told) - 1, -1, -1) if not told[n].result.is_lower_bound), None)
    if whole is not None:
        # What was stopped later and had done better by then takes its word back.
        ratio = max(t.ratio for t in told[whole:])
        if ratio < REPLACE_BELOW_RATIO - ROUNDING:
            found.append(_replace(supply, told[whole]))
        if whole > 0 and told[whole - 1].ratio - ratio > DEGRADED_BY_RATIO + ROUNDING:
            found.append(_degraded(supply, told[whole - 1], told[whole]))
    if last.ratio > BETTER_ABOVE_RATIO + ROUNDING:
        found.append(_better(supply, last))
    return tuple(found)


def _is_of_another(bank: Bank | None, test: DischargeTest) -> bool:
    # From the day the first of its blocks was fitted a test may be of this bank. ISO dates rise as text does.
    fitted = [b.fitted for b in bank.blocks if b.fitted is not None] if bank else []
    return bool(fitted) and test.at.date().isoformat() < min(fitted)


def _replace(supply: Supply, told: _Told) -> Finding:
    return Finding(
        code="replace_below_80",
        severity=Severity.FAILS,
        evidence=f"The battery of {supply.name} gave {say_percent(told.ratio)} of a new one in the test of {told.test.at:%d %b %Y}.",
        source=f"replace below {say_percent(REPLACE_BELOW_RATIO)} of rated",
        way_out="Renew the battery, all blocks of the bank together. Enter under Power, Bank, when they were fitted: tests from before count no more.",
    )


def _degraded(supply: Supply, before: _Told, last: _Told) -> Finding:
    return Finding(
        code="degraded_since",
        severity=Severity.RISK,
        evidence=f"The battery of {supply.name} went from {say_percent(before.ratio)} to {say_percent(last.ratio)} between the tests of "
        f"{before.test.at:%d %b %Y} and {last.test.at:%d %b %Y}.",
        source=f"more than {plain_number(100 * DEGRADED_BY_RATIO)} points from one test to the next is degradation",
        way_out="Look for heat, a wrong charge voltage or one bad block, and test again within months.",
    )


def _better(supply: Supply, told: _Told) -> Finding:
    return Finding(
        code="better_than_new",
        severity=Severity.NOTE,
        evidence=f"The test of {told.test.at:%d %b %Y} gives {say_percent(told.ratio)} of a new battery of {supply.name}: more than there can be.",
        source=f"no battery gives more than about {say_percent(BETTER_ABOVE_RATIO)}",
        way_out="Look at the reading: current, time, end voltage, and the capacity that is entered.",
    )
