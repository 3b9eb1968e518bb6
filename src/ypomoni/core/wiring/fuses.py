"""What a fuse at the battery carries: the greatest currents through it, held against its time curve, its DC voltage and what it breaks."""

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ypomoni.core.outage.case import Case, end_threshold
from ypomoni.core.outage.demand import LoadCurrents, burst_levels_a
from ypomoni.core.outage.uncertainty import burst_limit_a, expected_currents, worst_currents
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Draw
from ypomoni.core.things.outputs import AcOutput
from ypomoni.core.things.protection import FuseKind
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import SECONDS_PER_HOUR

# Blade fuses as they are sold (ISO 8820-3), and bolted ones above them (ISO 8820-5). [A]
BLADE_FUSES_A = (1.0, 2.0, 3.0, 4.0, 5.0, 7.5, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0)
BOLTED_FUSES_A = (50.0, 60.0, 80.0, 100.0, 125.0, 150.0, 175.0, 200.0)
SOLD_FUSES_A = BLADE_FUSES_A + BOLTED_FUSES_A
# What a fuse breaks at up to 32 V; at more volts, and of a cartridge, only its data sheet says it. [A, V, M]
BREAKS_A = {FuseKind.BLADE: 1000.0, FuseKind.BOLTED: 2000.0}
BREAKS_TO_V = 32.0
SOLD_FUSE_V = (32.0, 58.0, 80.0, 125.0, 250.0, 500.0)
# The rating over the greatest effective current of any ten minutes. Good practice. [M]
CONTINUOUS_RATIO = 1.25
CONTINUOUS_S = 600.0
# Earliest opening of a blade fuse (ISO 8820-3): never up to 110 % of its rating, then by these points, log-log between. [ratio, s]
NEVER_RATIO, SLOW_S = 1.10, 0.75
OPENING_ROWS = ((1.35, SLOW_S), (1.60, 0.25), (2.00, 0.15), (3.50, 0.08), (6.00, 0.03))
# Above the last point only a pulse of no more heat than this is carried, I²t over rating². [s]
MELTING_S = 0.5
# Pulses with shorter pauses heat the fuse together. [s]
PAUSE_S = 10.0
# An inverter gives its starting current for so long, and never more than so many times its rating. [s, ratio]
INRUSH_S, INRUSH_RATIO = 0.1, 2.0
# More different pulses than these are taken in groups whose lengths differ by a twentieth.
MOST_WINDOWS, GRID_RATIO = 200, 1.05
# So many equal bursts in a row are tried as one pulse; more are as good as continuous.
ROW_COUNTS = (2, 3, 4, 6, 10, 20, 40)
ROUNDING = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulse:
    """An effective current through a fuse and for how long it flows. [A, s]"""

    current_a: float
    duration_s: float
    in_alarm: bool = False


def opening_s(ratio: float, kind: FuseKind = FuseKind.BLADE) -> float:
    """Return the earliest time at which a fuse opens at a multiple of its rating (ISO 8820-3, ISO 8820-5); infinite where it never does. [s]

    A bolted fuse follows the curve of a blade fuse up to 0.75 s; nothing is promised of it above its rating for longer.
    """
    if ratio <= (1.0 if kind is FuseKind.BOLTED else NEVER_RATIO) * (1 + ROUNDING):
        return math.inf
    if ratio <= OPENING_ROWS[0][0] * (1 + ROUNDING):
        return SLOW_S
    if ratio > OPENING_ROWS[-1][0] * (1 + ROUNDING):
        return MELTING_S / ratio**2
    for (x0, t0), (x1, t1) in itertools.pairwise(OPENING_ROWS):
        if ratio <= x1 * (1 + ROUNDING):
            return t0 * (t1 / t0) ** (math.log(ratio / x0) / math.log(x1 / x0))
    return 0.0


