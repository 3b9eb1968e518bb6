"""Loads: what one piece draws, and what the whole group draws at the battery.

A draw is a triple of constant current, constant power and conductance (`Draw`), so that any mix of behaviours adds up in three numbers.
"""

from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import NamedTuple

from ypomoni.core.errors import QuantityError
from ypomoni.core.things.outputs import Feed, Topology
from ypomoni.core.things.places import Place
from ypomoni.core.units import HOURS_PER_DAY, SECONDS_PER_HOUR

RAIL_TOLERANCE_RATIO = 0.20
# Copper at 20 °C, and its coefficient (IEC 60028).
COPPER_OHM_MM2_PER_M = 0.01724
COPPER_PER_KELVIN = 0.00393


class Behaviour(StrEnum):
    """How a load's current follows the voltage."""

    CONSTANT_CURRENT = "constant_current"
    CONSTANT_POWER = "constant_power"
    RESISTIVE = "resistive"


class Provenance(StrEnum):
    """Where a figure comes from, best first."""

    MEASURED = "measured"
    DATA_SHEET = "data_sheet"
    NAMEPLATE = "nameplate"
    ESTIMATE = "estimate"


class During(StrEnum):
    """When a burst recurs."""

    ALWAYS = "always"
    ALARM = "alarm"


class Purpose(StrEnum):
    """What a load is for."""

    LIFE_SAFETY = "life_safety"
    SECURITY = "security"
    MONITORING = "monitoring"
    CONVENIENCE = "convenience"


class Lock(StrEnum):
    """What a door does when its lock loses its current: it lets go, or it stays shut."""

    FAIL_SAFE = "fail_safe"
    FAIL_SECURE = "fail_secure"


class ConverterKind(StrEnum):
    """What stands between battery and rail."""

    SWITCHING = "switching"
    LINEAR = "linear"


class Draw(NamedTuple):
    """What is drawn at the battery: a current, a power and a conductance. [A, W, S]"""

    current_a: float
    power_w: float
    conductance_siemens: float

    def times(self, factor_ratio: float) -> "Draw":
        """Return the draw scaled by a factor."""
        return Draw(self.current_a * factor_ratio, self.power_w * factor_ratio, self.conductance_siemens * factor_ratio)

    def plus(self, other: "Draw") -> "Draw":
        """Return both draws together."""
        return Draw(self.current_a + other[0], self.power_w + other[1], self.conductance_siemens + other[2])

    def at_nominal_a(self, nominal_v: float) -> float:
        """Return the current this draw takes at the nominal voltage. [A]"""
        return self.current_a + self.power_w / nominal_v + self.conductance_siemens * nominal_v


