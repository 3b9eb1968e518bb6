"""Simulated meters that speak SCPI on loopback: a bench multimeter with a device behind it, an electronic load with a battery.

They stand in for real ones in demo and tests: ranges, overload, a fuse that blows, noise, and what breaks on a line when a test asks for it.
"""

import contextlib
import random
import socket
import socketserver
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from ypomoni.core.outage.law import relax, terminal
from ypomoni.core.things.batteries import Bank, Pack, build_pack
from ypomoni.core.things.device_types import DeviceType
from ypomoni.instruments.protocol import MeterKind

OVERLOAD_TEXT = "+9.90000000E+37"
LONGEST_LINE = 256


@dataclass(frozen=True, slots=True, kw_only=True)
class SimulatedBurst:
    """What a device draws now and then. [A, s, 1/h]"""

    current_a: float
    duration_s: float
    per_hour: float


@dataclass(frozen=True, slots=True, kw_only=True)
class SimulatedDevice:
    """What hangs behind a meter: its modes by name, its bursts, and the noise on it. [A]"""

    name: str
    modes: dict[str, float]
    bursts: tuple[SimulatedBurst, ...] = ()
    noise_ratio: float = 0.01

    def draws_a(self, mode: str, t_s: float, rng: random.Random) -> float:
        """Return what it draws at a time in a mode; bursts belong to its first mode. [A]"""
        rest_a = self.modes[mode]
        current_a = rest_a
        if mode == next(iter(self.modes)):
            for burst in self.bursts:
                period_s = 3600.0 / burst.per_hour
                if t_s % period_s < burst.duration_s:
                    current_a = max(current_a, burst.current_a)
        return max(0.0, current_a * (1.0 + rng.gauss(0.0, self.noise_ratio)))


def device_of_type(kind: DeviceType) -> SimulatedDevice:
    """Return a device of the library: at rest with its bursts, in alarm, and off."""
    modes = {"idle": kind.standby_a[1]}
    if kind.alarm_a is not None:
        modes["alarm"] = kind.alarm_a[1]
    bursts = () if kind.burst is None else (SimulatedBurst(current_a=kind.burst[0], duration_s=kind.burst[1], per_hour=kind.burst[2]),)
    return SimulatedDevice(name=kind.name, modes={**modes, "off": 0.0}, bursts=bursts)


@dataclass(kw_only=True)
class SimulatedMultimeter:
    """A bench multimeter: ranges of 0.4 A and 10 A, a fuse of 0.5 A on the small one."""

    device: SimulatedDevice
    seed: int = 1
    # How much faster than the clock its device lives.
    speed: float = 1.0
    small_range_a: float = 0.4
    great_range_a: float = 10.0
    fuse_a: float = 0.5
    kind: MeterKind = field(default=MeterKind.MULTIMETER, init=False)

    def __post_init__(self) -> None:
        self._rng = random.Random(self.seed)  # noqa: S311 - the same noise every time, and no secret
        self._began_s = time.monotonic()
        self._mode = next(iter(self.device.modes))
        self._range_a: float | None = None
        self.is_fuse_blown = False

    def answer(self, line: str) -> str | None:
        """Return the answer to a line of SCPI; None where there is none."""
        said = line.upper()
        if said == "*IDN?":
            return "YPOMONI,SIMULATED BENCH MULTIMETER,0,1"
        if said == "SYST:ERR?":
            return '-200,"fuse"' if self.is_fuse_blown else '0,"No error"'
        if said.startswith("CONF:CURR:DC"):
            wanted = line[12:].strip()
            self._range_a = None if wanted.upper() == "AUTO" or not wanted else float(wanted)
            return None
        if said.startswith("SIM:MODE"):
            mode = line[8:].strip()
            if mode in self.device.modes:
                self._mode = mode
            return None
        if said in ("READ?", "MEAS:CURR:DC?", "FETC?"):
            return self._read()
        return None

    def _read(self) -> str:
        t_s = (time.monotonic() - self._began_s) * self.speed
        current_a = self.device.draws_a(self._mode, t_s, self._rng)
        on_small = self._range_a is not None and self._range_a <= self.small_range_a
        if on_small and current_a > self.fuse_a:
            self.is_fuse_blown = True
        if on_small and self.is_fuse_blown:
            return f"{self._rng.gauss(0.0, 2e-6):+.8E}"
        limit_a = self.small_range_a if on_small else self.great_range_a
        return OVERLOAD_TEXT if current_a > 1.05 * limit_a else f"{current_a:+.8E}"