def is_carried(pulse: Pulse, fuse_a: float, kind: FuseKind) -> bool:
    """Return whether a fuse carries a pulse: its earliest opening is later than the end of the pulse, or never."""
    ratio = pulse.current_a / fuse_a
    earliest_s = opening_s(ratio, kind)
    # Between 100 and 110 % a bolted fuse is as slow as a blade fuse, which never opens there in so short a time.
    if kind is FuseKind.BOLTED and ratio <= NEVER_RATIO * (1 + ROUNDING) and pulse.duration_s <= SLOW_S:
        return True
    if ratio > OPENING_ROWS[-1][0] * (1 + ROUNDING):
        return pulse.duration_s <= earliest_s * (1 + ROUNDING)
    return earliest_s > pulse.duration_s * (1 + ROUNDING)


def greatest_multiple(duration_s: float, kind: FuseKind = FuseKind.BLADE) -> float:
    """Return the multiple of its rating below which a fuse carries a pulse of a duration: `opening_s` read backwards. [ratio]"""
    if duration_s >= SLOW_S:
        return 1.0 if kind is FuseKind.BOLTED and duration_s > SLOW_S else NEVER_RATIO
    last_ratio, last_s = OPENING_ROWS[-1]
    if duration_s < last_s:
        return max(last_ratio, math.sqrt(MELTING_S / duration_s))
    for (x0, t0), (x1, t1) in itertools.pairwise(OPENING_ROWS):
        if duration_s >= t1:
            return x0 * (x1 / x0) ** (math.log(duration_s / t0) / math.log(t1 / t0))
    return last_ratio


@dataclass(frozen=True)
class FuseNeed:
    """What goes through the fuse of a bank. None: not known. [A]

    ``standby_a`` and ``alarm_a`` are the greatest effective currents of any ten minutes, with every load at the high end of its range;
    ``pulses`` what its loads take for shorter; ``rated`` what an inverter takes when it gives all it is rated for.
    """

    standby_a: float | None
    alarm_a: float | None
    charge_a: float | None
    pulses: tuple[Pulse, ...] = ()
    rated: tuple[Pulse, ...] = ()

    @property
    def is_known(self) -> bool:
        """Whether loads and charger are known."""
        return self.standby_a is not None and self.charge_a is not None

    @property
    def continuous_a(self) -> float:
        """The greatest continuous current that is known: standby, alarm or charge. [A]"""
        return max(self.standby_a or 0.0, self.alarm_a or 0.0, self.charge_a or 0.0)

    @property
    def greatest_a(self) -> float:
        """The greatest current that lasts at all. [A]"""
        return max([self.continuous_a, *(p.current_a for p in self.pulses)])

    @cached_property
    def for_rating(self) -> "FuseNeed":
        """The same with all that an inverter is rated to take: what a fuse is chosen for."""
        if not self.rated:
            return self
        steady_a = max(p.current_a for p in self.rated if p.duration_s >= CONTINUOUS_S)
        return FuseNeed(
            standby_a=max(self.standby_a or 0.0, steady_a),
            alarm_a=self.alarm_a,
            charge_a=self.charge_a,
            pulses=(*self.pulses, *(p for p in self.rated if p.duration_s < CONTINUOUS_S)),
        )

    def shared(self, strings_count: int) -> "FuseNeed":
        """Return what one of so many strings carries of it."""

        def part(current_a: float | None) -> float | None:
            return None if current_a is None else current_a / strings_count

        def parts(pulses: tuple[Pulse, ...]) -> tuple[Pulse, ...]:
            return tuple(Pulse(current_a=p.current_a / strings_count, duration_s=p.duration_s, in_alarm=p.in_alarm) for p in pulses)

        return FuseNeed(
            standby_a=part(self.standby_a),
            alarm_a=part(self.alarm_a),
            charge_a=part(self.charge_a),
            pulses=parts(self.pulses),
            rated=parts(self.rated),
        )

    def least_for(self, pulse: Pulse) -> float:
        """Return the rating above which a blade fuse carries a pulse. [A]"""
        return pulse.current_a / greatest_multiple(pulse.duration_s)

    @property
    def hardest(self) -> Pulse | None:
        """The pulse that asks for the largest fuse; None without any."""
        return max(self.pulses, key=self.least_for, default=None)

    @property
    def least_a(self) -> float:
        """The smallest rating that carries all of it, of a blade fuse. [A]"""
        return max([CONTINUOUS_RATIO * self.continuous_a, *(self.least_for(p) for p in self.pulses)])

    def first_not_carried(self, fuse_a: float, kind: FuseKind) -> Pulse | None:
        """Return the pulse that a fuse carries least of all, or None where it carries every one."""
        failing = [p for p in self.pulses if not is_carried(p, fuse_a, kind)]
        return max(failing, key=self.least_for, default=None)

    def is_carried_by(self, fuse_a: float, kind: FuseKind) -> bool:
        """Return whether a fuse carries all that is known."""
        return fuse_a >= CONTINUOUS_RATIO * self.continuous_a * (1 - ROUNDING) and self.first_not_carried(fuse_a, kind) is None


