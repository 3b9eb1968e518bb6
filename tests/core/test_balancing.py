"""What may not move says why; what may is computed; a split keeps every piece."""

import pytest
from builders import core_plan, document, merged, ups

from ypomoni.core.balance.moves import offers_for, why_not, with_moves
from ypomoni.core.evaluation.evaluate import evaluate_plan


def plan_of(loads, other=None):
    """Return a plan of two supplies, Bay and Other, with loads on the first unless they say otherwise."""
    found = document(loads=loads)
    plan = found["plans"][0]
    plan["supplies"].append(merged(plan["supplies"][0], {"key": "t", "name": "Other", **(other or {})}))
    return core_plan(found)


WHY = {
    "shares the bus B1 and its 0 V with Keypad": ([{"key": "a", "bus_group": "B1"}, {"key": "b", "name": "Keypad", "bus_group": "B1"}], {}),
    "the rest of Beam": ([{"key": "a", "name": "Beam", "quantity": 2, "bus_group": "B1"}], {}),
    "it runs at 12 V without a converter, Other gives 24 V": ([{"key": "a"}], {"nominal_v": 24, "cutoff_v": 21, "bank": {"series": 2}}),
    "Other would be asked for 300 mA in standby at the peak, and gives 200 mA": ([{"key": "a"}], {"output_limit_a": 0.2}),
    "in alarm at the peak, and gives 1 A": (
        [{"key": "a", "alarm": {"current_a": 1.5, "provenance": "measured"}}],
        {"alarm_output_limit_a": 1.0},
    ),
    "Other would be asked for 1.5 A in alarm at the peak": (
        [{"key": "a", "alarm": {"current_a": 1.5, "provenance": "measured"}}],
        {"output_limit_a": None, "alarm_output_limit_a": 1.0},
    ),
    "it is for life safety, and Other feeds convenience": (
        [{"key": "a", "purpose": "life_safety"}, {"key": "b", "supply": "t", "purpose": "convenience"}],
        {},
    ),
    "it is a convenience, and Other feeds life safety": (
        [{"key": "a", "purpose": "convenience"}, {"key": "b", "supply": "t", "purpose": "life_safety"}],
        {},
    ),
    "60 m of 0.5 mm² drop 1.2 V at 300 mA; it needs 10.8 V": (
        [{"key": "a", "min_v": 10.8, "cable": {"length_m": 60, "section_mm2": 0.5}}],
        {},
    ),
    "it runs on DC, and UPS gives AC": ([{"key": "a"}], ups()),
    "Beam is pinned to where it is": ([{"key": "a", "pinned": True}], {}),
    "it is a convenience, and Other is kept free of those": ([{"key": "a", "purpose": "convenience"}], {"convenience_free": True}),
}


@pytest.mark.parametrize("words", WHY)
def test_what_may_not_move_says_why(words):
    """Bus, rail, limits of both states, company, cable, AC: one plan for each reason, and the other supply is left as it is."""
    loads, other = WHY[words]
    plan = plan_of(loads, other)
    assert words in why_not(plan, {"a": 1}, "t")
    offer = next(o for o in offers_for(plan, {"a": 1}) if o.supply_key == "t")
    assert (offer.may, offer.holdover_h) == (False, None)


def test_an_offer_is_what_the_plan_computes_after_the_move():
    """Hours of both supplies, before and after, equal those of the evaluated plan; a whole bus may move together."""
    plan = plan_of([{"key": "a", "standby": {"current_a": 0.5}}, {"key": "b"}, {"key": "c", "supply": "t"}])
    before = {s.key: s.holdover.expected for s in evaluate_plan(plan).supplies}
    after = {s.key: s.holdover.expected for s in evaluate_plan(with_moves(plan, {"a": 1}, "t")).supplies}
    for offer in offers_for(plan, {"a": 1}):
        assert offer.may
        assert offer.was_h == pytest.approx(before[offer.supply_key])
        assert offer.holdover_h == pytest.approx(after[offer.supply_key])
        assert offer.meets == (
            evaluate_plan(with_moves(plan, {"a": 1}, "t")).supplies[["s", "t"].index(offer.supply_key)].meets_requirement
        )
    alone = plan_of([{"key": "a", "bus_group": "B1", "quantity": 3}])
    assert why_not(alone, {"a": 3}, "t") == ""


