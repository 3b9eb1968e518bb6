"""Lithium-ion of the nickel-manganese-cobalt and nickel-cobalt-aluminium kinds, pouch cells included.

Typical published-style figures [M]. The source does not say at which current a given protection circuit trips.
"""

from ypomoni.core.chemistries.lithium_common import LITHIUM_CAPACITY_ROWS, LITHIUM_RESISTANCE_ROWS
from ypomoni.core.chemistries.model import Chemistry

LI_ION = Chemistry(
    key="li_ion",
    name="lithium-ion",
    short_name="Li-ion",
    cell_nominal_v=3.65,
    ocv_rows=(
        (0.0, 2.950),
        (0.02, 3.160),
        (0.05, 3.300),
        (0.1, 3.430),
        (0.2, 3.540),
        (0.3, 3.610),
        (0.4, 3.670),
        (0.5, 3.740),
        (0.6, 3.830),
        (0.7, 3.920),
        (0.8, 4.020),
        (0.9, 4.090),
        (0.97, 4.130),
        (1.0, 4.190),
    ),
    end_v=3.0,
    large_block_end_v=None,
    greatest_charge_v=4.20,
    resistance_ohm_ah=0.12,
    dc_over_1khz_ratio=1.26,
    activation_v=0.0257,
    exchange_per_h=0.3,
    curve_anchors=((0.03, 0.1), (0.12, 0.06), (0.3, 0.04), (0.55, 0.04), (0.85, 0.04)),
    g=0.03,
    capacity_over_c20_ratio=1.0115,
    k_per_h=13.0,
    r1_h=0.05,
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
