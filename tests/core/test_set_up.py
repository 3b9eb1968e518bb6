"""How a charger is set up: over every chemistry, temperature and mode the plan's figure earns nothing, and a new chemistry says all of it itself."""

import dataclasses
import itertools

import pytest
from builders import codes, core_plan, document, evaluate, merged
from core.test_findings import FOUR_LFP

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.charging import VoltageCharge
from ypomoni.core.chemistries.lifepo4 import LIFEPO4
from ypomoni.core.errors import QuantityError
from ypomoni.core.evaluation.set_up import ChargerMake, Diode, SetUp, StepKind, sheet_of

RECHARGEABLE = [c.key for c in CHEMISTRIES.values() if not c.is_primary]
NEVER_EARNED = {"charge_voltage_dangerous", "charge_voltage_high", "charge_voltage_low", "cyclic_not_ended"}


def bank_of(key):
    """Return a bank of 12 V of a chemistry, and the nominal voltage of its block."""
    cells = round(12 / CHEMISTRIES[key].cell_nominal_v)
    block_v = round(cells * CHEMISTRIES[key].cell_nominal_v, 2)
    return {"chemistry": key, "block_v": block_v, "capacity_ah": 20}


def made(key, **supply):
    """Return a site with a bank of a chemistry, its charger and what more is said."""
    bank = bank_of(key)
    full = {"bank": bank, "nominal_v": bank["block_v"], "cutoff_v": 0.7 * bank["block_v"], "charge_v": None, "charge_limit_a": 1.0}
    return {"supply": merged(full, supply), "loads": [{"rail_v": bank["block_v"], "standby": {"current_a": 0.1}}]}


@pytest.mark.parametrize("key", RECHARGEABLE)
def test_what_a_sheet_sets_earns_nothing_in_the_plan(key):
    """Every chemistry, −10 to 45 °C on the day and as typical, float and cyclic, compensated, not, not known; a hottest day too."""
    counted = 0
    for typical, mode, follows, hot in itertools.product(range(-10, 46, 5), ("float", "cyclic"), (True, False, None), (None, 44)):
        site = {"typical_degc": typical, "min_degc": min(typical, 5), "max_degc": None if hot is None else max(hot, typical)}
        changes = made(key, charge_mode=mode, charge_ends="current", charge_compensated=follows) | {"site": site}
        supply = core_plan(document(**changes)).supplies[0]
        planned = set()
        for day in (-10, 0, 12, 25, 45):
            sheet = sheet_of(supply, SetUp(day_degc=day, off_load_v=13.2))
            if sheet.refused:
                assert sheet.set_v is None
                continue
            if sheet.plan_v is None:
                continue
            planned.add(sheet.plan_v)
        for plan_v in planned:
            entered = evaluate(**merged(changes, {"supply": {"charge_v": plan_v}}))
            assert NEVER_EARNED & set(codes(entered)) == set(), (typical, mode, follows, hot)
            counted += 1
    assert counted > 0 or CHEMISTRIES[key].charges_at_constant_current


def test_a_charger_that_may_not_follow_is_set_for_the_typical_temperature():
    """At −10 °C on the day: float 2.30 V at most, cyclic 2.45 V; gel 2.40 V; one that follows reads 14.07 V today and 13.62 V in the plan."""
    for key, mode, follows, battery_v, plan_v in (
        ("lead_agm", "float", None, 6 * 2.30, 6 * 2.30),
        ("lead_agm", "float", False, 6 * 2.30, 6 * 2.30),
        ("lead_agm", "cyclic", None, 6 * 2.45, 6 * 2.45),
        ("lead_gel", "cyclic", None, 6 * 2.40, 6 * 2.40),
        ("lead_agm", "float", True, 6 * 2.345, 6 * 2.27),
        ("lead_agm", "cyclic", True, 6 * 2.5125, 6 * 2.40),
    ):
        changes = made(key, charge_mode=mode, charge_compensated=follows) | {"site": {"typical_degc": -10, "min_degc": -15}}
        sheet = sheet_of(core_plan(document(**changes)).supplies[0], SetUp(day_degc=-10, off_load_v=13.0))
        assert (sheet.battery_v, sheet.plan_v) == (pytest.approx(battery_v), pytest.approx(plan_v))
    # A hottest day of 38 °C allows 2.33 V less 39 mV a cell.
    warm = made("lead_agm") | {"site": {"typical_degc": 5, "min_degc": 0, "max_degc": 38}}
    sheet = sheet_of(core_plan(document(**warm)).supplies[0], SetUp(day_degc=5))
    assert sheet.battery_v == pytest.approx(6 * (2.33 - 0.039))


