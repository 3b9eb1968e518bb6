"""Lithium iron disulphide cells [M]."""

from ypomoni.core.chemistries.model import Chemistry
from ypomoni.core.chemistries.primary_common import PRIMARY_RESISTANCE_ROWS

LI_FES2 = Chemistry(
    key="li_fes2",
    name="lithium iron disulphide",
    short_name="Li-FeS2",
    cell_nominal_v=1.5,
    ocv_rows=((0.0, 1.35), (0.1, 1.45), (0.8, 1.55), (1.0, 1.78)),
    end_v=0.9,
    large_block_end_v=None,
    resistance_ohm_ah=0.7,
    g=0.13,
    capacity_over_c20_ratio=1.0,
    k_per_h=2.0,
    r1_h=0.115,
    life_y=15.0,
    charge_ratio=1.0,
    charging=None,
    is_lithium=True,
    capacity_rows=((-40, 0.60), (-20, 0.85), (0, 0.95), (25, 1.0)),
    sizing_rows=None,
    resistance_rows=PRIMARY_RESISTANCE_ROWS,
    source="typical discharge rows of cylindrical cells, against their nameplate at low drain",
    confidence="M",
    self_discharge_per_month_ratio=0.0005,
    is_primary=True,
)
