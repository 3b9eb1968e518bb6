"""Supplies that back each other up: which of them feeds, and when that changes."""

from dataclasses import dataclass
from enum import StrEnum


class SelectorMode(StrEnum):
    """How an input is chosen."""

    FIRST_PRESENT = "first_present"
    HIGHEST_VOLTAGE = "highest_voltage"


@dataclass(frozen=True, slots=True, kw_only=True)
class Gauge:
    """What a device takes for full and for empty, from the voltage it is fed with. [V]"""

    full_v: float
    empty_v: float

    def shows_ratio(self, fed_v: float) -> float:
        """Return what it shows at a voltage, between empty and full. [ratio]"""
        return min(max((fed_v - self.empty_v) / (self.full_v - self.empty_v), 0.0), 1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Selector:
    """Inputs in their order, and what makes it change from one to the next. ``return_above_v`` None: the same as ``switch_below_v``. [V]"""

    key: str
    name: str
    inputs: tuple[str, ...]
    mode: SelectorMode
    switch_below_v: float = 0.0
    return_above_v: float | None = None
    gauge: Gauge | None = None

    @property
    def returns_above_v(self) -> float:
        """The voltage at rest from which an earlier input feeds again. [V]"""
        return self.switch_below_v if self.return_above_v is None else self.return_above_v