def test_a_split_keeps_every_piece():
    """Three of eight go; the rest and the part are the same device; none and more than there are is refused."""
    plan = plan_of([{"key": "a", "name": "Detector", "quantity": 8}])
    moved = with_moves(plan, {"a": 3}, "t")
    assert {(load.supply_key, load.quantity) for load in moved.loads} == {("s", 5), ("t", 3)}
    assert {load.name for load in moved.loads} == {"Detector"}
    for count in (0, 9):
        with pytest.raises(ValueError, match="pieces to move"):
            with_moves(plan, {"a": count}, "t")


def test_several_pieces_move_together_and_a_whole_bus_may():
    """Two loads of one bus on one drag: offered as one; a part of one of them, or one without the other, is refused."""
    loads = [{"key": "a", "name": "Pad", "bus_group": "B", "quantity": 2}, {"key": "b", "name": "Reader", "bus_group": "B"}, {"key": "c"}]
    plan = plan_of(loads, {"output_limit_a": 5.0})
    assert why_not(plan, {"a": 2, "b": 1, "c": 1}, "t") == ""
    assert "the rest of Pad" in why_not(plan, {"a": 1, "b": 1}, "t")
    assert "0 V with Reader" in why_not(plan, {"a": 2}, "t")
    after = with_moves(plan, {"a": 2, "b": 1, "c": 1}, "t")
    assert {load.supply_key for load in after.loads} == {"t"}
    own, other = offers_for(plan, {"a": 2, "b": 1, "c": 1})
    assert (own.is_own, own.holdover_h, other.is_own) == (True, None, False)
    assert other.holdover_h == pytest.approx(evaluate_plan(after).supplies[1].holdover.expected)


def test_a_run_gives_the_cable_after_a_move_and_one_that_matters_is_asked_for():
    """By hand: 0.3 A over 2 × 0.01724 Ω·mm²/m ÷ 0.5 mm² drops 20.7 mV a metre; half of 12.94 − 10.8 V is reached at 52 m."""
    load = {"key": "a", "place": "gate", "min_v": 10.8, "standby": {"current_a": 0.3}}
    found = document(loads=[load])
    found["plans"][0]["supplies"].append(merged(found["plans"][0]["supplies"][0], {"key": "t", "name": "Other"}))
    found["places"] = [{"key": "gate", "name": "Gate"}]
    offer = offers_for(core_plan(found), {"a": 1})[1]
    (asked,) = offer.unknown_runs
    assert (asked.place_name, asked.supply_key) == ("Gate", "t")
    assert asked.greatest_m == pytest.approx(51.8, abs=0.1)
    assert (with_moves(core_plan(found), {"a": 1}, "t").loads[0].cable, offer.may) == (None, True)
    for length_m, may in ((45, True), (55, False)):
        found["runs"] = [{"place": "gate", "supply": "t", "length_m": length_m, "section_mm2": 0.5}]
        plan = core_plan(found)
        offer = offers_for(plan, {"a": 1})[1]
        assert (offer.may, offer.unknown_runs) == (may, ())
        assert with_moves(plan, {"a": 1}, "t").loads[0].cable.length_m == length_m
    found["runs"] = []
    found["plans"][0]["loads"].append(
        merged(load, {**found["plans"][0]["loads"][0], "key": "b", "supply": "t", "cable": {"length_m": 12, "section_mm2": 1.0}})
    )
    assert with_moves(core_plan(found), {"a": 1}, "t").loads[0].cable.length_m == 12
