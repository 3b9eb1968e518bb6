"""Valve-regulated lead-acid with gelled electrolyte.

Typical published-style figures [M]; the curve is that of AGM less 10 mV [L]. The source does not say how the temperature rows of gel differ
from AGM; the same are used.
"""

from ypomoni.core.chemistries.lead_common import LEAD_CAPACITY_ROWS, LEAD_CURVE, LEAD_CURVE_ANCHORS, LEAD_RESISTANCE_ROWS, LEAD_SIZING_ROWS
from ypomoni.core.chemistries.model import Chemistry

LEAD_GEL = Chemistry(
    key="lead_gel",
    name="lead gel",
    short_name="lead gel",
    cell_nominal_v=2.0,
    ocv_rows=tuple((h, round(v - 0.010, 3)) for h, v in LEAD_CURVE),
    end_v=1.75,
    large_block_end_v=1.80,
    greatest_charge_v=2.40,
    resistance_ohm_ah=0.065,
    dc_over_1khz_ratio=1.63,
    activation_v=0.0257,
    exchange_per_h=0.2,
    curve_anchors=LEAD_CURVE_ANCHORS,
    g=0.7,
    capacity_over_c20_ratio=1.127,
    k_per_h=0.54,
    r1_h=1.8,
    life_y=10.0,
    charge_ratio=0.90,
    greatest_charge_per_h=0.20,
    charge_knee_ratio=6.0,
    charges_at_constant_current=False,
    is_lithium=False,
    capacity_rows=LEAD_CAPACITY_ROWS,
    sizing_rows=LEAD_SIZING_ROWS,
    resistance_rows=LEAD_RESISTANCE_ROWS,
    source="typical discharge rows of gel blocks",
    confidence="M",
    self_discharge_per_month_ratio=0.02,
    is_lead=True,
    cell_limit_v=1.75,
    dangerous_charge_v=2.42,
    least_charge_v=2.20,
    highest_degc=50.0,
)
