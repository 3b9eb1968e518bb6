"""Timed discharge tests of a bank: how they were done, and what was read on the way."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum


class DischargeEnd(StrEnum):
    """How a test ended: at its end voltage, or stopped before it."""

    END_VOLTAGE = "end_voltage"
    STOPPED = "stopped"


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeSample:
    """What was read on the way, of the whole bank. None: not read. [h, V, A]"""

    t_h: float
    terminal_v: float | None = None
    current_a: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class DischargeTest:
    """One discharge of a supply's bank at a current, timed from full. Currents and voltages are of the whole bank. [°C, A, h, V]

    ``current_a`` None: the mean of the samples' currents. ``end_v`` is where it ended, whether that was its end voltage or not.
    """

    key: str
    supply_key: str
    at: datetime
    temperature_degc: float
    ran_h: float
    ended: DischargeEnd
    end_v: float
    current_a: float | None = None
    samples: tuple[DischargeSample, ...] = ()

    @property
    def mean_current_a(self) -> float | None:
        """The current it is judged by; None where nothing of it is known. [A]"""
        if self.current_a is not None:
            return self.current_a
        read = [s.current_a for s in self.samples if s.current_a is not None]
        return sum(read) / len(read) if read else None