NO_DRAW = Draw(0.0, 0.0, 0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Converter:
    """A converter between battery and rail; ``efficiency_ratio`` counts only for the switching kind."""

    kind: ConverterKind
    efficiency_ratio: float = 1.0
    # What it can do, and what it needs above its rail; None: not known. [V]
    topology: Topology | None = None
    dropout_v: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class StatedCurrent:
    """A current as stated on the load's rail, and where it comes from. [A]

    ``uncertainty_a`` is its own 95 % limit where a reading gave one; ``reading_key`` names that reading.
    """

    current_a: float
    provenance: Provenance
    uncertainty_a: float | None = None
    reading_key: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Burst:
    """A mode that recurs: ``current_a`` is absolute per piece and replaces the rest current while it lasts."""

    name: str
    current_a: float
    duration_s: float
    per_hour: float
    offset_s: float = 0.0
    during: During = During.ALWAYS

    @property
    def duty_ratio(self) -> float:
        """Share of time the burst is active, d = n·t/3600."""
        return self.per_hour * self.duration_s / SECONDS_PER_HOUR


@dataclass(frozen=True, slots=True, kw_only=True)
class Cable:
    """Two conductors to the far end, where all pieces of a load are taken to hang."""

    length_m: float
    section_mm2: float

    def resistance_ohm(self, temperature_degc: float) -> float:
        """Return the resistance there and back, 2·L·ρ(1 + α(T − 20))/A. [Ω]"""
        rho = COPPER_OHM_MM2_PER_M * (1 + COPPER_PER_KELVIN * (temperature_degc - 20.0))
        return 2.0 * self.length_m * rho / self.section_mm2


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """The way a cable goes, or would go, from a place to a supply, one way; a section of None is not known. [m, mm²]"""

    place_key: str
    supply_key: str
    length_m: float
    section_mm2: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Thermostat:
    """What a heater or a fan adds to the rest current of one piece while it is colder, or hotter, than a temperature."""

    name: str
    current_a: float
    below_degc: float | None = None
    above_degc: float | None = None

    def __post_init__(self) -> None:
        if (self.below_degc is None) == (self.above_degc is None):
            raise QuantityError("a thermostat needs one of below_degc and above_degc, in °C.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Recharge:
    """A device with a battery of its own, filled from the supply: energy of that battery, share refilled, how often."""

    name: str
    energy_wh: float
    depth_ratio: float
    per_day: float
    efficiency_ratio: float

    @property
    def mean_power_w(self) -> float:
        """Average power taken from the rail, E·depth·n/(24·η). [W]"""
        return self.energy_wh * self.depth_ratio * self.per_day / (HOURS_PER_DAY * self.efficiency_ratio)


@dataclass(frozen=True, slots=True, kw_only=True)
class AcDraw:
    """What a load draws from AC: W = VA·pf."""

    power_w: float | None = None
    apparent_va: float | None = None
    power_factor_ratio: float | None = None
    inrush_va: float | None = None
    active_pfc: bool | None = None
    # What its adaptor gives, so that it runs on DC as well; None: on AC only. [V]
    dc_v: float | None = None
    adaptor_ratio: float | None = None

    @property
    def real_power_w(self) -> float | None:
        """The watts: stated, or VA times the power factor; None where neither is known. [W]"""
        if self.power_w is not None:
            return self.power_w
        if self.apparent_va is None or self.power_factor_ratio is None:
            return None
        return self.apparent_va * self.power_factor_ratio


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """A device or a group of equal devices. Currents are per piece, on the rail."""

    key: str
    name: str
    supply_key: str | None
    quantity: int
    rail_v: float
    behaviour: Behaviour
    standby: StatedCurrent
    alarm: StatedCurrent
    converter: Converter | None = None
    min_v: float | None = None
    essential: bool = True
    bursts: tuple[Burst, ...] = field(default=())
    place: Place | None = None
    branch: str | None = None
    bus_group: str | None = None
    purpose: Purpose | None = None
    cable: Cable | None = None
    thermostats: tuple[Thermostat, ...] = field(default=())
    recharges: tuple[Recharge, ...] = field(default=())
    ac: AcDraw | None = None
    # It stays where it is, whatever else moves.
    pinned: bool = False
    lock: Lock | None = None
    escape_route: bool = False
    # How long it goes on without a supply. [ms]
    ride_through_ms: float | None = None
    # Whether alarm is stated at all; otherwise it is taken as standby and moves with it.
    alarm_is_standby: bool = False
    # The regulated output it hangs on; None: the battery itself. Set by the supply that feeds it (`Supply.feeding`).
    feed: Feed | None = None

    def __post_init__(self) -> None:
        if self.quantity < 1:
            raise QuantityError(f"quantity must be at least 1, was {self.quantity}.")
        for during in (During.ALWAYS, During.ALARM):
            duty_ratio = self.duty_ratio(in_alarm=during is During.ALARM)
            if duty_ratio > 1 + 1e-9:
                raise QuantityError(duty_fault(duty_ratio))

    def scaled(self, ratio: float) -> "Load":
        """Return the same load drawing so many times as much, whatever it does."""

        def more(stated: StatedCurrent) -> StatedCurrent:
            limit_a = None if stated.uncertainty_a is None else stated.uncertainty_a * ratio
            return replace(stated, current_a=stated.current_a * ratio, uncertainty_a=limit_a)

        return replace(
            self,
            standby=more(self.standby),
            alarm=more(self.alarm),
            bursts=tuple(replace(b, current_a=b.current_a * ratio) for b in self.bursts),
            thermostats=tuple(replace(t, current_a=t.current_a * ratio) for t in self.thermostats),
            recharges=tuple(replace(r, energy_wh=r.energy_wh * ratio) for r in self.recharges),
        )

    def duty_ratio(self, *, in_alarm: bool) -> float:
        """Return Σd, the share of time in which any burst is active."""
        return sum(b.duty_ratio for b in self.bursts if in_alarm or b.during is During.ALWAYS)

    @property
    def fed_min_v(self) -> float | None:
        """The voltage at its feed below which it stops; None where it has none, or a switching converter holds its rail meanwhile. [V]"""
        return None if self.converter and self.converter.kind is ConverterKind.SWITCHING else self.min_v

    @property
    def battery_min_v(self) -> float | None:
        """The same of the battery's voltage; None too where it hangs on a regulated output. [V]"""
        return None if self.feed else self.fed_min_v

    @property
    def cable_ohm(self) -> float:
        """Resistance of its cable at the typical temperature of its place; 0 without one. [Ω]"""
        if self.cable is None:
            return 0.0
        return self.cable.resistance_ohm(20.0 if self.place is None else self.place.typical_degc)

    @property
    def recharge_current_a(self) -> float:
        """What recharging the batteries of one piece takes on average, on its rail. [A]"""
        return sum(r.mean_power_w for r in self.recharges) / self.rail_v

    @property
    def recharge_peak_a(self) -> float:
        """The most that recharging the batteries of one piece takes at once, on its rail. [A]"""
        return self.recharge_current_a

    @property
    def output_w_per_amp(self) -> float:
        """What one ampere on the rail asks of the regulated output it hangs on. [W/A]"""
        if self.feed is None:
            raise ValueError(f"{self.key} hangs on no regulated output")
        output_v = self.feed.output_v
        if self.converter and self.converter.kind is ConverterKind.SWITCHING:
            return self.rail_v / self.converter.efficiency_ratio
        if self.converter or self.behaviour is Behaviour.CONSTANT_CURRENT:
            return output_v
        return self.rail_v if self.behaviour is Behaviour.CONSTANT_POWER else output_v * output_v / self.rail_v

    @property
    def draw_per_amp(self) -> Draw:
        """What one ampere on the rail asks of the battery.

        A switching converter holds its rail, so whatever hangs on it is a constant power P = I·V_rail/η at the input. A linear converter
        passes the current. Without a converter the rail is the battery, and the behaviour decides: I; P = I·V_rail; G = I/V_rail.
        On a regulated output all of that is a constant power at the output's voltage, and the battery gives it over the output's efficiency.
        """
        if self.feed:
            return Draw(0.0, self.output_w_per_amp / self.feed.efficiency_ratio, 0.0)
        if self.converter and self.converter.kind is ConverterKind.SWITCHING:
            return Draw(0.0, self.rail_v / self.converter.efficiency_ratio, 0.0)
        if self.converter or self.behaviour is Behaviour.CONSTANT_CURRENT:
            return Draw(1.0, 0.0, 0.0)
        if self.behaviour is Behaviour.CONSTANT_POWER:
            return Draw(0.0, self.rail_v, 0.0)
        return Draw(0.0, 0.0, 1.0 / self.rail_v)


def duty_fault(duty_ratio: float) -> str:
    """Say what is wrong with bursts that ask for more time than there is."""
    return f"the bursts are active {duty_ratio:.0%} of the time: per_hour × duration_s / 3600, summed over the bursts, must be at most 1."


def check_rail(rail_v: float, fed_v: float, converter: Converter | None, *, of_output: bool = False) -> str | None:
    """Return what is wrong with a rail that no converter makes, or None. ``of_output``: the supply regulates what it feeds."""
    if converter is None and abs(rail_v - fed_v) > RAIL_TOLERANCE_RATIO * fed_v + 1e-9:
        named, at = ("output_v", "the output's") if of_output else ("nominal_v", "the battery's")
        return (
            f"rail_v must be within 20 % of the supply's {named} ({fed_v:g} V) where there is no converter, was {rail_v:g} V: "
            f"name the converter that makes this rail, or state the current at {at} voltage."
        )
    return None
