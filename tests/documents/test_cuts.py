"""Cuts as people write them and as tables hold them: what is read, what is asked, what is doubted."""

from datetime import datetime, timedelta

import pytest
from builders import document
from hypothesis import given
from hypothesis import strategies as st

from ypomoni.documents.cut_history import HistoryError, read_cuts, stats_of_spans
from ypomoni.documents.faults import DocumentFaults
from ypomoni.documents.into_core import to_core
from ypomoni.documents.pattern_lines import read_pattern, write_pattern
from ypomoni.documents.quantities import QuantityTextError
from ypomoni.documents.site_file import read_site


@pytest.mark.parametrize(
    ("text", "spans"),
    [
        ("daily 06:00 3 h, Sat 10:00 2.5 h", [("daily", "06:00", 3), ("sat", "10:00", 2.5)]),
        ("06:00-09:00", [("daily", "06:00", 3)]),
        ("Mon-Wed 22:30 to 01:00; sunday at 7:15 for 90 min", [*((d, "22:30", 2.5) for d in ("mon", "tue", "wed")), ("sun", "07:15", 1.5)]),
        ("weekend 10:00 2,5 h", [("sat", "10:00", 2.5), ("sun", "10:00", 2.5)]),
        ("fri, 08:00", None),
        ("", []),
    ],
)
def test_a_week_is_read_as_it_is_written(text, spans):
    """Days, ranges of days, ends and lengths, decimal commas."""
    if spans is None:
        with pytest.raises(QuantityTextError):
            read_pattern(text)
        return
    assert [(s["day"], s["start"], pytest.approx(s["duration_h"])) for s in read_pattern(text)] == spans


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("daily 06:00 0 h", "no time"),
        ("mon 06:00 200 h", "longer than a week"),
        ("foo 06:00 3 h", "no day"),
        ("daily 25:00 3 h", "not read"),
        ("daily 24:00 3 h", "at most 23:59"),
        ("daily", "as in daily 06:00 3 h"),
    ],
)
def test_a_week_that_cannot_be_is_told_with_what_would_be_right(text, said):
    """Each by its own words."""
    with pytest.raises(QuantityTextError, match=said):
        read_pattern(text)


@given(st.lists(st.tuples(st.sampled_from(["daily", "mon", "sun"]), st.integers(0, 47), st.integers(1, 48)), max_size=8))
def test_a_week_goes_out_and_comes_back(spans):
    """As text."""
    week = [{"day": d, "start": f"{s // 2:02d}:{'30' if s % 2 else '00'}", "duration_h": n / 2} for d, s, n in spans]
    assert read_pattern(write_pattern(week)) == week


def test_a_history_is_read_in_any_usual_format():
    """ISO with zones, day first and month first, dates and times apart, lengths with units; from the Monday before the first."""
    zoned = read_cuts("start,end\n2026-03-04T06:00:00Z,2026-03-04 11:00+02:00\n")
    assert zoned.is_ready
    assert zoned.spans == ((54.0, 57.0),)
    british = read_cuts("Off;Lasted (min)\n14/03/2026 06:00;90\n15/03/2026 23:30;45\n", zone="UTC")
    assert british.spans == ((126.0, 127.5), (167.5, 168.25))
    american = read_cuts("when\thours\n3/14/26 6:00 PM\t1.5\n", zone="UTC")
    assert american.spans == ((138.0, 139.5),)
    apart = read_cuts("date,off,restored\n2026-03-04,23:30,00:30\n", zone="UTC")
    assert apart.spans == ((71.5, 72.5),)


def test_what_a_history_does_not_say_is_asked():
    """Neither the order of day and month nor the zone is guessed; where dates contradict each other that is said."""
    open_order = read_cuts("start;end\n04/03/2026 06:00;04/03/2026 09:00\n")
    assert open_order.asks_order
    assert open_order.asks_zone
    assert not open_order.is_ready
    assert read_cuts("start;end\n04/03/2026 06:00;04/03/2026 09:00\n", order="mdy", zone="UTC").spans == ((102.0, 105.0),)
    mixed = read_cuts("start;min\n14/03/2026 06:00;30\n03/25/2026 06:00;30\n", zone="UTC")
    assert mixed.asks_order
    assert "only month first" in mixed.order_said
    with pytest.raises(HistoryError, match="no time zone"):
        read_cuts("start;min\n14/03/2026 06:00;30\n", zone="Middle/Earth")


def test_doubtful_rows_are_told_and_summer_time_is_counted():
    """Zero lengths and unreadable rows are left out; overlaps are one; an hour that the clock showed twice, or never, is said."""
    text = "start,end\n2026-10-25 01:30,2026-10-25 04:30\n2026-10-26 06:00,2026-10-26 06:00\nlunch,soon\n2026-10-26 07:00,2026-10-26 09:00\n2026-10-26 08:00,2026-10-26 10:00\n2026-03-29 01:30,2026-03-29 05:00\n"
    found = read_cuts(text, zone="Europe/Dublin")
    assert [round(b - a, 6) for a, b in found.spans] == [2.5, 4.0, 3.0]
    told = {d.line: (d.message, d.is_left_out) for d in found.doubtful}
    assert told[3] == ("it lasts no time.", True)
    assert told[4][1]
    assert "shown" in told[2][0] or "twice" in told[2][0]
    assert "never shown" in told[7][0]
    assert any("overlaps" in d.message for d in found.doubtful)


