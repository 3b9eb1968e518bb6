"""Quantities as people write them: read, asked back, refused; what is shown reads back as the same number."""

import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ypomoni.documents import quantities as q
from ypomoni.records import kinds


@pytest.mark.parametrize(
    ("text", "current_a", "rail_v"),
    [
        ("350 mA", 0.35, None),
        ("350mA", 0.35, None),
        ("0,35 A", 0.35, None),
        (".35 a", 0.35, None),
        ("5.6 µA", 5.6e-6, None),
        ("5.6 μA", 5.6e-6, None),
        ("5,6 uA", 5.6e-6, None),
        ("1200 mA", 1.2, None),
        ("1 200 mA", 1.2, None),
        ("1,200.5 mA", 1.2005, None),
        ("1.200,5 mA", 1.2005, None),
        ("0,350 A", 0.35, None),
        ("3.5e-3 A", 0.0035, None),
        ("４２ mA", 0.042, None),
        ("0 mA", 0.0, None),
        ("4.2 W @ 12 V", 0.35, 12.0),
        ("18 W@12", 1.5, 12.0),
        ("250 mW @ 5 V", 0.05, 5.0),
    ],
)
def test_a_current_is_read_as_it_is_written(text, current_a, rail_v):
    """Points and commas, prefixes, spaces, other encodings, watts at volts."""
    value, rail = q.read_current(text)
    assert value == pytest.approx(current_a, rel=1e-12)
    assert rail == rail_v


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("1,200 mA", "could be 1.2 mA or 1200 mA"),
        ("350", "350 has no unit. Write 350 mA or 350 A"),
        ("", "must not be empty"),
        ("   ", "must not be empty"),
        ("lots", "must be a current as in 350 mA"),
        ("-350 mA", "must not be negative"),
        ("NaN A", "must be a current"),
        ("inf A", "must be a current"),
        ("1e999 A", "at most 1000 A"),
        ("5000 A", "at most 1000 A"),
        ("12 V", "has the unit “V”, which is no current"),
        ("350 MA", "has the unit “MA”"),
        ("18 W", "Say at which voltage, as in 18 W @ 12 V"),
        ("20 VA", "VA is not W"),
        ("4.2 W @", "watts before the @ and volts after it"),
        ("4.2 W @ 0 V", "at least 0.001 V"),
        ("1.2.3 mA", "must be one number"),
        ("٣٥٠ mA x", "has the unit|must be a current"),
        ("9" * 90 + " mA", "too long"),
    ],
)
def test_a_text_that_is_no_clear_current_is_asked_back_with_what_would_be_right(text, says):
    """Never guessed."""
    with pytest.raises(q.QuantityTextError, match=says):
        q.read_current(text)


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("12", kinds.VOLTAGE, 12.0),
        ("13,65 V", kinds.VOLTAGE, 13.65),
        ("30 min", kinds.HOURS, 0.5),
        ("3 days", kinds.HOURS, 72.0),
        ("80", kinds.RATIO, 80.0),
        ("80 %", kinds.RATIO, 80.0),
        ("−5 °C", kinds.TEMPERATURE, -5.0),
        ("6 an hour", kinds.PER_HOUR, 6.0),
        ("1 a day", kinds.PER_HOUR, 1 / 24),
        ("18 months", kinds.YEARS, 1.5),
        ("7Ah", kinds.CHARGE, 7.0),
    ],
)
def test_other_quantities_have_one_unit_and_may_be_bare(text, kind, value):
    """Where the field has a unit of its own, a bare number means that unit."""
    assert q.read_quantity(text, kind) == pytest.approx(value)


@given(st.floats(0, 1000, allow_nan=False))
def test_a_current_that_is_shown_reads_back_as_the_same(current_a):
    """From nothing to a thousand amperes, µA in full precision."""
    assert q.read_current(q.show_current(current_a))[0] == pytest.approx(current_a, rel=1e-12, abs=1e-15)


@given(st.text(max_size=100))
def test_any_text_is_read_or_refused_in_words(text):
    """No text raises anything else."""
    value = 0.0
    with contextlib.suppress(q.QuantityTextError):
        value, _ = q.read_current(text)
    assert 0 <= value <= 1000