def test_a_drop_that_is_none_of_a_tail_is_asked_or_refused():
    """Silicon from 0.35 to 0.60 V, Schottky from 0.10 to 0.30 V; asked beyond, taken once confirmed; far beyond refused whatever is confirmed."""
    supply = core_plan(document(**made("lead_agm"))).supplies[0]
    for diode, right, asked, refused in (
        (Diode.SILICON, 0.5, 0.63, 0.7),
        (Diode.SCHOTTKY, 0.2, 0.33, 0.36),
        (Diode.SILICON, 0.35, 0.2, 0.66),
    ):
        told = lambda tail_v, **more: sheet_of(supply, SetUp(day_degc=20, diode=diode, tail_v=tail_v, **more))  # noqa: E731, B023
        assert told(right).steps
        assert (bool(told(asked).asked), told(asked).set_v) == (True, None)
        assert told(asked, tail_confirmed=True).set_v == pytest.approx(6 * 2.285 + asked)
        assert "no tail drop" in " ".join(told(refused, tail_confirmed=True).refused)


def test_the_heat_of_a_linear_stage_is_the_greater_of_charging_and_carrying():
    """19 V in: 8.5 V · 1 A while the battery is empty, or 5.35 V · (2 A + 70 mA) once it is full; asked without an input; refused above what it may."""
    changes = made("lead_agm", charge_limit_a=1.0, supply_current_a=5, bank={"capacity_ah": 7}, charge_compensated=False, cutoff_v=10.5)
    changes["site"] = {"typical_degc": 20}

    def told(load_a, **more):
        plan = core_plan(document(**merged(changes, {}) | {"loads": [{"standby": {"current_a": load_a}}]}))
        return sheet_of(plan.supplies[0], SetUp(day_degc=20, source=ChargerMake.LINEAR, **more), plan.loads_on("s"))

    assert "highest input voltage" in " ".join(told(0.1).asked)
    assert told(0.1, input_max_v=19).heat_w == pytest.approx(8.5)
    assert told(2.0, input_max_v=19).heat_w == pytest.approx((19 - 6 * 2.285) * 2.07)
    assert "not checked" in " ".join(told(0.1, input_max_v=19).told)
    # Charging is held to what stays cool; what the loads need cannot be.
    assert told(0.1, input_max_v=19, heat_limit_w=4.25).limit_a == pytest.approx(0.5)
    assert "heat" in " ".join(told(2.0, input_max_v=19, heat_limit_w=9).refused)


def test_a_battery_that_may_be_frozen_is_not_charged():
    """Below −5 °C under 1.95 V a cell, −15 °C 2.03 V, −25 °C 2.10 V: refused; not measured: asked; its twins get their sheet."""
    supply = core_plan(document(**made("lead_agm"), site={"min_degc": -20})).supplies[0]
    for day, off_load_v, state in (
        (-6, None, "asked"),
        (-6, 11.6, "refused"),
        (-6, 11.8, "sheet"),
        (-16, 12.1, "refused"),
        (-16, 12.2, "sheet"),
        (-26, 12.5, "refused"),
        (-26, 12.7, "sheet"),
        (-5, None, "sheet"),
        (-5, 11.0, "sheet"),
    ):
        sheet = sheet_of(supply, SetUp(day_degc=day, off_load_v=off_load_v))
        assert (bool(sheet.refused), bool(sheet.asked), bool(sheet.steps)) == (state == "refused", state == "asked", state == "sheet"), day


