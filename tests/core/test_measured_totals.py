"""What was measured counts: a valid total above the load list is an unlisted load in every hour figure, and what was left is judged by its readings."""

import copy

import pytest
from builders import audited, core_plan, evaluate_plan, other_load, reading
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.measuring.measured_totals import check_totals
from ypomoni.core.outage.case import Case
from ypomoni.core.wiring.fuses import fuse_need
from ypomoni.documents.into_core import to_core, to_core_plan
from ypomoni.documents.site_file import read_site

LOADS = [other_load("a", 0.3, "measured"), other_load("b", 0.15, "measured")]


def read(*readings, loads=LOADS, supply=None, **more):
    """Return the plan of a site with these readings, and the result of its supply."""
    plan = core_plan(audited(supply=supply, loads=loads, readings=list(readings), **more))
    return plan, evaluate_plan(plan).supplies[0]


def found(result):
    """Return the codes of the findings that speak of measured totals."""
    return {f.code for f in result.findings} & {"unlisted_load", "overstated_load"}


def test_a_total_above_the_list_counts_in_every_hour_figure():
    """450 mA listed, 553 mA measured: 103 mA more in the currents, the band, the scenarios, the fuse; on paper only at best, and said."""
    _, listed = read()
    plan, result = read(reading("r", "battery", 0.553, battery_v=12.0))
    (finding,) = [f for f in result.findings if f.code == "unlisted_load"]
    assert result.standby_current_a == pytest.approx(listed.standby_current_a + 0.103)
    assert result.alarm_current_a == pytest.approx(listed.alarm_current_a + 0.103)
    for name in ("low", "expected", "high"):
        assert getattr(result.holdover, name) < getattr(listed.holdover, name)
    for name in ("fresh", "cold", "end_of_life", "worst"):
        assert getattr(result.scenarios, name) < getattr(listed.scenarios, name)
    needs = [fuse_need(s, Case(s, plan.loads_on("s"))).standby_a for s in (plan.supplies[0], merge_out(plan.supplies[0]))]
    assert needs[0] - needs[1] == pytest.approx(0.103)
    assert (listed.verdict, result.verdict) == ("holds", "on_paper_only")
    assert "103 mA" in finding.evidence
    assert "553 mA" in finding.evidence


def merge_out(supply):
    """Return a supply without what its readings show."""
    import dataclasses

    return dataclasses.replace(supply, unlisted=None)


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        ({}, {"unlisted_load"}),
        ({"mains": "on"}, set()),
        ({"mains": None}, set()),
        ({"value_a": -0.553}, set()),
        ({"value_a": -0.553, "positive_means": "charge"}, {"unlisted_load"}),
        ({"state": "walk_about"}, set()),
        ({"state": "alarm"}, {"unlisted_load"}),
        ({"point": "output"}, {"unlisted_load"}),
        ({"point": "at-a"}, set()),
        ({"open_questions": ["Is it off?"]}, set()),
        # Within the joint uncertainty of meter and list nothing is said; below it by more the list says too much.
        ({"value_a": 0.456}, set()),
        ({"value_a": 0.33}, {"overstated_load"}),
        # A thousand times as much is a slip, not a load.
        ({"value_a": 450.0}, set()),
    ],
)
def test_only_a_valid_total_counts(changes, expected):
    """Mains off, sign right, standby or alarm, at the battery or an output with all loads behind it, neither doubted nor superseded."""
    _, result = read(reading("r", "battery", 0.553, battery_v=12.0) | changes)
    assert found(result) == expected


def test_the_latest_reading_and_the_largest_of_several_points_count_once():
    """A superseded reading is gone; of battery and output the larger excess counts, and not their sum."""
    over = reading("r1", "battery", 0.6, battery_v=12.0)
    _, result = read(over, reading("r2", "battery", 0.45, battery_v=12.0, supersedes="r1", reason="slip"))
    assert found(result) == set()
    _, result = read(over, reading("r2", "output", 0.58, battery_v=12.0))
    assert result.standby_current_a == pytest.approx(0.6)


