"""Nickel-metal hydride.

Typical published-style figures [M]. Its charge has no constant-voltage part; the source says nothing of the heat at the end of charge.
The capacity row is linear from 10 °C to 25 °C, for which the source gives no knot between.
"""

from ypomoni.core.chemistries.charging import Charging, CurrentCharge
from ypomoni.core.chemistries.model import Chemistry

NIMH = Chemistry(
    key="nimh",
    name="nickel-metal hydride",
    short_name="NiMH",
    cell_nominal_v=1.2,
    ocv_rows=((0.0, 1.10), (0.05, 1.20), (0.2, 1.25), (0.8, 1.30), (1.0, 1.38)),
    end_v=1.0,
    large_block_end_v=None,
    resistance_ohm_ah=0.063,
    g=0.05,
    capacity_over_c20_ratio=1.02,
    k_per_h=3.1,
    r1_h=0.064,
    life_y=4.0,
    charge_ratio=0.80,
    charging=Charging(
        by=CurrentCharge(trickle_per_h=(1 / 40, 1 / 30, 1 / 20), timed_per_h=0.1, timed_h=(14.0, 16.0), reaches_v=1.6),
        greatest_per_h=0.1,
        too_strong_is_danger=True,
        cold_rows=None,
        from_degc=None,
        to_degc=None,
        frozen_rows=None,
        needs_current_limit=False,
        knee_ratio=0.0,
        faster_costs="Above a tenth of its capacity an hour a nickel cell needs a charger that feels its end; held longer it dries out.",
    ),
    is_lithium=False,
    capacity_rows=((-20, 0.50), (-10, 0.70), (0, 0.85), (10, 0.94), (25, 1.0)),
    sizing_rows=None,
    resistance_rows=((-20, 3.5), (-10, 2.3), (0, 1.7), (10, 1.3), (25, 1.0)),
    source="typical discharge rows of standard cells",
    confidence="M",
    self_discharge_per_month_ratio=0.20,
    cell_limit_v=0.9,
    highest_degc=50.0,
)
