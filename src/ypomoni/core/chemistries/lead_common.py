"""Rows shared by the valve-regulated lead chemistries.

Expected value (prediction, tests) at the 3 h rate and longer, and the more cautious row for sizing, which follows IEEE 485 (made for
vented cells; a correction factor K, so f = 1/K) down to −3.9 °C and common practice below. The resistance row is common practice; it
is anchored at 25 °C. None of them says anything above 25 °C: no credit is given there.
"""

from ypomoni.core.chemistries.model import Row

LEAD_CAPACITY_ROWS: tuple[Row, ...] = ((-20, 0.58), (-15, 0.65), (0, 0.85), (10, 0.93), (20, 0.98), (25, 1.0))
LEAD_SIZING_ROWS: tuple[Row, ...] = (
    (-20, 0.46),
    (-10, 0.58),
    (-3.9, 1 / 1.52),
    (4.4, 1 / 1.30),
    (10, 1 / 1.19),
    (15.6, 1 / 1.11),
    (18.3, 1 / 1.08),
    (21.1, 1 / 1.04),
    (25, 1.0),
)
LEAD_RESISTANCE_ROWS: tuple[Row, ...] = ((-20, 2.2), (-10, 1.75), (0, 1.4), (25, 1.0))
# Head and rest voltage of an absorbent glass mat cell.
LEAD_CURVE: tuple[Row, ...] = (
    (0.0, 1.800),
    (0.03, 1.876),
    (0.06, 1.909),
    (0.1, 1.931),
    (0.15, 1.950),
    (0.2, 1.967),
    (0.3, 1.997),
    (0.45, 2.034),
    (0.6, 2.069),
    (0.8, 2.115),
    (1.0, 2.157),
)
# Makes differ by 15 mV a cell at rest, more where a cell is nearly empty. [L]
LEAD_CURVE_ANCHORS = ((0.03, 0.0375), (0.12, 0.0225), (0.4, 0.015), (0.7, 0.015), (1.0, 0.015))
# Acid that may be frozen: below a temperature, under an open-circuit voltage; recalled freezing points. [°C, V a cell, M]
LEAD_FROZEN_ROWS: tuple[Row, ...] = ((-5.0, 1.95), (-15.0, 2.03), (-25.0, 2.10))
# Generic blocks at the 20-hour rate. [V, Ah]
LEAD_SOLD_BLOCKS: tuple[Row, ...] = (
    *(
        (12.0, ah)
        for ah in (1.2, 2.1, 2.8, 3.2, 4.0, 5.0, 7.0, 9.0, 12.0, 17.0, 24.0, 26.0, 38.0, 45.0, 55.0, 65.0, 75.0, 100.0, 120.0, 150.0, 200.0)
    ),
    *((6.0, ah) for ah in (1.2, 4.0, 7.0, 10.0, 12.0)),
)
