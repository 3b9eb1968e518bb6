"""Blocks, banks and packs: published rows, cell counts, ageing, temperature, other hour rates."""

import csv
from pathlib import Path

import pytest

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.errors import OutsideTableError, QuantityError
from ypomoni.core.things.batteries import Bank, build_pack, cell_of, cells_of_block, constant_current_run_h

ROWS = Path(__file__).parent.parent / "reference" / "agm_12v_7ah.csv"
AGM = CHEMISTRIES["lead_agm"]


def published_rows():
    lines = [line for line in ROWS.read_text().splitlines() if not line.startswith("#")]
    return [(float(r["run_h"]), float(r["current_a"])) for r in csv.DictReader(lines)]


@pytest.mark.parametrize(("run_h", "current_a"), published_rows())
def test_agm_meets_the_published_rows_within_2_percent(run_h, current_a):
    """From five minutes to twenty hours; the twenty hours themselves, which every plate states, within 1 %."""
    assert constant_current_run_h(cell_of(AGM), 7.0, current_a, 1.75) == pytest.approx(run_h, rel=0.01 if run_h == 20 else 0.02)


@pytest.mark.parametrize(
    ("chemistry", "block_v", "cells"),
    [("lead_agm", 12, 6), ("lifepo4", 12.8, 4), ("li_ion", 11.1, 3), ("nimh", 12, 10), ("lead_gel", 6, 3)],
)
def test_cells_are_counted_from_the_nominal_voltage(chemistry, block_v, cells):
    """Rounded, within 6 %."""
    assert cells_of_block(chemistry, block_v) == cells


def test_a_voltage_that_no_cells_make_is_refused_with_what_would_be_right():
    """13 V is neither six nor seven lead cells."""
    with pytest.raises(QuantityError, match=r"was 13 V: 12 V or 14 V would be right, or give cells_count"):
        cells_of_block("lead_agm", 13)


def test_a_block_rated_at_ten_hours_gets_its_20_hour_capacity_from_the_model():
    """A large lead block is rated to 1.80 V a cell: C20 is about 1.06 to 1.08 of C10; simulated at that rate it lasts ten hours."""
    bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=100, rate_h=10)
    assert bank.rated_c20_ah == pytest.approx(107, rel=0.02)
    assert constant_current_run_h(cell_of(AGM), bank.rated_c20_ah, 10.0, 1.80) == pytest.approx(10.0, rel=1e-6)


def test_condition_follows_age_and_heat_down_to_a_floor():
    """0.2 is lost over the design life, which halves with 10 °C above 25 °C."""
    bank = Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7, age_y=2.5)
    assert bank.condition_today_ratio(20) == pytest.approx(0.9)
    assert bank.condition_today_ratio(35) == pytest.approx(0.8)
    assert Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7, age_y=50).condition_today_ratio(20) == 0.3
    assert Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=7, age_y=9, condition_ratio=0.97).condition_today_ratio(20) == 0.97


def test_pack_follows_the_formula_by_hand():
    """Two strings of 17 Ah at 0 °C, worn to 0.8: q = 34·1.068·0.85·0.8, Rb = 6·0.0488/34·1.4·1.5, i0 = 0.2·34."""
    pack = build_pack(Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=17, parallel=2), condition_ratio=0.8, temperature_degc=0)
    assert pack.capacity_ah == pytest.approx(34 * 1.068 * 0.85 * 0.8)
    assert pack.resistance_ohm == pytest.approx(6 * 0.0488 / 34 * 1.4 * 1.5)
    assert (pack.activation_v, pack.exchange_a) == pytest.approx((6 * 0.0257, 6.8))
    assert pack.open_circuit_v(1.0) == pytest.approx(6 * 2.157)


@pytest.mark.parametrize("chemistry", CHEMISTRIES.values(), ids=CHEMISTRIES.keys())
def test_temperature_rows_rise_give_no_credit_above_25_and_refuse_outside(chemistry):
    """Linear between rows, at most 1 above 25 °C, and no figure where there is no row."""
    factors = [chemistry.capacity_factor_ratio(t, sizing=sizing) for sizing in (False, True) for t in (-20, -7, 3, 22, 25, 40)]
    assert factors[:6] == sorted(factors[:6])
    assert factors[5] == factors[11] == 1.0
    resistances = [chemistry.resistance_factor_ratio(t) for t in (-20, -7, 3, 22, 25, 40)]
    assert resistances == sorted(resistances, reverse=True)
    with pytest.raises(OutsideTableError, match="no figure is given outside it"):
        chemistry.resistance_factor_ratio(-21)
    assert not chemistry.covers(-21)
    assert chemistry.covers(-20)


def test_sizing_row_is_the_more_cautious_one():
    """IEEE 485 style: K 1.30 at 4.4 °C against the expected value of the prediction row."""
    assert AGM.capacity_factor_ratio(4.4, sizing=True) == pytest.approx(1 / 1.30)
    assert AGM.capacity_factor_ratio(4.4) == pytest.approx(0.85 + 0.08 * 0.44)


def test_primary_cells_yield_of_their_nameplate_what_their_rate_allows():
    """At C/20 alkaline gives 0.81 of it and lithium thionyl chloride nothing; at the low drain it belongs to, about all; whatever the rate on the label."""

    def yields(key, hours):
        chemistry = CHEMISTRIES[key]
        return constant_current_run_h(cell_of(chemistry), 1.0, 1 / hours, chemistry.end_v) / hours

    assert yields("alkaline", 20) == pytest.approx(0.81, abs=0.02)
    assert yields("li_socl2", 20) < 0.02
    assert yields("alkaline", 200) == pytest.approx(1.0, abs=0.05)
    assert yields("li_socl2", 1000) == pytest.approx(1.0, abs=0.06)
    assert Bank(chemistry_key="alkaline", block_v=1.5, capacity_ah=2.7, rate_h=200).rated_c20_ah == 2.7