@pytest.mark.parametrize(
    "text", ["", "a,b\n1,2\n", "start\n2026-03-04 06:00\n", "start,lasted\n2026-03-04 06:00,90\n", "x" * 5000, '"a\n' * 50]
)
def test_what_is_no_history_says_what_would_be_right(text):
    """Never a crash."""
    with pytest.raises(HistoryError):
        read_cuts(text)


@pytest.mark.parametrize("count", [10_000, pytest.param(100_000, marks=pytest.mark.long)])
def test_very_many_rows_are_taken(count):
    """Every one of them; the statistics count them."""
    begin = datetime(2016, 1, 4)  # noqa: DTZ001 - a clock without a zone is what such files hold
    rows = [begin + timedelta(minutes=48 * n) for n in range(count)]
    found = read_cuts("start,end\n" + "\n".join(f"{r:%Y-%m-%d %H:%M},{r + timedelta(minutes=20):%Y-%m-%d %H:%M}" for r in rows), zone="UTC")
    assert len(found.spans) == count
    assert found.stats.cuts_per_week == pytest.approx(210, rel=0.01)
    assert stats_of_spans([{"start_h": a, "duration_h": b - a} for a, b in found.spans[:2100]])[1] == pytest.approx(1 / 3)


WEEK = [{"day": "daily", "start": "06:00", "duration_h": 3}]


@pytest.mark.parametrize(
    ("requirement", "supply", "path", "said"),
    [
        ({"cuts": {"week": [{"day": "daily", "start": "06:00", "duration_h": 0}]}}, {}, "requirements[0].cuts.week[0].duration_h", ""),
        ({"cuts": {"week": [{"day": "daily", "start": "06:00", "duration_h": 169}]}}, {}, "requirements[0].cuts.week[0].duration_h", "168"),
        ({"cuts": {"week": [{"day": "daily", "start": "6 am", "duration_h": 1}]}}, {}, "requirements[0].cuts.week[0]", "as in 06:00"),
        ({"cuts": {"week": [{"day": "moonday", "start": "06:00", "duration_h": 1}]}}, {}, "requirements[0].cuts.week[0].day", ""),
        ({"cuts": {"week": WEEK, "list": []}}, {}, "requirements[0].cuts", "one of week"),
        ({"cuts": {}}, {}, "requirements[0].cuts", "one of week"),
        ({"cuts": {"list": [{"start_h": 5, "duration_h": 4}], "length_h": 8}}, {}, "requirements[0].cuts", "not be less"),
        ({"cuts": {"list": [{"start_h": -1, "duration_h": 4}]}}, {}, "requirements[0].cuts.list[0].start_h", ""),
        ({"cuts": {"list": []}}, {}, "requirements[0].cuts", "length_h is missing"),
        (
            {},
            {"kind": "solar", "solar": {"controller": "pwm", "sun_h_by_month": [1] * 11}},
            "plans[0].supplies[0].solar.sun_h_by_month",
            "",
        ),
        (
            {},
            {"kind": "solar", "solar": {"controller": "pwm", "sun_h_by_month": [25] * 12}},
            "plans[0].supplies[0].solar.sun_h_by_month[0]",
            "",
        ),
        (
            {},
            {"kind": "solar", "solar": {"controller": "pwm", "sun_h_by_month": [1] * 12, "panel_imp_a": 2, "panel_isc_a": 1}},
            "plans[0].supplies[0].solar",
            "short circuit",
        ),
        ({}, {"kind": "solar", "solar": {"controller": "magic", "sun_h_by_month": [1] * 12}}, "plans[0].supplies[0].solar.controller", ""),
    ],
)
def test_a_pattern_that_cannot_be_is_a_fault_at_its_field(requirement, supply, path, said):
    """With what would be right."""
    with pytest.raises(DocumentFaults) as caught:
        read_site(document(requirement=requirement, supply=supply))
    assert any(f.path == path and said in f.message for f in caught.value.faults), caught.value.faults


def test_patterns_reach_the_core_as_they_stand():
    """A week, a history whose length is the end of its last cut, windows and panels."""
    site = to_core(read_site(document(requirement={"cuts": {"list": [{"start_h": 2, "duration_h": 3}]}})))
    assert site.requirements[0].cuts.length_h == 5
    solar = {"controller": "none", "panel_imp_a": 1, "sun_h_by_month": [1] * 12}
    supply = to_core(read_site(document(supply={"kind": "solar", "solar": solar}))).plans[0].supplies[0]
    assert (supply.solar.derate_ratio, supply.solar.panels_count, supply.solar.blocking_diode) == (0.75, 1, None)
    windowed = to_core(read_site(document(supply={"kind": "windowed", "windows": {"week": WEEK}}))).plans[0].supplies[0]
    assert windowed.windows.covered_h == pytest.approx(21)
