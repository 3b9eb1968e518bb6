"""Lithium manganese dioxide cells [M]."""

from ypomoni.core.chemistries.model import Chemistry
from ypomoni.core.chemistries.primary_common import PRIMARY_RESISTANCE_ROWS

LI_MNO2 = Chemistry(
    key="li_mno2",
    name="lithium manganese dioxide",
    short_name="Li-MnO2",
    cell_nominal_v=3.0,
    ocv_rows=((0.0, 2.4), (0.1, 2.75), (0.8, 2.98), (1.0, 3.2)),
    end_v=2.0,
    large_block_end_v=None,
    resistance_ohm_ah=0.61,
    g=0.12,
    capacity_over_c20_ratio=1.0,
    k_per_h=1.8,
    r1_h=0.28,
    life_y=10.0,
    charge_ratio=1.0,
    charging=None,
    is_lithium=True,
    capacity_rows=((-20, 0.60), (-10, 0.75), (0, 0.87), (25, 1.0)),
    sizing_rows=None,
    resistance_rows=PRIMARY_RESISTANCE_ROWS,
    source="typical discharge rows of cylindrical cells, against their nameplate at low drain",
    confidence="M",
    self_discharge_per_month_ratio=0.001,
    is_primary=True,
)
