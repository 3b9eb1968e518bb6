"""Meters that speak SCPI over a TCP socket (IEEE 488.2, SCPI-1999), by PyVISA with its backend in Python."""

import contextlib
import math
from typing import Any

import pyvisa

from ypomoni.instruments.addresses import MeterAddress
from ypomoni.instruments.protocol import GarbledAnswer, Meter, MeterAway, MeterKind, MeterSample, WrongMeter

ANSWERS_WITHIN_MS = 2_000
CONNECTS_WITHIN_MS = 2_000
LONGEST_ANSWER = 200
# SCPI-1999, 7.2.1: not a number is 9.91E+37, an overload ±9.9E+37.
OVERLOAD = 9.9e37
NOT_A_NUMBER = 9.91e37
# What no bench meter shows: a garbled digit, not a current.
MOST_A = 1e4
# Words that a meter of a kind has in what it calls itself, in lower case.
CALLS_ITSELF = {MeterKind.MULTIMETER: ("multimeter", "dmm", "meter"), MeterKind.ELECTRONIC_LOAD: ("load",)}


class ScpiMeter:
    """A meter on a socket. One question at a time; a line that broke is not used again."""

    def __init__(self, address: MeterAddress, kind: MeterKind) -> None:
        self._kind = kind
        self._line: Any = None
        self.identity = ""
        try:
            manager = pyvisa.ResourceManager("@py")
            self._line = manager.open_resource(
                f"TCPIP0::{address.host}::{address.port}::SOCKET",
                open_timeout=CONNECTS_WITHIN_MS,
                read_termination="\n",
                write_termination="\n",
            )
            self._line.timeout = ANSWERS_WITHIN_MS
        except Exception as error:
            self.close()
            raise MeterAway(f"Nothing answers at {address}.") from error
        self.identity = self._ask("*IDN?")[:LONGEST_ANSWER]
        if not any(word in self.identity.casefold() for word in CALLS_ITSELF[kind]):
            self.close()
            shown = self.identity if self.identity.isprintable() else "something that is no meter"
            raise WrongMeter(f"At {address} answers “{shown[:80]}”, which is no {kind.value.replace('_', ' ')}.")

    def set_range(self, range_a: float | None) -> None:
        """Set the range of current; None lets the meter choose."""
        self._tell("CONF:CURR:DC AUTO" if range_a is None else f"CONF:CURR:DC {range_a:g}")

    def draw(self, current_a: float) -> None:
        """Let an electronic load draw a current; its input is off at 0."""
        if current_a > 0:
            self._tell(f"CURR {current_a:.6g}")
        self._tell("INP ON" if current_a > 0 else "INP OFF")

    def read(self) -> MeterSample:
        """Return what it shows: a current, and of an electronic load its battery's voltage as well."""
        if self._kind is MeterKind.ELECTRONIC_LOAD:
            volts, amps = self._number("MEAS:VOLT?"), self._number("MEAS:CURR?")
            return MeterSample(current_a=amps, terminal_v=volts, is_overload=amps is None or volts is None)
        amps = self._number("READ?")
        return MeterSample(current_a=amps, is_overload=amps is None)

    def close(self) -> None:
        """Let go of the line."""
        if self._line is not None:
            with contextlib.suppress(Exception):
                self._line.close()
            self._line = None

    def _number(self, question: str) -> float | None:
        """Return the number of an answer; None for an overload."""
        answer = self._ask(question)
        try:
            value = float(answer)
        except ValueError as error:
            raise GarbledAnswer(f"“{answer[:40]}” is no number.") from error
        if math.isnan(value) or math.isclose(value, NOT_A_NUMBER, rel_tol=1e-6):
            raise GarbledAnswer("it says that it has no number.")
        if math.isinf(value) or abs(value) >= OVERLOAD * 0.999:
            return None
        if abs(value) > MOST_A:
            raise GarbledAnswer(f"“{answer[:40]}” is no reading.")
        return value

    def _ask(self, question: str) -> str:
        try:
            return str(self._line.query(question)).strip()
        except UnicodeDecodeError as error:
            raise GarbledAnswer("the answer is no text.") from error
        except Exception as error:
            raise MeterAway("The meter does not answer.") from error

    def _tell(self, command: str) -> None:
        try:
            self._line.write(command)
        except Exception as error:
            raise MeterAway("The meter does not answer.") from error


def connect_meter(address: MeterAddress, kind: MeterKind, *, range_a: float | None = None) -> Meter:
    """Return a meter that is connected, known for what it is, and set to a range."""
    meter = ScpiMeter(address, kind)
    if kind is MeterKind.MULTIMETER:
        meter.set_range(range_a)
    return meter
