"""Lithium iron phosphate with its battery management system.

Typical published-style figures [M]. The cell's own limit is 2.5 V; 2.8 V is the end voltage that equipment should use, and the one
used here. The source does not say at which current a given management system trips.
"""

from ypomoni.core.chemistries.lithium_common import LITHIUM_CAPACITY_ROWS, LITHIUM_RESISTANCE_ROWS
from ypomoni.core.chemistries.model import Chemistry

LIFEPO4 = Chemistry(
    key="lifepo4",
    name="lithium iron phosphate",
    short_name="LiFePO4",
    cell_nominal_v=3.2,
    ocv_rows=(
        (0.0, 2.500),
        (0.01, 2.680),
        (0.03, 2.860),
        (0.06, 3.000),
        (0.1, 3.100),
        (0.15, 3.200),
        (0.25, 3.240),
        (0.35, 3.280),
        (0.65, 3.310),
        (0.95, 3.335),
        (0.985, 3.360),
        (1.0, 3.450),
    ),
    end_v=2.8,
    large_block_end_v=None,
    greatest_charge_v=3.65,
    resistance_ohm_ah=0.06,
    dc_over_1khz_ratio=1.0,
    activation_v=0.0257,
    exchange_per_h=0.5,
    curve_anchors=((0.03, 0.075), (0.12, 0.045), (0.3, 0.03), (0.6, 0.03), (0.9, 0.03)),
    g=0.05,
    capacity_over_c20_ratio=1.0065,
    k_per_h=13.0,
    r1_h=0.05,
    life_y=10.0,
    charge_ratio=0.99,
    greatest_charge_per_h=0.5,
    charge_knee_ratio=0.0,
    charges_at_constant_current=False,
    is_lithium=True,
    capacity_rows=LITHIUM_CAPACITY_ROWS,
    sizing_rows=None,
    resistance_rows=LITHIUM_RESISTANCE_ROWS,
    source="typical discharge rows of 12.8 V blocks with management system",
    confidence="M",
    self_discharge_per_month_ratio=0.025,
    cell_limit_v=2.5,
    dangerous_charge_v=3.67,
    least_charge_v=3.34,
)