def fuse_kind_of(fuse_a: float, stated: FuseKind | None = None) -> FuseKind:
    """Return of which kind a fuse is taken to be: as stated; otherwise a blade fuse as far as those are sold, above that a bolted one."""
    if stated is not None:
        return stated
    return FuseKind.BLADE if fuse_a <= BLADE_FUSES_A[-1] else FuseKind.BOLTED


def breaks_of(kind: FuseKind, dc_v: float | None, stated_a: float | None) -> float | None:
    """Return the greatest short-circuit current a fuse breaks: by its data sheet, or what is common up to 32 V; None: not known. [A]"""
    if stated_a is not None:
        return stated_a
    return None if dc_v is not None and dc_v > BREAKS_TO_V else BREAKS_A.get(kind)


def sold_fuse_a(need: FuseNeed, *, short_circuit_a: float = 0.0) -> float | None:
    """Return the smallest fuse that is sold, carries a need, and commonly breaks a short circuit; None where none does. [A]"""
    for fuse_a in SOLD_FUSES_A:
        kind = fuse_kind_of(fuse_a)
        if short_circuit_a <= BREAKS_A[kind] * (1 + ROUNDING) and need.is_carried_by(fuse_a, kind):
            return fuse_a
    return None


def stated_breaking_a(fuse_a: float, dc_v: float, short_circuit_a: float) -> float | None:
    """Return the breaking capacity that the data sheet of a fuse must state; None where its kind is enough. [A, V]"""
    breaks_a = breaks_of(fuse_kind_of(fuse_a), dc_v, None)
    if breaks_a is not None and short_circuit_a <= breaks_a * (1 + ROUNDING):
        return None
    step_a = 10.0 ** (math.floor(math.log10(short_circuit_a)) - 1)
    return math.ceil(short_circuit_a / step_a - ROUNDING) * step_a


def fuse_need(supply: Supply, case: Case | None) -> FuseNeed:
    """Return what goes through the fuse at a supply's battery; ``case`` is None where the currents of its loads are not known.

    Loads stand at the high end of their range. What is a power for the battery is taken at the voltage at which the supply ends, what is a
    resistance at the highest the battery shows. Bursts of different loads, and of all pieces of one, coincide.
    """
    charge_a = charge_through_fuse_a(supply)
    if case is None:
        return FuseNeed(standby_a=None, alarm_a=None, charge_a=charge_a)
    states = [_State(case, in_alarm=state) for state in (False, True)]
    found = [p for state in states for p in state.pulses()]
    return FuseNeed(
        standby_a=states[0].greatest_rms_a(CONTINUOUS_S),
        alarm_a=states[1].greatest_rms_a(CONTINUOUS_S),
        charge_a=charge_a,
        pulses=tuple(found),
        rated=tuple(_rated(case)),
    )


def charge_through_fuse_a(supply: Supply) -> float | None:
    """Return the greatest charge that comes back through the fuse with the loads off; None: not known. [A]

    Of two limits of which one is not known the other counts. The sun gives what its panels do into a short, or their power at the lowest voltage.
    """
    bank = supply.bank
    if bank is None or bank.chemistry.is_primary or not supply.has_charger:
        return 0.0
    limits = [supply.charge_limit_a]
    if supply.of_kind.is_sunlit:
        limits.append(None if supply.solar is None else supply.solar.greatest_a(_lowest_v(supply, bank)))
    elif not supply.of_kind.mains_carries:
        limits.append(supply.supply_current_a)
    return min((a for a in limits if a is not None), default=None)


