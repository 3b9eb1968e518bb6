"""The work from one plan to another, in its order; what is due, by age, warmth and tests."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from builders import document, merged

from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.proof.upkeep import DueKind, Known, due_items, holds_until
from ypomoni.core.proof.work_list import WorkKind, work_list
from ypomoni.core.things.discharge_tests import DischargeEnd, DischargeTest
from ypomoni.core.things.loads import Purpose
from ypomoni.core.things.supply_kinds import SupplyKind
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site


def plan_of(**changes):
    """Return a plan with two bays and four loads: two on one bus, one that saves lives, one on a branch."""
    found = document()
    plan = found["plans"][0]
    supply, load = plan["supplies"][0], plan["loads"][0]
    plan["supplies"] = [merged(supply, {"key": k, "name": f"Bay {k.upper()}", "charge_v": 13.65}) for k in ("a", "b")]
    plan["loads"] = [
        merged(load, {"key": "k1", "name": "Keypad", "supply": "a", "bus_group": "Bus 1"}),
        merged(load, {"key": "k2", "name": "Reader", "supply": "a", "bus_group": "Bus 1"}),
        merged(load, {"key": "siren", "name": "Siren", "supply": "a", "purpose": "life_safety"}),
        merged(load, {"key": "beam", "name": "Beam", "supply": "b", "quantity": 4, "branch": "North"}),
    ]
    return replace(to_core(read_site(found)).plans[0], **changes)


def moved(plan, **to):
    return replace(plan, loads=tuple(replace(load, supply_key=to.get(load.key, load.supply_key)) for load in plan.loads))


def listed(before, after):
    return work_list(before, after, evaluate_plan(after))


def test_plans_that_are_alike_need_no_work():
    """Not even a call to the centre."""
    plan = plan_of()
    assert listed(plan, plan) == ()
    # What was only learnt of a battery is no work on it.
    learnt = replace(plan, supplies=tuple(replace(s, bank=replace(s.bank, condition_ratio=0.8)) for s in plan.supplies))
    assert listed(plan, learnt) == ()


def test_the_work_comes_in_the_order_in_which_nothing_goes_off_line_unannounced():
    """The centre first, the new battery before anything moves to it, bus groups whole, every supply measured again, and given back at the end."""
    before = plan_of()
    bigger = replace(before.supplies[1], bank=replace(before.supplies[1].bank, capacity_ah=38.0, age_y=0.0), charge_v=13.8)
    after = moved(replace(before, supplies=(before.supplies[0], bigger)), k1="b", k2="b", siren="b")
    steps = listed(before, after)
    kinds = [s.kind for s in steps]
    assert kinds == sorted(kinds, key=list(WorkKind).index)
    assert kinds[0] is WorkKind.WARN
    assert kinds[-1] is WorkKind.RESTORE
    assert kinds.index(WorkKind.BANK) < kinds.index(WorkKind.MOVE)
    moves = {s.load_keys: s for s in steps if s.kind is WorkKind.MOVE}
    assert set(moves) == {("k1", "k2"), ("siren",)}
    assert "all of bus group Bus 1" in moves["k1", "k2"].what
    assert [s.supply_key for s in steps if s.kind is WorkKind.MEASURE] == ["a", "b"]
    assert all(any("life-safety" in c for c in s.cautions) for s in steps if s.kind in (WorkKind.WARN, WorkKind.MOVE))
    expected = evaluate_plan(after).supplies[1].standby_current_a
    measured = next(s for s in steps if s.key == "measure:b")
    assert f"{1000 * expected:.3g} mA" in measured.expect or f"{expected:.3g} A" in measured.expect
    (charger,) = [s for s in steps if s.kind is WorkKind.CHARGER]
    assert "13.8 V" in charger.what
    # The keys stay while the plans do: what was ticked stays ticked.
    assert [s.key for s in listed(before, after)] == [s.key for s in steps]


def test_every_circuit_that_is_opened_is_dead_and_every_charger_that_matters_is_set():
    """On test, mains before battery, proved dead, moved, bus and polarity checked, chargers of what is new or changed set without a battery, battery last, measured, off test."""
    before = plan_of()
    new = replace(before.supplies[0], key="c", name="Bay C", charge_v=13.7)
    after = moved(replace(before, supplies=(*before.supplies, new)), siren="c", k1="c", k2="c")
    steps = listed(before, after)
    kinds = [s.kind for s in steps]
    expected = (
        WorkKind.WARN,
        WorkKind.ISOLATE_MAINS,
        WorkKind.ISOLATE_BATTERY,
        WorkKind.PROVE_DEAD,
        WorkKind.MOVE,
        WorkKind.CHECK_BUS,
        WorkKind.POLARITY,
        WorkKind.MAINS_WITHOUT_BATTERY,
        WorkKind.CHARGER,
        WorkKind.ISOLATE_AGAIN,
        WorkKind.CONNECT_BATTERY,
        WorkKind.MAINS_ON,
        WorkKind.MEASURE,
        WorkKind.UNLISTED,
        WorkKind.RESTORE,
    )
    assert [kinds.index(k) for k in expected] == sorted(kinds.index(k) for k in expected)
    # The charger of the new supply alone is set: nothing of the others changed.
    assert [s.supply_key for s in steps if s.kind is WorkKind.CHARGER] == ["c"]
    assert "13.7 V" in next(s for s in steps if s.kind is WorkKind.CHARGER).what
    # A keypad without a bus group is asked for its bus; a beam is not.
    alone = replace(before, loads=tuple(replace(load, bus_group=None) for load in before.loads))
    asked = next(s for s in listed(alone, moved(alone, k1="b")) if s.kind is WorkKind.CHECK_BUS)
    assert "On which data bus is Keypad?" in asked.what
    assert all(s.kind is not WorkKind.CHECK_BUS for s in listed(alone, moved(alone, beam="a")))


def test_the_sun_is_isolated_before_its_battery_and_connected_after_it():
    """And an inverter is switched off and proved dead with its battery."""
    before = plan_of()
    sunny = tuple(replace(s, kind=SupplyKind.SOLAR) if s.key == "a" else s for s in before.supplies)
    before = replace(before, supplies=sunny)
    kinds = [s.kind for s in listed(before, moved(before, siren="b"))]
    assert kinds.index(WorkKind.ISOLATE_PANEL) < kinds.index(WorkKind.ISOLATE_BATTERY)
    assert kinds.index(WorkKind.CONNECT_PANEL) > kinds.index(WorkKind.CONNECT_BATTERY)
    ups = replace(plan_of(), supplies=tuple(replace(s, kind=SupplyKind.AC_UPS) if s.key == "a" else s for s in plan_of().supplies))
    off = next(s for s in listed(ups, moved(ups, siren="b")) if s.kind is WorkKind.ISOLATE_BATTERY)
    assert "prove its output dead" in off.what


def test_without_life_safety_nothing_is_said_of_it_and_what_is_taken_out_is_made_safe():
    """A load that goes, a quantity that changes, a supply that goes; each its own step."""
    before = moved(plan_of())
    before = replace(before, loads=tuple(replace(load, purpose=Purpose.SECURITY) if load.key == "siren" else load for load in before.loads))
    kept = [load for load in before.loads if load.key != "k2"]
    after = replace(before, loads=tuple(replace(load, quantity=6) if load.key == "beam" else load for load in kept))
    steps = listed(before, after)
    assert not any("life-safety" in c for s in steps for c in s.cautions)
    assert "there were 4" in next(s for s in steps if s.kind is WorkKind.LOAD).what
    assert next(s for s in steps if s.kind is WorkKind.TAKE_OUT).load_keys == ("k2",)


TODAY = date(2026, 3, 1)


def known(**more):
    return Known(**{"today": TODAY, "entered_on": {"a": TODAY, "b": TODAY}, "audited_on": None, "done_on": {}, **more})


def due(plan, **more):
    return {i.key: i for i in due_items(plan, known(**more))}


def bank_of(plan, **changes):
    return replace(plan, supplies=tuple(replace(s, bank=replace(s.bank, **changes)) if s.key == "a" else s for s in plan.supplies))


def light(plan):
    """Return a plan whose loads draw so little that age alone decides."""
    return replace(plan, loads=tuple(replace(load, standby=replace(load.standby, current_a=0.004)) for load in plan.loads))


def test_a_battery_is_due_at_its_design_life_and_sooner_where_it_is_warm():
    """Five years at 20 °C from when it was new; halved by ten degrees above 25; a year old when it was entered counts."""
    plan = light(plan_of())
    cool = due(bank_of(plan, age_y=0.0))["replace:a"]
    assert cool.due_on == TODAY + timedelta(days=5 * 365.25)
    assert abs((due(bank_of(plan, age_y=2.0))["replace:a"].due_on - TODAY).days - 3 * 365.25) <= 1
    warm = replace(bank_of(plan, age_y=0.0), supplies=tuple(replace(s, typical_degc=35.0) for s in bank_of(plan, age_y=0.0).supplies))
    assert due(warm)["replace:a"].due_on == TODAY + timedelta(days=2.5 * 365.25)


def test_a_battery_is_due_when_it_no_longer_carries_its_hours():
    """Found by ageing it on; a tighter requirement is due sooner; what a new one would not mend is not called a matter of the battery."""
    plan = bank_of(plan_of(), age_y=0.0)
    supply, loads = plan.supplies[0], plan.loads_on("a")
    hours = evaluate_plan(plan).supplies[0].holdover.expected
    until = {}
    for share in (0.7, 0.85, 0.95):
        must = replace(supply, requirement=replace(supply.requirement, standby_h=share * hours))
        until[share] = holds_until(must, loads, TODAY, TODAY)
    assert until[0.7] > until[0.85] > until[0.95] > TODAY
    # On that day, and not a season later, it still does.
    must = replace(supply, requirement=replace(supply.requirement, standby_h=0.85 * hours))
    for days, carries in ((-20, True), (60, False)):
        age_y = ((until[0.85] - TODAY).days + days) / 365.25
        aged = replace(must, bank=replace(supply.bank, age_y=age_y))
        told = evaluate_plan(replace(plan, supplies=(aged, plan.supplies[1]))).supplies[0]
        assert (told.holdover.expected >= 0.85 * hours) is carries
    hopeless = replace(plan, supplies=(replace(supply, requirement=replace(supply.requirement, standby_h=2 * hours)), plan.supplies[1]))
    item = due(hopeless)["replace:a"]
    assert "would not either" in item.why
    # What fails today is due today, whatever mends it.
    assert (item.due_on, item.is_now) == (TODAY, True)
    worn = bank_of(replace(plan, supplies=(must, plan.supplies[1])), condition_ratio=0.6)
    assert (due(worn)["replace:a"].due_on, "a new one of its kind does" in due(worn)["replace:a"].why) == (TODAY, True)


def test_tests_audits_and_reviews_come_again_from_when_they_were_done():
    """A year after the last test or reading, three after a review; closing one moves it."""
    plan = light(plan_of())
    test = DischargeTest(
        key="t", supply_key="a", at=datetime(2025, 9, 1, tzinfo=UTC), temperature_degc=20, ran_h=10, ended=DischargeEnd.STOPPED, end_v=11.5
    )
    # Two years old and never tested: it has been due for a year.
    assert due(bank_of(plan, age_y=2.0))["test:a"].due_on == TODAY
    assert due(bank_of(plan, age_y=0.0))["test:a"].due_on > TODAY
    first = due(replace(plan, tests=(test,)), audited_on=date(2025, 12, 24))
    assert first["test:a"].due_on == date(2026, 9, 1)
    assert first["audit"].due_on == date(2026, 12, 24)
    assert first["test:b"].why.startswith("It was never tested")
    moved_on = due(plan, done_on={"test:b": TODAY, "review:r": TODAY, "audit": TODAY})
    assert moved_on["test:b"].due_on == TODAY + timedelta(days=365)
    assert [i.due_on for i in moved_on.values() if i.kind is DueKind.REVIEW] == [TODAY + timedelta(days=1095)]
    assert list(first.values()) == sorted(first.values(), key=lambda i: (i.due_on, i.key))


def test_a_battery_that_was_tested_under_80_percent_is_due_now():
    """Whatever its age."""
    plan = bank_of(light(plan_of()), condition_ratio=0.74)
    test = DischargeTest(
        key="t",
        supply_key="a",
        at=datetime(2026, 2, 1, tzinfo=UTC),
        temperature_degc=20,
        ran_h=7,
        ended=DischargeEnd.END_VOLTAGE,
        end_v=10.5,
    )
    item = due(replace(plan, tests=(test,)))["replace:a"]
    assert (item.due_on, "74 %" in item.why) == (TODAY, True)
    assert due(replace(bank_of(plan, condition_ratio=0.86), tests=(test,)))["replace:a"].due_on > TODAY


@pytest.mark.parametrize("made", ["2022-06", None])
def test_a_block_ages_from_the_month_it_was_made_in(made):
    """Where that is not known, from its fitting."""
    from ypomoni.core.things.protection import FittedBlock

    block = FittedBlock(key="b", string=1, position=1, made=made, fitted="2023-01-15")
    plan = bank_of(light(plan_of()), blocks=(block,))
    began = date(2022, 6, 1) if made else date(2023, 1, 15)
    assert due(plan)["replace:a"].due_on == began + timedelta(days=5 * 365.25)
