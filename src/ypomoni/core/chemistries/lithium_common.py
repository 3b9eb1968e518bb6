"""Temperature rows shared by the rechargeable lithium chemistries: common practice [M], resistance anchored at 25 °C."""

from ypomoni.core.chemistries.model import Row

LITHIUM_CAPACITY_ROWS: tuple[Row, ...] = ((-20, 0.60), (-10, 0.75), (0, 0.86), (10, 0.94), (20, 0.98), (25, 1.0))
LITHIUM_RESISTANCE_ROWS: tuple[Row, ...] = ((-20, 5.0), (-10, 3.0), (0, 1.9), (25, 1.0))