def _lowest_v(supply: Supply, bank: Bank) -> float:
    """Return the voltage down to which a supply feeds its loads. [V]"""
    return end_threshold(supply, (), bank).threshold_v


def _rated(case: Case) -> Iterator[Pulse]:
    """Yield what an inverter takes from its battery when it gives all it is rated for, and when something starts on it."""
    supply, ac = case.supply, case.supply.output
    if not isinstance(ac, AcOutput) or supply.bank is None:
        return
    lowest_v = _lowest_v(supply, supply.bank)
    rated_w = ac.rated_w if ac.rated_w is not None else ac.rated_va
    if rated_w is not None:
        yield Pulse(current_a=(ac.greatest_burns_w + rated_w / ac.efficiency_ratio) / lowest_v, duration_s=CONTINUOUS_S)
    stated = [load.ac.inrush_va for load in case.loads if load.ac is not None and load.ac.inrush_va is not None]
    most_va = None if ac.rated_va is None else INRUSH_RATIO * ac.rated_va
    starts = [va for va in (max(stated, default=None), most_va) if va is not None]
    if starts:
        yield Pulse(current_a=min(starts) / (ac.efficiency_ratio * lowest_v), duration_s=INRUSH_S)


@dataclass(frozen=True, slots=True)
class _Row:
    """A burst of all pieces of a load: what it adds to the rest current at the battery, how long and how often. [A, s]"""

    excess_a: float
    duration_s: float
    period_s: float
    offset_s: float

    def active_s(self, window_s: float) -> float:
        """Return for how long at most it is active within a window. [s]"""
        whole = math.floor(window_s / self.period_s * (1 + ROUNDING))
        return min(window_s, whole * self.duration_s + min(self.duration_s, max(0.0, window_s - whole * self.period_s)))


class _State:
    """The greatest currents of a supply in standby or in alarm: a rest current, and the bursts on top of it by load."""

    def __init__(self, case: Case, *, in_alarm: bool) -> None:
        self.in_alarm = in_alarm
        supply, bank = case.supply, case.bank
        self._lowest_v = _lowest_v(supply, bank)
        self._highest_v = max(supply.charge_v or 0.0, bank.full_v)
        own = supply.own_draw
        if isinstance(supply.output, AcOutput):
            own = own._replace(power_w=supply.output.greatest_burns_w)
        self.rest_a = self._at_battery_a(own)
        self.rows: list[tuple[_Row, ...]] = []
        for load in case.loads:
            climate = case.climate_of(load)
            self._add(worst_currents(expected_currents(load, climate), climate))

    def _at_battery_a(self, draw: Draw) -> float:
        return draw.current_a + draw.power_w / self._lowest_v + draw.conductance_siemens * self._highest_v

    def _add(self, currents: LoadCurrents) -> None:
        load = currents.load
        per_amp_a = load.quantity * self._at_battery_a(load.draw_per_amp)
        stated_a = currents.alarm_current_a if self.in_alarm else currents.standby_current_a
        # Whatever a thermostat may switch on is on, and as uncertain as the standby current beside it.
        heats_a = sum(t.current_a + burst_limit_a(load, t.current_a) for t in load.thermostats)
        rest_a = stated_a + heats_a + load.recharge_peak_a
        self.rest_a += per_amp_a * rest_a
        levels = burst_levels_a(currents, in_alarm=self.in_alarm)
        rows = [
            _Row(per_amp_a * (level_a - stated_a), burst.duration_s, SECONDS_PER_HOUR / burst.per_hour, burst.offset_s)
            for burst, level_a in zip(load.bursts, levels, strict=True)
            if level_a is not None and level_a > stated_a and burst.per_hour > 0 and burst.duration_s > 0
        ]
        if rows:
            self.rows.append(tuple(sorted(rows, key=lambda row: -row.excess_a)))

    @cached_property
    def _merged(self) -> list[tuple[_Row, ...]]:
        """The rows with loads that pulse alike made one."""
        alone: dict[tuple[float, float], float] = {}
        others: list[tuple[_Row, ...]] = []
        for rows in self.rows:
            if len(rows) == 1:
                key = (rows[0].duration_s, rows[0].period_s)
                alone[key] = alone.get(key, 0.0) + rows[0].excess_a
            else:
                others.append(rows)
        return [*((_Row(excess_a, *key, 0.0),) for key, excess_a in alone.items()), *others]

    def greatest_rms_a(self, window_s: float) -> float:
        """Return the greatest effective current of any window of time. [A, s]

        Each load is at its highest levels for as long as it can be within the window, and those times lie within one another: no other way
        of placing them heats more, since ∫(Σ i)² is greatest where all rise and fall together.
        """
        heights, widths = self._layers(window_s)
        order = np.argsort(widths)
        heights, widths = heights[order], widths[order]
        # Between two widths all layers that are wider flow together.
        above = np.cumsum(heights[::-1])[::-1]
        spans = np.diff(np.concatenate(([0.0], widths)))
        square = float(np.sum(spans * (self.rest_a + above) ** 2)) if len(widths) else 0.0
        left_s = window_s - (float(widths[-1]) if len(widths) else 0.0)
        return math.sqrt((square + left_s * self.rest_a**2) / window_s)

    def _layers(self, window_s: float) -> tuple[np.ndarray, np.ndarray]:
        """Return each load's bursts as layers on top of each other: how high, and for how long of the window. [A, s], shape (n_layers,)"""
        heights: list[float] = []
        widths: list[float] = []
        for rows in self._merged:
            active_s = 0.0
            for row, below in itertools.zip_longest(rows, rows[1:]):
                active_s = min(window_s, active_s + row.active_s(window_s))
                heights.append(row.excess_a - (below.excess_a if below else 0.0))
                widths.append(active_s)
        return np.array(heights), np.array(widths)

    def pulses(self) -> list[Pulse]:
        """Return the pulses a fuse must carry: every burst with all that coincides with it, and rows of bursts with short pauses as one."""
        windows_s = sorted({w for rows in self._merged for w in _windows_s(rows) if w < CONTINUOUS_S})
        step_ratio = 1.0 if len(windows_s) <= MOST_WINDOWS else GRID_RATIO
        return [
            # Of lengths that are nearly alike, the current of the shortest is taken to last as long as the longest.
            Pulse(current_a=self.greatest_rms_a(alike[0]), duration_s=alike[-1], in_alarm=self.in_alarm)
            for alike in _alike(windows_s, step_ratio)
        ]


