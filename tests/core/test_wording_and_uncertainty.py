"""Quantities in words, no more precise than they deserve and never hiding a shortfall; how far off a current may be."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypomoni.core.outage.uncertainty import expected_a, limits_a
from ypomoni.core.telling.wording import (
    say_amp_hours,
    say_amp_hours_needed,
    say_amps,
    say_bank,
    say_hours,
    say_hours_over,
    say_hours_up,
    say_years,
)
from ypomoni.core.things.loads import Provenance, StatedCurrent
from ypomoni.core.things.metering import meter_limit_a


@pytest.mark.parametrize(
    ("current_a", "words"),
    [(0, "0 A"), (1.17, "1.17 A"), (0.9996, "1 A"), (0.0165, "16.5 mA"), (5.6e-6, "5.6 µA"), (0.0009999, "1 mA"), (12.345, "12.3 A")],
)
def test_amperes_are_said_with_the_prefix_that_suits(current_a, words):
    """A from 1 A, mA below, µA below 1 mA."""
    assert say_amps(current_a) == words


@pytest.mark.parametrize(
    ("hours_h", "words"),
    [
        (0, "0 min"),
        (0.42, "25 min"),
        (1.99, "110 min"),
        (9.66, "9.6 h"),
        (9.96, "9.9 h"),
        (33.4, "33 h"),
        (130.4, "130 h"),
        (288, "12 days"),
        (87600, "9.9 years"),
    ],
)
def test_times_have_two_digits_and_no_seconds(hours_h, words):
    """Minutes below two hours, days from ten; always down, so that no more is promised than there is."""
    assert say_hours(hours_h) == words


@given(st.floats(0.01, 5000), st.floats(0.0, 0.05))
def test_a_shortfall_or_an_excess_is_never_rounded_away(limit_h, part):
    """A time just under its limit never reads as the limit, one just over never as less."""
    under_h, over_h = limit_h * (1 - part), limit_h * (1 + part)
    limit_words = {say_hours(limit_h), say_hours_over(limit_h, limit_h)}
    if part > 1e-3:
        assert say_hours(under_h, must_h=limit_h) not in limit_words or say_hours(limit_h) != f"{limit_h:g} h"
        assert say_hours(under_h, must_h=limit_h) != say_hours_over(over_h, limit_h)


def test_just_under_and_just_over_are_said_so():
    """23.9 of 24, 23.99999 of 24, 24.2 over 24."""
    assert say_hours(23.9, must_h=24) == "23.9 h"
    assert say_hours(23.99999, must_h=24) == "just under 24 h"
    assert say_hours(24.2, must_h=24) == "24 h"
    assert say_hours(23.7, must_h=24) == "23.7 h"
    assert say_hours_over(24.2, 24) == "24.2 h"
    assert say_hours_up(9.61) == "9.7 h"
    assert say_amp_hours_needed(7.04, over_ah=7) == "7.1 Ah"
    assert say_amp_hours_needed(27.004, over_ah=27) == "28 Ah"
    assert say_years(2.76) == "2.5 years"
    assert say_hours_over(24.00001, 24) == "just over 24 h"


def test_charges_and_banks_in_words():
    """Ah and mAh; how blocks are joined; a rate only where it is not the usual one."""
    assert say_amp_hours(0.0421) == "42 mAh"
    assert say_amp_hours(46.2) == "46 Ah"
    assert say_bank(1, 1, 12, 7) == "12 V 7 Ah"
    assert say_bank(2, 1, 12, 100, 10) == "2 × 12 V 100 Ah at 10 h in series"
    assert say_bank(2, 2, 6, 12) == "4 × 6 V 12 Ah, 2 strings of 2"


def test_a_meter_is_off_by_its_percent_and_three_digits_of_its_range():
    """65 mA on 400 mA of 4,000 counts: 0.65 + 0.3 mA; the least reading has the same rule, nothing has none."""
    assert meter_limit_a(0.065) == pytest.approx(0.00065 + 0.0003)
    assert meter_limit_a(0.4) == pytest.approx(0.004 + 0.0003)
    assert meter_limit_a(0.41) == pytest.approx(0.0041 + 0.003)
    assert meter_limit_a(0.0) == 0.0


@given(st.floats(0, 100), st.sampled_from(list(Provenance)))
def test_what_is_expected_lies_within_its_limits_and_measured_beats_all(current_a, provenance):
    """Nameplate 0.7 in 0.4 to 1.0, data sheet ±15 %, estimate ±40 %; a measurement is never wider than a data sheet down to a microampere."""
    stated = StatedCurrent(current_a=current_a, provenance=provenance)
    low_a, high_a = limits_a(stated)
    assert 0 <= low_a <= expected_a(stated) <= high_a
    if provenance is Provenance.NAMEPLATE:
        assert (low_a, expected_a(stated), high_a) == pytest.approx((0.4 * current_a, 0.7 * current_a, current_a))
    if provenance is Provenance.MEASURED and current_a > 1e-6:
        assert high_a - low_a < 0.3 * current_a
