"""Alkaline manganese cells [M]. The nameplate is a figure at about C/200; at C/20 such a cell yields about four fifths of it."""

from ypomoni.core.chemistries.model import Chemistry
from ypomoni.core.chemistries.primary_common import PRIMARY_RESISTANCE_ROWS

ALKALINE = Chemistry(
    key="alkaline",
    name="alkaline",
    short_name="alkaline",
    cell_nominal_v=1.5,
    ocv_rows=((0.0, 1.05), (0.1, 1.15), (0.5, 1.32), (0.9, 1.50), (1.0, 1.58)),
    end_v=0.9,
    large_block_end_v=None,
    resistance_ohm_ah=1.0,
    g=0.44,
    capacity_over_c20_ratio=1.03,
    k_per_h=0.31,
    r1_h=2.4,
    life_y=7.0,
    charge_ratio=1.0,
    charging=None,
    is_lithium=False,
    capacity_rows=((-20, 0.25), (-10, 0.45), (0, 0.65), (10, 0.82), (20, 0.96), (25, 1.0)),
    sizing_rows=None,
    resistance_rows=PRIMARY_RESISTANCE_ROWS,
    source="typical discharge rows of cylindrical cells, against their nameplate at low drain",
    confidence="M",
    self_discharge_per_month_ratio=0.0025,
    is_primary=True,
    highest_degc=50.0,
)
