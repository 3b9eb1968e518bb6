"""Valve-regulated lead-acid with absorbent glass mat.

Fitted to a typical published-style 12 V 7 Ah row set (A to 1.75 V/cell, 5 min to 20 h) [H]. The source says nothing of the voltage in
mid-discharge, of the recharge tail or of aged blocks.
"""

from ypomoni.core.chemistries.lead_common import LEAD_CAPACITY_ROWS, LEAD_RESISTANCE_ROWS, LEAD_SIZING_ROWS
from ypomoni.core.chemistries.model import Chemistry

LEAD_AGM = Chemistry(
    key="lead_agm",
    name="lead AGM",
    cell_nominal_v=2.0,
    ocv_rows=((0.0, 1.948), (1.0, 2.140)),
    end_v=1.75,
    large_block_end_v=1.80,
    greatest_charge_v=2.45,
    resistance_ohm_ah=0.0596,
    g=0.94,
    capacity_over_c20_ratio=1.05,
    k_per_h=0.758,
    r1_h=0.889,
    life_y=5.0,
    charge_ratio=0.90,
    greatest_charge_per_h=0.25,
    charge_knee_ratio=5.0,
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
