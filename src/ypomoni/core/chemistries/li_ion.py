"""Lithium-ion of the nickel-manganese-cobalt and nickel-cobalt-aluminium kinds, pouch cells included.

Typical published-style figures [M]. The source does not say at which current a given protection circuit trips.
"""

from ypomoni.core.chemistries.lithium_common import LITHIUM_CAPACITY_ROWS, LITHIUM_RESISTANCE_ROWS
from ypomoni.core.chemistries.model import Chemistry

LI_ION = Chemistry(
    key="li_ion",
    name="lithium-ion",
    cell_nominal_v=3.65,
    ocv_rows=((0.0, 3.00), (0.05, 3.35), (0.1, 3.45), (0.3, 3.58), (0.5, 3.67), (0.7, 3.87), (0.9, 4.07), (1.0, 4.18)),
    end_v=3.0,
    large_block_end_v=None,
    greatest_charge_v=4.20,
    resistance_ohm_ah=0.19,
    g=0.03,
    capacity_over_c20_ratio=1.005,
    k_per_h=3.1,
    r1_h=0.042,
    life_y=7.0,
    charge_ratio=0.99,
    greatest_charge_per_h=0.5,
    charge_knee_ratio=0.0,
    charges_at_constant_current=False,
    is_lithium=True,
    capacity_rows=LITHIUM_CAPACITY_ROWS,
    sizing_rows=None,
    resistance_rows=LITHIUM_RESISTANCE_ROWS,
    source="typical discharge rows of cells of the nickel-manganese-cobalt kind",
    confidence="M",
    self_discharge_per_month_ratio=0.02,
    cell_limit_v=2.5,
    dangerous_charge_v=4.22,
    least_charge_v=4.00,
)
