"""Lithium thionyl chloride cells, bobbin type [L]. The nameplate is a figure at about C/1000; at C/20 they yield nothing. They passivate:
after months at rest the first current meets a film, and the voltage dips before it recovers; and their current has a hard limit."""

from ypomoni.core.chemistries.model import Chemistry
from ypomoni.core.chemistries.primary_common import PRIMARY_RESISTANCE_ROWS

LI_SOCL2 = Chemistry(
    key="li_socl2",
    name="lithium thionyl chloride",
    short_name="Li-SOCl2",
    cell_nominal_v=3.6,
    ocv_rows=((0.0, 3.30), (0.05, 3.58), (1.0, 3.67)),
    end_v=3.0,
    large_block_end_v=None,
    resistance_ohm_ah=14.0,
    g=0.11,
    capacity_over_c20_ratio=1.0,
    k_per_h=0.054,
    r1_h=32.0,
    life_y=12.0,
    charge_ratio=1.0,
    charging=None,
    is_lithium=True,
    capacity_rows=((-40, 0.50), (-20, 0.75), (0, 0.90), (25, 1.0)),
    sizing_rows=None,
    resistance_rows=PRIMARY_RESISTANCE_ROWS,
    source="typical discharge rows of cylindrical cells, against their nameplate at low drain",
    confidence="L",
    self_discharge_per_month_ratio=0.0008,
    is_primary=True,
    is_passivated=True,
)