def test_bursts_and_thermostats_running_or_not_explain_a_reading():
    """A heater of 0.2 A and a burst of 0.5 A may both be on while it is read, or off: only beyond them something is unlisted."""
    loads = [
        other_load("a", 0.3, "measured", thermostats=[{"name": "heat", "current_a": 0.2, "below_degc": 8}]),
        other_load("b", 0.1, "measured", bursts=[{"name": "send", "current_a": 0.6, "duration_s": 10, "per_hour": 6}]),
    ]
    for value_a, expected in ((0.4, set()), (0.9, set()), (1.1, set()), (1.2, {"unlisted_load"}), (0.35, {"overstated_load"})):
        _, result = read(reading("r", "battery", value_a, battery_v=12.0), loads=loads)
        assert found(result) == expected, value_a


def test_a_power_load_is_expected_between_the_end_and_full_where_no_voltage_was_noted():
    """6 W are 0.464 A at 12.94 V and 0.571 A at 10.5 V: at an unknown voltage both are right; at 12.9 V the second is not."""
    loads = [other_load("p", 0.5, "measured", behaviour="constant_power")]
    assert found(read(reading("r", "battery", 0.571), loads=loads)[1]) == set()
    assert found(read(reading("r", "battery", 0.571, battery_v=12.9), loads=loads)[1]) == {"unlisted_load"}


def test_what_was_found_hangs_there_in_a_proposal_until_it_is_read_again():
    """A copy of the plan carries the unlisted load; a reading of its own, in agreement, ends it; as seen alone it is the same."""
    site = audited(loads=LOADS, readings=[reading("r", "battery", 0.553, battery_v=12.0)])
    made = copy.deepcopy(site["plans"][0]) | {"key": "proposal", "name": "Proposal", "stage": "proposal", "readings": []}
    site["plans"].append(made)
    for again, unlisted_a in (([], 0.103), ([reading("r2", "battery", 0.45, battery_v=12.0)], 0.0)):
        made["readings"] = again
        file = read_site(site)
        assert to_core(file).plans[1].supplies[0].unlisted_a == pytest.approx(unlisted_a)
        assert to_core_plan(file, "proposal").supplies[0].unlisted_a == pytest.approx(unlisted_a)


def test_what_was_left_is_judged_by_what_was_read():
    """521 mA promised and 700 mA read at a branch: it holds by its list, fails by the reading, and a reading below promises nothing more."""
    loads = [other_load("a", 0.521, "measured")]
    supply = {"bank": {"capacity_ah": 24}}

    def left(stage, value_a, point="at-a"):
        site = audited(supply=supply, loads=loads, readings=[reading("r", point, value_a)], requirement={"standby_h": 36})
        site["plans"][0]["stage"] = stage
        plan = core_plan(site)
        return plan, evaluate_plan(plan).supplies[0]

    plan, by_list = left("as_left", 0.521)
    (check,) = check_totals(plan, plan.supplies[0], as_listed=True)
    assert check.agrees
    plan, by_reading = left("as_left", 0.7)
    (check,) = check_totals(plan, plan.supplies[0], as_listed=True)
    assert (check.agrees, check.expected_a) == (False, pytest.approx(0.521))
    assert by_list.meets_requirement
    assert by_reading.verdict == "fails"
    # Before it was left a single device says nothing of the whole.
    assert left("as_found", 0.7)[1].meets_requirement
    _, less = left("as_left", 0.4)
    assert less.verdict == by_list.verdict
    assert less.holdover.expected == pytest.approx(by_list.holdover.expected)


@settings(max_examples=40, deadline=None)
@given(st.floats(0.05, 2.0), st.floats(0.2, 3.0))
def test_a_reading_never_lengthens_what_a_list_promises(listed_a, read_ratio):
    """Whatever is read, hours are those of the list or shorter, and the verdict is no better."""
    loads = [other_load("a", listed_a, "measured")]
    _, before = read(loads=loads, supply={"output_limit_a": None})
    _, after = read(reading("r", "battery", listed_a * read_ratio, battery_v=12.0), loads=loads, supply={"output_limit_a": None})
    assert after.holdover.expected <= before.holdover.expected + 1e-9
    order = ["unsafe", "fails", "unknown", "on_paper_only", "holds"]
    assert order.index(after.verdict) <= order.index(before.verdict)
