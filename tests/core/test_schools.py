"""The schools side by side: every formula solved and put back, the section method by hand, factors by name, discharge tables and truth."""

import math
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from builders import case_of, codes, core_plan, document, evaluate
from hypothesis import given, settings
from hypothesis import strategies as st

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.cells import cell_voltage_v, constant_current_run_h, rate_for_run_per_h
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, RowKind, Untold, fit_rows, fit_table
from ypomoni.core.chemistries.refit import Shape, refit, residuals
from ypomoni.core.errors import QuantityError
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.recharge import simulate_recovery
from ypomoni.core.requirements import Method
from ypomoni.core.things.batteries import Bank, build_pack, cell_of

ROOT = Path(__file__).parent.parent.parent
sys.path.insert(0, str(ROOT / "tools"))
from accuracy import CELLS, DOCUMENT, bank_of, document_text, figures_of  # noqa: E402


def methods_of(**changes):
    return {m.method: m for m in evaluate(**changes).methods}


@settings(max_examples=15, deadline=None)
@given(
    standby_a=st.floats(0.05, 1.0),
    alarm_times=st.floats(1.0, 12.0),
    capacity_ah=st.floats(4.0, 120.0),
    alarm_min=st.sampled_from([0.0, 5.0, 30.0, 60.0]),
    min_degc=st.floats(-10.0, 20.0),
)
@pytest.mark.long
def test_every_formula_solved_for_its_standby_and_put_back_gives_the_same_capacity(
    standby_a, alarm_times, capacity_ah, alarm_min, min_degc
):
    """Ah to hours to Ah, for all eight; a bank too small even for the alarm promises no standby at all."""
    shared = {
        "supply": {"bank": {"capacity_ah": capacity_ah}},
        "loads": [{"standby": {"current_a": standby_a}, "alarm": {"current_a": standby_a * alarm_times, "provenance": "measured"}}],
        "site": {"typical_degc": 20, "min_degc": min_degc},
    }
    first = methods_of(**shared, requirement={"alarm_min": alarm_min, "recharge_h": None})
    assert set(first) == set(Method)
    for method, found in first.items():
        assert found.holdover_h is not None
        if found.holdover_h <= 1e-3:
            continue
        again = methods_of(**shared, requirement={"alarm_min": alarm_min, "recharge_h": None, "standby_h": found.holdover_h})
        assert again[method].required_ah == pytest.approx(capacity_ah, rel=1e-3), method


def test_the_section_method_is_what_it_is_by_hand():
    """Two sections, a random load, cold, ageing and margin: the sum written out with the rates of one cell."""
    bursts = [{"current_a": 1.5, "duration_s": 8, "per_hour": 1}]
    changes = {"loads": [{"standby": {"current_a": 0.4}, "alarm": {"current_a": 1.2, "provenance": "measured"}, "bursts": bursts}]}
    found = methods_of(**changes)[Method.SECTION]
    cell, end_v = cell_of(CHEMISTRIES["lead_agm"]), 10.5 / 6
    duty = 8 / 3600

    def k(hours):
        return 1 / rate_for_run_per_h(cell, hours, end_v)

    first_a, second_a = 0.4 * (1 - duty) + 1.5 * duty, 1.2 * (1 - duty) + 1.5 * duty
    sections = (first_a * k(24), first_a * k(24.5) + (second_a - first_a) * k(0.5))
    cold = CHEMISTRIES["lead_agm"].capacity_factor_ratio(5, sizing=True)
    assert found.required_ah == pytest.approx((max(sections) + 1.1 * k(1 / 60)) / cold * 1.25 * 1.10, rel=1e-6)
    assert constant_current_run_h(cell, 1.0, 1 / k(10), end_v) == pytest.approx(10, rel=1e-6)


def test_energy_and_autonomy_with_and_without_its_factors():
    """0.3 A for a day is 7.2 Ah; at half depth through an inverter of 0.8 it is 18 Ah, and a bank of 17 Ah then stands by 22.7 h."""
    found = methods_of(requirement={"autonomy": {"depth_ratio": 0.5, "inverter_ratio": 0.8}})
    assert found[Method.ENERGY_AUTONOMY].required_ah == pytest.approx(7.2)
    assert found[Method.AUTONOMY_WITH_LOSSES].required_ah == pytest.approx(18.0)
    assert found[Method.AUTONOMY_WITH_LOSSES].holdover_h == pytest.approx(17 * 0.4 / 0.3)


