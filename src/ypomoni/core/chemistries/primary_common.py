"""Resistance over temperature shared by the primary cells: common practice [M], anchored at 25 °C. With bursts it decides."""

from ypomoni.core.chemistries.model import Row

PRIMARY_RESISTANCE_ROWS: tuple[Row, ...] = ((-20, 5.0), (-10, 3.0), (0, 2.0), (10, 1.5), (25, 1.0))