def _windows_s(rows: Sequence[_Row]) -> Iterator[float]:
    """Yield the lengths of one load's bursts alone, and of rows of them whose pauses are under ten seconds. [s]"""
    for row in rows:
        yield row.duration_s
        if row.period_s - row.duration_s < PAUSE_S:
            yield from ((count - 1) * row.period_s + row.duration_s for count in ROW_COUNTS)
    if len(rows) < 2:
        return
    periods_s = {row.period_s for row in rows}
    if len(periods_s) > 1:
        # Their phases wander, so any of them may follow the other at once.
        yield from (a.duration_s + b.duration_s for a, b in itertools.combinations(rows, 2))
        yield sum(row.duration_s for row in rows)
        return
    (period_s,) = periods_s
    by_start = sorted(rows, key=lambda row: row.offset_s % period_s)
    for first in range(len(by_start)):
        start_s = by_start[first].offset_s % period_s
        end_s = start_s + by_start[first].duration_s
        for n in range(first + 1, first + len(by_start)):
            row = by_start[n % len(by_start)]
            begin_s = row.offset_s % period_s + (period_s if n >= len(by_start) else 0.0)
            if begin_s - end_s >= PAUSE_S:
                break
            end_s = max(end_s, begin_s + row.duration_s)
            yield end_s - start_s


def _alike(windows_s: Sequence[float], step_ratio: float) -> Iterator[list[float]]:
    """Yield rising lengths of time in groups, each no longer than its first by so much. [s]"""
    group: list[float] = []
    for window_s in windows_s:
        if group and window_s > group[0] * step_ratio:
            yield group
            group = []
        group.append(window_s)
    if group:
        yield group


def sold_fuse_v(bears_v: float) -> float | None:
    """Return the smallest DC voltage that fuses are sold for and that bears so much; None above the largest. [V]"""
    return next((v for v in SOLD_FUSE_V if v >= bears_v * (1 - ROUNDING)), None)