@dataclass(kw_only=True)
class SimulatedLoad:
    """An electronic load with a battery behind it, by the model of the battery."""

    bank: Bank
    condition_ratio: float = 1.0
    temperature_degc: float = 20.0
    seed: int = 1
    speed: float = 1.0
    noise_v: float = 0.002
    kind: MeterKind = field(default=MeterKind.ELECTRONIC_LOAD, init=False)

    def __post_init__(self) -> None:
        self._rng = random.Random(self.seed)  # noqa: S311 - the same noise every time, and no secret
        self._pack: Pack = build_pack(self.bank, condition_ratio=self.condition_ratio, temperature_degc=self.temperature_degc)
        self._u_ah = self._d_ah = 0.0
        self._set_a = 0.0
        self._is_on = False
        self._last_s = time.monotonic()

    @property
    def is_on(self) -> bool:
        """Whether it draws."""
        return self._is_on

    def answer(self, line: str) -> str | None:
        """Return the answer to a line of SCPI; None where there is none."""
        self._go_on()
        said = line.upper()
        if said == "*IDN?":
            return "YPOMONI,SIMULATED ELECTRONIC LOAD,0,1"
        if said == "SYST:ERR?":
            return '0,"No error"'
        if said.startswith("CURR "):
            self._set_a = max(0.0, float(line[5:]))
        elif said in ("INP ON", "INP OFF"):
            self._is_on = said.endswith("ON")
        elif said == "MEAS:VOLT?":
            return f"{self._volts():+.6E}"
        elif said == "MEAS:CURR?":
            return f"{self._drawn_a():+.6E}"
        return None

    def _drawn_a(self) -> float:
        return self._set_a if self._is_on else 0.0

    def _volts(self) -> float:
        _, v = terminal(self._pack, self._u_ah, self._d_ah, self._drawn_a(), 0.0, 0.0)
        return max(0.0, v) + self._rng.gauss(0.0, self.noise_v)

    def _go_on(self) -> None:
        now_s = time.monotonic()
        dt_h = (now_s - self._last_s) * self.speed / 3600.0
        self._last_s = now_s
        if dt_h > 0:
            self._u_ah, self._d_ah = relax(self._pack, self._u_ah, self._d_ah, self._drawn_a(), dt_h)
            # Empty is as far as it goes.
            self._u_ah = min(self._u_ah, 0.999 * self._pack.capacity_ah - self._d_ah)


class SimulatedServer:
    """A simulated meter on a port of loopback. ``garble`` may change an answer on its way, as a bad line does; None drops it."""

    def __init__(
        self, meter: SimulatedMultimeter | SimulatedLoad, port: int = 0, garble: Callable[[str], str | None] | None = None
    ) -> None:
        lock = threading.Lock()
        lines = self._lines = set[socket.socket]()

        class Line(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                lines.add(self.connection)
                with contextlib.suppress(OSError):
                    self._answer()
                lines.discard(self.connection)

            def _answer(self) -> None:
                while raw := self.rfile.readline(LONGEST_LINE):
                    try:
                        with lock:
                            said = meter.answer(raw.decode("ascii", "replace").strip())
                    except ValueError:
                        said = None
                    if said is not None and garble is not None:
                        said = garble(said)
                    if said is not None:
                        self.wfile.write(said.encode("latin-1", "replace") + b"\n")

        class Server(socketserver.ThreadingTCPServer):
            allow_reuse_address = True
            daemon_threads = True

        self._server = Server(("127.0.0.1", port), Line)
        self.port: int = self._server.server_address[1]

    @property
    def address(self) -> str:
        """Where it listens."""
        return f"127.0.0.1:{self.port}"

    def start(self) -> "SimulatedServer":
        """Serve in a thread of its own."""
        threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
        return self

    def serve(self) -> None:
        """Serve until the process ends."""
        self._server.serve_forever()

    def stop(self) -> None:
        """Let go of the port and of those connected."""
        self._server.shutdown()
        self._server.server_close()
        for line in list(self._lines):
            with contextlib.suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)