def test_where_and_why_the_schools_part_is_said_with_named_factors():
    """The simulation's own factors multiplied make its ratio to current × time; each other school says what it leaves out."""
    result = evaluate(loads=[{"standby": {"current_a": 0.6}}], requirement={"method": "standard_formula"})
    text = result.disagreement[0]
    assert "÷ 0.8 for ageing" in text
    assert "for 5 °C" in text
    assert any(t.startswith("Standard formula, which is prescribed, asks") and "leaves out cold" in t for t in result.disagreement)
    assert codes(result)["cold_not_counted"] == "note"
    double = evaluate(requirement={"method": "derated", "derating": {"usable_ratio": 0.5, "age_ratio": 0.7, "activity_ratio": 0.9}})
    assert codes(double)["double_margin"] == "note"
    assert codes(evaluate(requirement={"method": "energy_autonomy"}))["missing_margin"] == "risk"


def test_a_warning_shorter_than_the_way_is_found():
    """From 11 V it is a short way down; somebody comes after a day."""
    result = evaluate(supply={"low_battery_v": 11.0}, requirement={"response_h": 24})
    assert codes(result)["warning_too_short"] == "risk"
    assert result.warning.standby_h < 24
    assert "warning_too_short" not in codes(evaluate(supply={"low_battery_v": 12.6}, requirement={"response_h": 1}))


def test_a_warning_is_a_range_unless_a_table_has_volts_on_the_way():
    """0.6 to 1.4 times: too short at the bad end only is told and does not judge; with readings it is one time, and nothing is to be told."""
    warns = {"low_battery_v": 11.5}
    whole = evaluate(supply=warns)
    assert (whole.warning.low_ratio, whole.warning.high_ratio) == (0.6, 1.4)
    asked_h = 0.8 * min(whole.warning.standby_h, whole.warning.alarm_h)
    told = evaluate(supply=warns, requirement={"response_h": asked_h})
    assert codes(told)["warning_too_short"] == "note"
    assert told.verdict == whole.verdict
    read = [{"current_a": 0.85, "run_h": 10, "end_v": 12.3, "kind": "reading"}, {"current_a": 0.85, "run_h": 20, "end_v": 10.5}]
    known = evaluate(supply={**warns, "bank": {"discharge_table": read}}, requirement={"response_h": asked_h})
    assert not known.warning.is_range
    assert "warning_too_short" not in codes(known)
    ends = [{"current_a": a, "run_h": h, "end_v": 10.5} for a, h in ((0.85, 20), (1.58, 10))]
    assert evaluate(supply={**warns, "bank": {"discharge_table": ends}}).warning.is_range


# -- blocks as they are ----------------------------------------------------------------------------------------------------------------

PUBLISHED = (
    (22, 1 / 12),
    (15.2, 1 / 6),
    (11.8, 0.25),
    (7.2, 0.5),
    (4.25, 1),
    (2.5, 2),
    (1.80, 3),
    (1.20, 5),
    (0.80, 8),
    (0.65, 10),
    (0.35, 20),
)


def table_of(rows, c20_ah=7.0):
    return DischargeTable(rows=tuple(DischargeRow(current_a=a, run_h=h, end_v=v) for a, h, v in rows), block_c20_ah=c20_ah)


@pytest.mark.parametrize(("n", "times"), [(3, 1.25), (6, 0.7), (9, 10.0), (0, 0.1)])
def test_a_suspect_row_is_flagged_and_hardly_moves_the_fit(n, times):
    """One row off by a quarter, by a third, by a slip of ten: it alone is flagged, and the others stay within 6 %."""
    rows = [(a, h, 10.5) for a, h in PUBLISHED]
    rows[n] = (rows[n][0] * times, rows[n][1], 10.5)
    fit = fit_table(table_of(rows), CHEMISTRIES["lead_agm"], 6)
    assert [r.is_suspect for r in fit.rows] == [m == n for m in range(len(rows))]
    assert all(abs(r.error_ratio) < 0.06 for m, r in enumerate(fit.rows) if m != n)


def test_rows_with_end_voltages_of_their_own_are_not_mixed():
    """The same currents to 1.60, 1.75 and 1.85 V a cell, made by a known cell: the fit gives it back."""
    prior = CHEMISTRIES["lead_agm"]
    rows = [(a, constant_current_run_h(cell_of(prior), 7.0, a, v), 6 * v) for a in (0.35, 1.2, 4.0) for v in (1.60, 1.75, 1.85)]
    fit = fit_table(table_of(rows), prior, 6)
    assert fit.untold == ()
    assert all(abs(r.error_ratio) < 1e-3 for r in fit.rows)
    with pytest.raises(QuantityError, match="at rest"):
        fit_table(table_of([(1.0, 5.0, 13.5), (2.0, 2.0, 10.5)]), prior, 6)
    with pytest.raises(QuantityError, match="of a block of about 70"):
        fit_table(table_of([(a * 10, h, v) for a, h, v in rows]), prior, 6)
    with pytest.raises(QuantityError, match="at least 2 rows"):
        fit_table(table_of(rows[:1]), prior, 6)