def test_the_cold_lowers_the_current_of_lithium_on_its_sheet():
    """At 5 °C 0.2 of 20 Ah; what its maker allows instead; 10 °C and more as usual."""
    for more, min_degc, limit_a in (
        ({}, 5, 4.0),
        ({"cold_charge_per_h": 0.3}, 5, 6.0),
        ({}, 10, 10.0),
        ({"bms": {"charges_from_degc": 10}}, 5, 10.0),
    ):
        changes = made("lifepo4", charge_limit_a=15, supply_current_a=20, bank=more) | {"site": {"min_degc": min_degc}}
        sheet = sheet_of(core_plan(document(**changes)).supplies[0], SetUp(day_degc=20))
        assert sheet.limit_a == pytest.approx(limit_a)


def test_a_cyclic_charge_has_a_step_that_ends_it():
    """Who or what ends it is a step of its own; on float, and where the sun ends it, there is none."""

    def titles(**supply):
        return [s.title for s in sheet_of(core_plan(document(**made("lead_agm", **supply))).supplies[0], SetUp(day_degc=20)).steps]

    assert "Check what ends the charge" in titles(charge_mode="cyclic")
    assert "Check what ends the charge" not in titles()
    assert "Check what ends the charge" not in titles(kind="windowed", charge_mode="cyclic")


def test_a_new_chemistry_is_as_safe_as_the_one_it_copies(monkeypatch):
    """Lithium iron phosphate under another key: the same findings, the same sheet, the same fuse voltage; nothing falls through to another chemistry's rule."""
    copy = dataclasses.replace(LIFEPO4, key="lfp_copy", name="another phosphate")
    monkeypatch.setitem(CHEMISTRIES, "lfp_copy", copy)
    offences = (
        {"charge_v": 15.2},
        {"charge_v": 13.3},
        {"charge_v": 13.5},
        {"charge_v": 14.4, "charge_limit_a": 12, "supply_current_a": 12},
        {"charge_v": 14.4, "charge_limit_a": 6, "supply_current_a": 12},
        {"charge_v": 14.4, "min_degc": -5},
        {"charge_v": 14.4, "max_degc": 50},
        {"charge_v": 14.4, "cutoff_v": None},
        {"charge_v": 14.4, "current_limited": False},
    )
    seen = set()
    for offence in offences:
        both = []
        for key in ("lifepo4", "lfp_copy"):
            # The reader of files knows the chemistries it was made with, so the copy goes in behind it.
            plan = core_plan(document(supply={"bank": FOUR_LFP, **offence}, loads=[{"standby": {"current_a": 0.1}}]))
            supply = dataclasses.replace(plan.supplies[0], bank=dataclasses.replace(plan.supplies[0].bank, chemistry_key=key))
            both.append((_judged(plan, supply), sheet_of(supply, SetUp(day_degc=20))))
        assert both[0][0] == both[1][0]
        assert [s.target for s in both[0][1].steps] == [s.target for s in both[1][1].steps]
        assert all(s.kind is not StepKind.INPUT_V for s in both[1][1].steps)
        seen |= set(both[0][0])
    assert {"charge_voltage_dangerous", "charge_voltage_low", "no_balancing", "charger_too_strong", "charge_current_in_cold"} <= seen
    assert {"charge_below_freezing", "charge_in_heat", "no_cutoff", "no_current_limit"} <= seen


def _judged(plan, supply):
    from ypomoni.core.evaluation.evaluate import evaluate_plan

    return codes(evaluate_plan(dataclasses.replace(plan, supplies=(supply,))).supplies[0])


def test_a_chemistry_that_leaves_anything_unsaid_is_refused():
    """No default stands for what a charger needs: a missing figure, a missing way of charging and figures out of order are refused when it is made."""
    by = LIFEPO4.charging.by
    figures = {f.name: getattr(by, f.name) for f in dataclasses.fields(by)}
    for left_out in figures:
        with pytest.raises(TypeError, match=left_out):
            VoltageCharge(**{n: v for n, v in figures.items() if n != left_out})
    charging = LIFEPO4.charging
    stated = {f.name: getattr(charging, f.name) for f in dataclasses.fields(charging)}
    for left_out in stated:
        with pytest.raises(TypeError, match=left_out):
            type(charging)(**{n: v for n, v in stated.items() if n != left_out})
    with pytest.raises(QuantityError, match="does not state how it is charged"):
        dataclasses.replace(LIFEPO4, charging=None)
    with pytest.raises(QuantityError, match="rise in this order"):
        dataclasses.replace(by, cyclic_v=3.7)
