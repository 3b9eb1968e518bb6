"""The log of a meter: every cell by its own unit, what can be read two ways asked, an hour that comes again kept in its order."""

import pytest

from ypomoni.documents.current_log import read_current_log
from ypomoni.documents.tables import TableError


def log(*currents, heading="time;current [mA]", times=None):
    """Return a log of these currents, ten seconds apart."""
    times = times or [f"10:{n // 6:02d}:{n % 6 * 10:02d}" for n in range(len(currents))]
    return "\n".join([heading, *(f"{t};{c}" for t, c in zip(times, currents, strict=True))])


def test_a_meter_that_changes_its_range_changes_its_unit():
    """1.203 A after 64.9 mA is 1.203 A; where no cell says its unit the heading does; where nothing does it is asked."""
    found = read_current_log(log("64.9 mA", "65.1 mA", "1.203 A", "1.198 A", "64.8 mA", "980 µA", "65.0 mA", "64.9 mA"))
    assert found.current_a == pytest.approx((0.0649, 0.0651, 1.203, 1.198, 0.0648, 0.00098, 0.065, 0.0649))
    found = read_current_log(log(*["64.9"] * 4, "1.2 A", *["65.0"] * 4))
    assert found.current_a[4:6] == pytest.approx((1.2, 0.065))
    with pytest.raises(TableError, match="unit of the current"):
        read_current_log(log(*["64.9"] * 8, heading="time;value"))


def test_a_number_that_can_be_read_two_ways_is_asked():
    """1,234 alone is; 0,350 and 12,5 settle it; a comma and a dot in one column do not go together."""
    with pytest.raises(TableError, match=r"1\.234 or as 1234"):
        read_current_log(log(*["1,234"] * 8))
    assert read_current_log(log(*["1,234"] * 7, "0,350")).current_a[0] == pytest.approx(0.001234)
    assert read_current_log(log(*["1,234"] * 7, "12,5")).current_a[-1] == pytest.approx(0.0125)
    with pytest.raises(TableError, match="No line holds"):
        read_current_log(log(*["1,234.5"] * 8))


def test_a_date_that_can_be_read_two_ways_is_asked():
    """03/04 and 04/04 of a year; from the 13th on it settles; one date alone says only times of a day."""
    at = lambda day, n: f"{day}/04/2026 10:00:{n:02d}"  # noqa: E731
    with pytest.raises(TableError, match="two ways"):
        read_current_log(log(*["5"] * 8, times=[*(at("03", n) for n in range(4)), *(at("04", n) for n in range(4))]))
    assert len(read_current_log(log(*["5"] * 8, times=[at("13", n) for n in range(8)])).t_s) == 8
    assert len(read_current_log(log(*["5"] * 8, times=[at("03", n) for n in range(8)])).t_s) == 8


def test_an_hour_that_comes_again_keeps_its_samples():
    """02:50 and then 02:00 once more: twelve samples ten minutes apart, none dropped."""
    times = [f"2026-10-25 0{h}:{m:02d}:00" for h in (2, 2) for m in range(0, 60, 10)]
    found = read_current_log(log(*["5"] * 12, times=times))
    assert found.t_s == tuple(600.0 * n for n in range(12))
    assert found.unread_count == 0
