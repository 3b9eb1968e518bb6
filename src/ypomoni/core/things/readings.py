"""Readings and the points they are taken at: what a value means, how far off it may be, and whether it counts as load."""

from dataclasses import dataclass, field
from enum import StrEnum

from ypomoni.core.things.metering import METER_COUNTS, METER_DIGITS, METER_SHARE_RATIO, display_range_a


class PointKind(StrEnum):
    """What kind of conductor is opened or clamped."""

    BATTERY = "battery"
    OUTPUT = "output"
    BRANCH = "branch"
    DEVICE = "device"


class State(StrEnum):
    """What the system was doing while it was read."""

    STANDBY = "standby"
    WALK_ABOUT = "walk_about"
    ALARM = "alarm"
    TRANSMITTING = "transmitting"
    CUSTOM = "custom"


class Mains(StrEnum):
    """Whether mains was there."""

    ON = "on"
    OFF = "off"


class Hookup(StrEnum):
    """How the meter is put in."""

    SERIES = "series"
    CLAMP = "clamp"
    BENCH = "bench"
    POWER_METER = "power_meter"


class PositiveMeans(StrEnum):
    """The convention of a sign: which way a positive value flows. Away from mains points the loads are fed by either."""

    DISCHARGE = "discharge"
    CHARGE = "charge"


@dataclass(frozen=True, slots=True, kw_only=True)
class Range:
    """One range of an instrument: the jack, the greatest current, what it drops there, its fuse, how long it may be used."""

    jack: str
    limit_a: float
    burden_v: float | None = None
    fuse_a: float | None = None
    longest_s: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Instrument:
    """A meter: ±(share + digits) of a display of so many counts, and its ranges, smallest first."""

    key: str
    name: str
    hookup: Hookup = Hookup.SERIES
    accuracy_ratio: float = METER_SHARE_RATIO
    digits_count: int = METER_DIGITS
    display_count: int = METER_COUNTS
    # What a clamp shows when nothing flows, even zeroed.
    offset_a: float = 0.0
    ranges: tuple[Range, ...] = field(default=())

    def limit_a(self, current_a: float) -> float:
        """Return the 95 % limit of a value it shows: its share, its digits on the smallest range that shows it, its offset. [A]"""
        size_a = abs(current_a)
        holding = [r.limit_a for r in self.ranges if r.limit_a >= size_a]
        range_a = min(holding) if holding else display_range_a(size_a)
        return self.accuracy_ratio * size_a + self.digits_count * range_a / self.display_count + self.offset_a


DEFAULT_INSTRUMENT = Instrument(key="", name="a common multimeter")


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuringPoint:
    """A measuring point. A device's names its load, a branch its name on the supply; ``parent_key`` is the point nearer the battery."""

    key: str
    name: str
    kind: PointKind
    supply_key: str
    parent_key: str | None = None
    load_key: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One measurement as it was read. ``value_a`` keeps the sign of the display; ``positive_means`` says what that sign is."""

    key: str
    point_key: str
    state: State
    mains: Mains | None
    value_a: float
    min_a: float | None = None
    max_a: float | None = None
    positive_means: PositiveMeans = PositiveMeans.DISCHARGE
    battery_v: float | None = None
    instrument_key: str | None = None
    hookup: Hookup = Hookup.SERIES
    superseded_by: str | None = None
    is_doubted: bool = False

    @property
    def drawn_a(self) -> float:
        """What flows towards the loads: positive for a discharge. [A]"""
        return self.value_a if self.positive_means is PositiveMeans.DISCHARGE else -self.value_a

    def limit_a(self, instrument: Instrument) -> float:
        """Return its 95 % limit: the instrument's, and half the span between least and greatest seen. [A]"""
        span_a = 0.0 if self.min_a is None or self.max_a is None else abs(self.max_a - self.min_a)
        return instrument.limit_a(self.value_a) + 0.5 * span_a


def why_not_load(reading: Reading, point: MeasuringPoint) -> str | None:
    """Return why a reading does not count as load, or None.

    On a battery lead with mains on the meter shows the charger's current, not the load's.
    """
    if reading.superseded_by is not None:
        return "It was superseded."
    if reading.is_doubted:
        return "A question about it is still open."
    if reading.hookup is Hookup.POWER_METER:
        return "A power meter shows what the socket gives, not what the battery gives. Enter the device's watts with the efficiency of its adaptor instead."
    if point.kind is PointKind.BATTERY and reading.mains is Mains.ON:
        return "Taken on the battery lead with mains on: that is charge, not load. Read it again with mains off."
    if point.kind is PointKind.BATTERY and reading.mains is None:
        return "On a battery lead only a reading with mains off counts as load, and this one does not say."
    if reading.state in (State.WALK_ABOUT, State.CUSTOM):
        return "It is kept, but only standby, alarm and transmitting are compared with the register."
    return None


def loads_behind(points: list[MeasuringPoint], load_keys: list[str]) -> dict[str, list[str]]:
    """Return for each point of one supply the loads fed through it; of the battery and of a sole output all of the supply's."""
    children: dict[str | None, list[MeasuringPoint]] = {}
    for point in points:
        children.setdefault(point.parent_key, []).append(point)
    outputs_count = sum(p.kind is PointKind.OUTPUT for p in points)
    known, found = set(load_keys), dict[str, list[str]]()

    def behind(point: MeasuringPoint) -> list[str]:
        if point.key in found:
            return found[point.key]
        found[point.key] = []
        below = [key for child in children.get(point.key, []) for key in behind(child)]
        if point.kind is PointKind.BATTERY or (point.kind is PointKind.OUTPUT and outputs_count == 1):
            below = load_keys
        elif point.kind is PointKind.DEVICE:
            below = [point.load_key] if point.load_key in known else []
        found[point.key] = list(dict.fromkeys(below))
        return found[point.key]

    for point in points:
        behind(point)
    return found
