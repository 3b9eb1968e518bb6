"""The endurance strip as geometry: area is charge, the hatch begins at the end, labels stay clear of the required line."""

import pytest
from builders import document, merged

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site
from ypomoni.web.plan.answer import build_answer, build_findings
from ypomoni.web.plan.strip import axis_length_h, build_strip


def plan_with(*lanes, requirement=None, site=None):
    """Return the result of a plan with a supply for each (changes of the supply, current of its load)."""
    found = document(requirement=requirement, site=site)
    plan = found["plans"][0]
    supply, load = plan["supplies"][0], plan["loads"][0]
    plan["supplies"] = [merged(supply, {"key": f"s{n}", "name": f"Bay {n}", **changes}) for n, (changes, _) in enumerate(lanes)]
    plan["loads"] = [
        merged(load, {"key": f"l{n}", "supply": f"s{n}", "standby": {"current_a": a}}) for n, (_, a) in enumerate(lanes) if a is not None
    ]
    return evaluate_plan(to_core(read_site(found)).plans[0])


THREE = (({}, 0.2), ({"output_limit_a": 5}, 1.6), ({}, 0.45))


def test_area_of_a_lane_is_charge_on_one_scale():
    """Thickness over current is the same for all lanes drawn to scale, length over time too; the ribbons fill the lane."""
    plan = plan_with(*THREE)
    strip, axis_h = build_strip(plan, {}), axis_length_h(plan)
    scale = {round(lane.body / s.standby_current_a, 3) for lane, s in zip(strip.lanes, plan.supplies, strict=True) if not lane.thin}
    assert max(scale) - min(scale) < 0.05
    for lane, s in zip(strip.lanes, plan.supplies, strict=True):
        assert sum(r.height for r in lane.ribbons) == pytest.approx(lane.body, abs=0.1)
        if not lane.beyond:
            assert lane.end_x == pytest.approx(100 * s.holdover.expected / axis_h, abs=0.01)


def test_hatch_runs_from_the_expected_end_to_the_required_line_and_only_where_it_is_short():
    """Its area is the missing charge; the alarm stands right behind the line."""
    plan = plan_with(*THREE)
    strip, axis_h = build_strip(plan, {}), axis_length_h(plan)
    for lane, s in zip(strip.lanes, plan.supplies, strict=True):
        if s.holdover.expected < 24:
            assert lane.hatch_x == lane.end_x
            assert lane.hatch_x + lane.hatch_width == pytest.approx(lane.required_x, abs=0.01)
            hatched_ah = lane.hatch_width / 100 * axis_h * s.standby_current_a
            assert hatched_ah == pytest.approx(s.missing_ah, rel=0.01)
        else:
            assert lane.hatch_width == 0
        assert lane.alarm_x == lane.required_x
    assert strip.must == "must hold 24 h, then 30 min of alarm"


@pytest.mark.parametrize("current_a", [0.15, 0.3, 0.5, 0.62, 0.66, 0.7, 0.8, 1.2, 1.9, 6.0])
def test_label_of_the_end_never_crosses_the_required_line(current_a):
    """It stands on the end's own side of it, with room for its text on a strip of 340 px, and inside the strip."""
    lane = build_strip(plan_with(({"output_limit_a": None}, current_a)), {}).lanes[0]
    width = 100 * 62 / 340
    begin = lane.label_x - (width if lane.label_anchor == "end" else 0)
    end = begin + width
    assert begin >= -0.5
    assert end <= lane.required_x + 0.5 or begin >= lane.required_x - 0.5
    assert end <= 100.5 or lane.label_x < 82


def test_a_lane_too_thin_to_draw_gets_a_least_thickness_and_says_so():
    """A hundredth of the heaviest lane's current."""
    strip = build_strip(plan_with(({"output_limit_a": None}, 3.0), ({}, 0.02)), {})
    assert [lane.thin for lane in strip.lanes] == [False, True]
    assert strip.lanes[1].body == 7.0
    assert strip.has_thin


def test_required_line_is_one_where_requirements_are_equal():
    """All lanes have it at the same place, and the axis leaves room behind it."""
    strip = build_strip(plan_with(*THREE), {})
    assert len({lane.required_x for lane in strip.lanes}) == 1
    assert strip.lanes[0].required_x < 70
    assert strip.ticks[0][:2] == (0.0, "0 h")


STATES = {
    "unmodelled": (({"kind": "solar"}, 0.2), "No hours are named: what is known of these supplies is not enough to compute them"),
    "no bank": (({"bank": None}, 0.2), "gives out first: there is no battery"),
    "nothing draws": (({}, None), "Nothing draws yet"),
    "overloaded": (({"output_limit_a": 0.1}, 0.2), "does not shut down"),
    "unknown charger": (({"charge_v": None}, 0.2), "On paper only: the charger of Bay 0 is not known"),
    "short when cold": (({}, 0.6), "Bay 0 falls short at the low end of its band, at the end of the battery's life"),
}


@pytest.mark.parametrize("state", STATES)
def test_answer_is_one_true_line_in_every_state(state):
    """And the strip can be drawn."""
    lane, words = STATES[state]
    plan = plan_with(lane)
    answer = build_answer(plan)
    assert words in f"{answer.text} {answer.tail}"
    assert len(build_strip(plan, {}).lanes) == 1


def test_findings_come_worst_first_and_the_weakest_supply_first_among_equals():
    """Danger before fails before risk before note."""
    plan = plan_with(
        ({"bank": {**document()["plans"][0]["supplies"][0]["bank"], "series": 2}, "supply_current_a": 0.1}, 0.7),
        ({"output_limit_a": 5}, 1.6),
    )
    order = [f.severity for f in build_findings(plan)]
    assert order == sorted(order, key=["danger", "fails", "risk", "note"].index)
    assert order[0] == "danger"
    assert next(f.supply for f in build_findings(plan) if f.severity == "fails") == plan.weakest_supply


@pytest.mark.parametrize("current_a", [0.3, 0.5, 0.6, 0.62, 0.64, 0.66, 0.7, 0.9])
def test_marks_of_other_states_stand_on_their_side_of_the_required_line_and_on_the_axis(current_a):
    """No label is shared across the line; what lies beyond the axis has no mark on it."""
    lane = build_strip(plan_with(({"output_limit_a": None}, current_a)), {}).lanes[0]
    for mark in lane.scenarios:
        assert len({x < lane.required_x for x in mark.xs}) == 1
        assert max(mark.xs) <= 100
        assert mark.label.count(",") == len(mark.xs) - 1