def test_a_table_narrows_the_band_and_a_measured_resistance_counts_with_what_1khz_leaves_out():
    """±3 % instead of ±10 % of capacity; Rb = 1.64 × 20 mΩ × series / parallel, and no rule of age on top."""
    rows = [{"current_a": a * 17 / 7, "run_h": h, "end_v": 10.5} for a, h in PUBLISHED]
    nameplate, tabled = evaluate(), evaluate(supply={"bank": {"discharge_table": rows}})
    assert tabled.holdover.low / tabled.holdover.expected > nameplate.holdover.low / nameplate.holdover.expected
    assert {i.provenance for i in tabled.band_inputs if i.key == "bank_capacity"} == {"discharge table"}
    bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7, series=2, parallel=2, age_y=3, resistance_ohm=0.02)
    pack = build_pack(bank, condition_ratio=bank.condition_today_ratio(25), temperature_degc=25)
    assert pack.resistance_ohm == pytest.approx(0.0328)


def test_own_stock_overrides_the_sold_list():
    """With a 10 Ah and a 38 Ah block on the shelf nothing else is proposed; without the chemistry in stock the list is."""
    found = document(loads=[{"standby": {"current_a": 0.5}}])
    found["stock"] = [{"chemistry": "lead_agm", "block_v": 12, "capacity_ah": ah, "rate_h": rate} for ah, rate in ((10, 20), (38, 10))]
    plan = core_plan(found)
    from ypomoni.core.evaluation.evaluate import evaluate_supply

    bank = evaluate_supply(plan, plan.supplies[0]).recommended_bank
    assert (bank.capacity_ah, bank.rate_h) in {(10, 20), (38, 10)}
    found["stock"] = [{"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 7}]
    plan = core_plan(found)
    assert evaluate_supply(plan, plan.supplies[0]).recommended_bank.capacity_ah not in (10, 38)


def test_self_discharge_takes_its_share_of_long_runs():
    """3 % a month at 25 °C: 10 mA from 17 Ah last 4 % shorter than charge alone would, at 45 °C four times that is lost."""
    bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=17)
    at_25, at_45 = (build_pack(bank, condition_ratio=1.0, temperature_degc=t).self_a for t in (25, 45))
    assert at_25 == pytest.approx(17 * 0.03 / 730)
    assert at_45 == pytest.approx(4 * at_25)
    result = evaluate(loads=[{"standby": {"current_a": 0.01}}], site={"typical_degc": 25, "min_degc": 20})
    assert result.endurance_h < 17 * 1.068 / (0.01 + at_25) * 1.001


def test_with_six_rows_every_aim_is_met_against_independent_physics():
    """Three cells of porous-electrode models, six rows known: run times, volts on the way, warning, holdover with alarm, mixed runs."""
    found = [f for cell in CELLS.values() for f in figures_of(cell, bank_of(cell, "six rows")) if f.aim is not None]
    assert len(found) > 90
    assert [(f.group, f.name, f.shown) for f in found if f.is_missed] == []


def test_the_published_table_of_errors_is_the_one_in_force():
    """docs/accuracy.md is what the tool prints now."""
    assert document_text() == DOCUMENT.read_text()


@pytest.mark.parametrize(("name", "rows"), [("lead_sulzer", "six rows"), ("lfp_prada", "two ends"), ("nmc_chen", "six rows")])
def test_the_refit_is_that_of_an_independent_least_squares(name, rows):
    """The same residuals given to a standard solver, whose derivatives are differences, end at the same cell."""
    from scipy.optimize import least_squares

    cell, bank = CELLS[name], bank_of(CELLS[name], rows)
    shape, asked = Shape(CHEMISTRIES[cell.chemistry_key]), fit_rows(bank.table, 1)
    theirs = [
        least_squares(lambda x: residuals(shape, asked, x)[0], start, loss="soft_l1", f_scale=3.0, x_scale=shape.spreads, max_nfev=300)
        for start in (np.zeros(len(shape.spreads)), np.where(np.arange(len(shape.spreads)) == 3, math.log(0.25), 0.0))
    ]
    ours = refit(asked, CHEMISTRIES[cell.chemistry_key])
    best = shape.cell(min(theirs, key=lambda found: found.cost).x)
    for after_h, rate in ((2.0, 0.05), (15.0, 0.05), (1.0, 0.5), (0.3, 1.0)):
        assert cell_voltage_v(ours, rate, after_h) == pytest.approx(cell_voltage_v(best, rate, after_h), abs=0.002)


def test_a_fitted_curve_never_rises_towards_empty_and_says_what_its_rows_cannot_tell():
    """Readings that would turn the curve over are kept from it; one rate, no volts, no end: each is said."""
    lead = CHEMISTRIES["lead_agm"]
    odd = [(0.35, 8.0, 11.9, RowKind.READING), (0.35, 14.0, 12.6, RowKind.READING), (0.35, 20.0, 10.5, RowKind.END)]
    rows = tuple(DischargeRow(current_a=a, run_h=h, end_v=v, kind=kind) for a, h, v, kind in odd)
    fit = fit_table(DischargeTable(rows=rows, block_c20_ah=7.0), lead, 6)
    volts = [v for _, v in fit.cell.ocv_rows]
    assert volts == sorted(volts)
    assert fit.untold == (Untold.OTHER_RATES,)
    assert [r.is_suspect for r in fit.rows].count(True) >= 1
    only = fit_table(DischargeTable(rows=(*rows[:1], replace(rows[0], run_h=4.0, end_v=12.5)), block_c20_ah=7.0), lead, 6)
    assert only.untold == (Untold.HOURS, Untold.OTHER_RATES)
    with pytest.raises(QuantityError, match="on the way must be below"):
        fit_table(DischargeTable(rows=(rows[0], replace(rows[0], end_v=13.6)), block_c20_ah=7.0), lead, 6)


@settings(max_examples=15, deadline=None)
@given(
    key=st.sampled_from(sorted(CHEMISTRIES)),
    rows=st.lists(
        st.tuples(st.floats(1e-6, 1e3), st.floats(1e-6, 1e5), st.floats(0.01, 1.02), st.sampled_from(list(RowKind))), min_size=2, max_size=9
    ),
    c20_ah=st.floats(0.01, 1000.0),
)
def test_any_rows_give_a_finite_cell_or_a_reason(key, rows, c20_ah):
    """Rows of no battery at all too, for every chemistry: finite figures, a curve that rises towards full, residuals that can be shown."""
    chemistry = CHEMISTRIES[key]
    full_v = chemistry.ocv_rows[-1][1]
    table = DischargeTable(
        rows=tuple(DischargeRow(current_a=a, run_h=h, end_v=v * full_v, kind=k) for a, h, v, k in rows), block_c20_ah=c20_ah
    )
    try:
        fit = fit_table(table, chemistry, 1)
    except QuantityError:
        return
    cell = fit.cell
    assert all(0 < x < math.inf for x in (cell.capacity_over_c20_ratio, cell.resistance_ohm_ah, cell.g, cell.k_per_h, cell.r1_h))
    assert [v for _, v in cell.ocv_rows] == sorted(v for _, v in cell.ocv_rows)
    assert all(math.isfinite(r.error_ratio) and math.isfinite(r.error_v) for r in fit.rows)


def test_a_table_of_one_rate_narrows_the_band_at_that_rate_only():
    """Two rows at 0.85 A: a supply that draws 0.8 A knows its capacity to ±3 %, one that draws 0.3 A to ±10 % still."""
    rows = [{"current_a": 0.85, "run_h": 20, "end_v": 10.5}, {"current_a": 0.85, "run_h": 10, "end_v": 12.3, "kind": "reading"}]
    spreads = [case_of({"bank": {"discharge_table": rows}}, [{"standby": {"current_a": a}}]).capacity_spread_ratio for a in (0.8, 0.3)]
    assert spreads == [0.03, 0.10]


@pytest.mark.parametrize("rows", [(), ((5.0, 20.0), (50.0, 1.85))])
def test_lithium_iron_phosphate_is_charged_to_99_percent(rows):
    """At 14.6 V, its head past full while it is charged, refitted or not: (1 − 0.01)·100 Ah over 0.99·I, but for what is left at 2.8 V a cell."""
    table = (
        DischargeTable(rows=tuple(DischargeRow(current_a=a, run_h=h, end_v=10.0) for a, h in rows), block_c20_ah=100.0) if rows else None
    )
    bank = Bank(chemistry_key="lifepo4", block_v=12.8, capacity_ah=100, table=table)
    for current_a in (10.0, 25.0, 50.0):
        found = simulate_recovery(bank, condition_ratio=1.0, temperature_degc=25, current_a=current_a, charge_v=14.6, to_ratio=0.99)
        assert found.recovery_h == pytest.approx(100.0 / current_a, rel=0.035)


def test_a_case_keeps_the_ends_of_its_currents():
    """The bad end of every load is above what is expected, the good end below."""
    plan = core_plan(document(loads=[{"standby": {"current_a": 0.3, "provenance": "estimate"}}]))
    ((bad, good),) = Case(plan.supplies[0], plan.loads).current_ends
    assert good.standby_current_a < 0.3 < bad.standby_current_a
