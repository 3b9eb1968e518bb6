"""Valve-regulated lead-acid with absorbent glass mat.

Fitted to a typical published-style 12 V 7 Ah row set (A to 1.75 V/cell, 5 min to 20 h) [H]. Those rows say nothing of the voltage on the way:
two curves that meet them within 1.2 % give 1.7 h and 3.8 h from 11.5 V to 10.5 V at C/20; this one lies half-way. Nor do they say anything of the
recharge tail or of aged blocks.
"""

from ypomoni.core.chemistries.lead_common import LEAD_CAPACITY_ROWS, LEAD_CURVE, LEAD_CURVE_ANCHORS, LEAD_RESISTANCE_ROWS, LEAD_SIZING_ROWS
from ypomoni.core.chemistries.model import Chemistry

LEAD_AGM = Chemistry(
    key="lead_agm",
    name="lead AGM",
    short_name="lead AGM",
    cell_nominal_v=2.0,
    ocv_rows=LEAD_CURVE,
    end_v=1.75,
    large_block_end_v=1.80,
    greatest_charge_v=2.45,
    resistance_ohm_ah=0.0488,
    dc_over_1khz_ratio=1.64,
    activation_v=0.0257,
    exchange_per_h=0.2,
    curve_anchors=LEAD_CURVE_ANCHORS,
    g=0.668,
    capacity_over_c20_ratio=1.068,
    k_per_h=0.767,
    r1_h=0.833,
    life_y=5.0,
    charge_ratio=0.90,
    greatest_charge_per_h=0.25,
    charge_knee_ratio=6.0,
    charges_at_constant_current=False,
    is_lithium=False,
    capacity_rows=LEAD_CAPACITY_ROWS,
    sizing_rows=LEAD_SIZING_ROWS,
    resistance_rows=LEAD_RESISTANCE_ROWS,
    source="typical discharge rows of general-purpose AGM blocks, 12 V 7 Ah, to 1.75 V a cell",
    confidence="H",
    self_discharge_per_month_ratio=0.03,
    is_lead=True,
    cell_limit_v=1.75,
    dangerous_charge_v=2.47,
    least_charge_v=2.20,
    highest_degc=50.0,
)
