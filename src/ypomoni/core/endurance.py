"""One supply's outage under conditions of one's choice, and why it ends, in words."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.batteries import Pack, build_pack
from ypomoni.core.case import Case, ThresholdOrigin
from ypomoni.core.ending import CHARGE_LEFT_RATIO, EndFacts, cause_of_end
from ypomoni.core.loads import Cable
from ypomoni.core.results import LimitedBy, LowBatteryWarning
from ypomoni.core.simulation import LoadCurrents, Timeline
from ypomoni.core.simulation.demand import Floor, contribution
from ypomoni.core.simulation.ends import End
from ypomoni.core.simulation.play import MOST_PIECES, DayCurve, EndInstant, Event, Limit, Mark, Played, Player
from ypomoni.core.simulation.run import HORIZON_H
from ypomoni.core.simulation.state import terminal
from ypomoni.core.wording import plain_number, say_amps, say_hours, say_percent

# With so much of the head there, not the charge but the resistance ends it.
HEAD_LEFT_RATIO = 0.4
SHARE_BEYOND_RATIO = 1.6


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditions:
    """What an outage is played under; None is as it is: today's condition, the typical temperature.

    ``alarm_at_h`` None plays no alarm; ``start_ratio`` is how full the bank is, of its present capacity.
    """

    condition_ratio: float | None = None
    mean_degc: float | None = None
    swing_degc: float = 0.0
    failure_hour_h: float = 18.0
    alarm_at_h: float | None = None
    alarm_h: float = 0.0
    # None: as full as its charger makes it.
    start_ratio: float | None = None
    cutoff_v: float | None = None


class WhyCode(StrEnum):
    """What ends an outage."""

    CAPACITY = "capacity"
    BURST = "burst"
    ALARM = "alarm"
    CUTOFF_HIGH = "cutoff_high"
    CABLE = "cable"
    OVERLOAD = "overload"
    COLLAPSE = "voltage_collapse"
    END_VOLTAGE = "end_voltage"
    OUTLASTS = "outlasts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Why:
    """Why an outage ends, in words with its figures; ``overload`` says what would end it sooner."""

    code: WhyCode
    text: str
    overload: str = ""


def play_supply(
    case: Case, conditions: Conditions, *, until_h: float | None = None, evenly_spread: bool = False, until_end: bool = False
) -> Played:
    """Return the outage of a supply that has a bank and draws something, played under conditions.

    Parameters
    ----------
    until_h
        Play no further than this; without it until the supply cuts off or the bank is at its end voltage. [h]
    evenly_spread
        Play every burst as its average over its period.
    until_end
        Play no further than the end of the equipment, and note nothing before it but the low-battery warning: all that hours need.

    Raises
    ------
    OutsideTableError
        If the temperature leaves the chemistry's rows at any hour.
    """
    mean_degc = case.supply.typical_degc if conditions.mean_degc is None else conditions.mean_degc
    curve = DayCurve(mean_degc=mean_degc, swing_degc=conditions.swing_degc, failure_hour_h=conditions.failure_hour_h)
    pack_at = _packs(case, conditions)
    for degc in (mean_degc - conditions.swing_degc, mean_degc + conditions.swing_degc):
        pack_at(degc)
    standby, alarm = _timelines(case, conditions)

    limits = limits_of(case, conditions.cutoff_v, evenly_spread=evenly_spread)
    if until_end:
        limits = [replace(n, ends_run=n.ends_equipment) for n in limits if n.ends_equipment or n.mark is Mark.WARNING]

    def played(longest_h: float, averaged_until_h: float) -> Played:
        player = Player(
            pack_at,
            standby,
            alarm,
            limits,
            curve,
            alarm_at_h=conditions.alarm_at_h,
            alarm_h=conditions.alarm_h,
            start_ratio=starts_at_ratio(case, conditions),
            until_h=longest_h,
        )
        return player.play(averaged_until_h)

    # With every burst spread evenly it lasts at least about as long: so far it is looked ahead.
    longest_h = HORIZON_H if until_h is None else until_h
    if until_h is None:
        longest_h = min(HORIZON_H, SHARE_BEYOND_RATIO * _lasts_about_h(case, pack_at(mean_degc), conditions))
    if evenly_spread:
        return played(longest_h, longest_h)
    edges_count = standby.edges_per_hour * longest_h
    if edges_count <= MOST_PIECES:
        return played(longest_h, 0.0)
    averaged = played(longest_h, longest_h)
    about_h = averaged.end.t_h if averaged.end else averaged.until_h
    window_h = MOST_PIECES / standby.edges_per_hour
    for times in (0.8, 2.0, 4.0, 8.0):
        begin_h = max(0.0, about_h - times * window_h)
        found = played(min(longest_h, about_h + window_h), begin_h)
        if begin_h == 0.0 or (found.end and found.end.t_h > begin_h + 0.1 * window_h):
            break
    return found


def starts_at_ratio(case: Case, conditions: Conditions) -> float:
    """Return how full the bank is when the outage begins, of its present capacity. [ratio]"""
    return case.supply.starts_at_ratio if conditions.start_ratio is None else conditions.start_ratio


def _timelines(case: Case, conditions: Conditions) -> tuple[Timeline, Timeline]:
    """Return the demand in standby and in alarm: in the cold with thermostats as on the coldest days."""
    is_cold = conditions.mean_degc is not None and conditions.mean_degc <= case.supply.min_degc
    return case.timelines(cold=is_cold)


def _packs(case: Case, conditions: Conditions) -> Callable[[float], Pack]:
    condition_ratio = case.condition_today_ratio if conditions.condition_ratio is None else conditions.condition_ratio

    def pack_at(degc: float) -> Pack:
        return build_pack(case.bank, condition_ratio=condition_ratio, temperature_degc=degc)

    return pack_at


def _lasts_about_h(case: Case, pack: Pack, conditions: Conditions) -> float:
    """Return how long the charge would last at the average standby current. [h]"""
    mean_v = 0.5 * (pack.ocv_knots_v[0] + pack.ocv_knots_v[-1])
    current_a = case.mean_draw(in_alarm=False).at_nominal_a(mean_v) + pack.self_a
    hours_h = HORIZON_H if current_a <= 0 else pack.capacity_ah * starts_at_ratio(case, conditions) / current_a
    return max(hours_h, 0.05)


def limits_of(case: Case, cutoff_v: float | None = None, *, evenly_spread: bool = False) -> list[Limit]:
    """Return every voltage worth watching: the warning, each load's least one with its cable, the cut-off, the battery's own end."""
    supply = case.supply
    found: list[Limit] = []
    if supply.low_battery_v is not None:
        found.append(_fixed(Mark.WARNING, f"low-battery warning of {supply.name}", supply.low_battery_v))
    end_v, cutoff_v = case.bank.end_v, supply.cutoff_v if cutoff_v is None else cutoff_v
    own_v = case.bank.own_cutoff_v
    disconnects_v = max([v for v in (cutoff_v, own_v) if v is not None], default=None)
    needing = [c for c in case.currents if c.load.battery_min_v is not None]
    last = None
    if disconnects_v is None:
        # Nothing disconnects, so it is played until the last essential load is lost, be that below the battery's own end voltage.
        essential = [c for c in needing if c.load.essential]
        last = min(essential, key=lambda c: c.load.battery_min_v or 0.0, default=None)
        last = last if last is not None and (last.load.battery_min_v or 0.0) < end_v else None
    found += [_limit_of_load(c, ends_run=c is last, evenly_spread=evenly_spread) for c in needing]
    if cutoff_v is not None:
        found.append(_fixed(Mark.CUTOFF, f"cut-off of {supply.name}", cutoff_v, ends_equipment=True, ends_run=True))
    if own_v is not None:
        found.append(_fixed(Mark.CUTOFF, "battery's own cut-off", own_v, ends_equipment=True, ends_run=True))
    if disconnects_v is None or disconnects_v < end_v:
        is_chemistry = case.threshold.origin is ThresholdOrigin.CHEMISTRY
        ends = disconnects_v is None and last is None
        found.append(_fixed(Mark.END_VOLTAGE, "end voltage of the battery", end_v, ends_equipment=is_chemistry, ends_run=ends))
    return found


def _limit_of_load(c: LoadCurrents, *, ends_run: bool, evenly_spread: bool) -> Limit:
    """Return the least voltage of a load that states one: at the battery, so with what its cable loses just then."""
    load, min_v = c.load, c.load.battery_min_v or 0.0
    if load.cable_ohm <= 0:
        return _fixed(Mark.LOAD_LOST, load.name, min_v, ends_equipment=load.essential, ends_run=ends_run)
    drawn = [contribution(c, in_alarm=state, averaged=evenly_spread) for state in (False, True)]
    pair = tuple(Floor(load.name, min_v, load.cable_ohm, *draw) for draw in drawn)
    return Limit(mark=Mark.LOAD_LOST, owner=load.name, at_v=_floor_of(pair), ends_equipment=load.essential, ends_run=ends_run)


def _fixed(mark: Mark, owner: str, limit_v: float, *, ends_equipment: bool = False, ends_run: bool = False) -> Limit:
    return Limit(mark=mark, owner=owner, at_v=lambda _t, _alarm: limit_v, ends_equipment=ends_equipment, ends_run=ends_run)


def _floor_of(pair: tuple[Floor, ...]) -> Callable[[float, bool], float]:
    return lambda t, in_alarm: pair[1 if in_alarm else 0].floor_v(t)


# -- why it ends -----------------------------------------------------------------------------------------------------------------------


def why_it_ends(case: Case, conditions: Conditions, played: Played) -> Why:
    """Return why a played outage ends."""
    end = played.end
    overload = _overload(case, in_alarm=end.event.in_alarm if end else False)
    if end is None:
        return Why(code=WhyCode.OUTLASTS, text=f"It outlasts the {say_hours(played.until_h)} that were played.", overload=overload)
    code, text = _why(case, conditions, end)
    return Why(code=code, text=text, overload=overload)


def _why(case: Case, conditions: Conditions, end: EndInstant) -> tuple[WhyCode, str]:
    """Return the cause, which `cause_of_end` finds, and its words. Cable and overload are the narrower cases of a bank that gives no more."""
    event = end.event
    standby, alarm = _timelines(case, conditions)
    timeline = alarm if event.in_alarm else standby
    rest_v = terminal(end.pack, end.u_ah, end.d_ah, *timeline.base)[1]
    bursts = active_bursts(case.currents, event.t_h, in_alarm=event.in_alarm)
    cause, lowered_h = cause_of_end(
        EndFacts(
            t_h=event.t_h,
            collapses=event.mark is Mark.COLLAPSE,
            at_end_voltage=event.mark is Mark.END_VOLTAGE,
            in_burst=bool(bursts) and rest_v >= _limit_at_rest_v(case, event),
            in_alarm=event.in_alarm,
            charge_left_ratio=event.charge_left_ratio,
            evenly_spread_h=lambda: _end_h(play_supply(case, conditions, evenly_spread=True, until_end=True)),
            lowered_h=lambda: _lowered_h(case, conditions, event),
        )
    )
    words = _Words(event=event, end=end)
    if cause is LimitedBy.VOLTAGE_COLLAPSE:
        return WhyCode.COLLAPSE, words.of_collapse()
    if cause is LimitedBy.BURST:
        return WhyCode.BURST, words.of_burst(bursts, rest_v)
    lost = next((load for load in case.loads if load.name == event.owner and load.cable), None)
    if event.mark is Mark.LOAD_LOST and lost is not None and lost.cable is not None and lost.min_v is not None:
        return WhyCode.CABLE, words.of_cable(lost.cable, lost.min_v)
    if cause is LimitedBy.CUTOFF_HIGH and lowered_h is not None:
        return WhyCode.CUTOFF_HIGH, words.of_high_cutoff(case, lowered_h)
    if cause is LimitedBy.ALARM:
        return WhyCode.ALARM, words.of_alarm()
    if words.is_overload:
        return WhyCode.OVERLOAD, words.of_overload()
    code = WhyCode.END_VOLTAGE if cause is LimitedBy.END_VOLTAGE else WhyCode.CAPACITY
    return code, words.of_spent_charge()


def _limit_at_rest_v(case: Case, event: Event) -> float:
    """Return the limit that ended it as it is between bursts: a cable loses next to nothing then. [V]"""
    lost = next((load for load in case.loads if event.mark is Mark.LOAD_LOST and load.name == event.owner), None)
    return (lost.battery_min_v if lost else event.limit_v) or 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class _Words:
    """An end in words, with its figures."""

    event: Event
    end: EndInstant

    @property
    def _at(self) -> str:
        return f"After {say_hours(self.event.t_h)}"

    @property
    def _at_or_at_once(self) -> str:
        return self._at if self.event.t_h > 0 else "At once"

    @property
    def _left(self) -> str:
        return say_percent(self.event.charge_left_ratio)

    @property
    def _limit_v(self) -> float:
        return self.event.limit_v or 0.0

    @property
    def _whose(self) -> str:
        return f"the least that {self.event.owner} needs" if self.event.mark is Mark.LOAD_LOST else f"the {self.event.owner}"

    @property
    def _head_ratio(self) -> float:
        return 1.0 - (self.end.u_ah + self.end.d_ah) / self.end.pack.capacity_ah

    @property
    def _open_circuit_v(self) -> float:
        return self.end.pack.open_circuit_v(max(self._head_ratio, 0.0))

    @property
    def is_overload(self) -> bool:
        """Whether the limit lies above what the battery shows at rest, or its resistance alone brings it there."""
        return self._open_circuit_v < self._limit_v or self._head_ratio > HEAD_LEFT_RATIO

    def of_collapse(self) -> str:
        """Say that power loads ask for more than there is."""
        return (
            f"{self._at} the voltage collapses. As it falls, the power loads ask for more current, and at {plain_number(self.event.terminal_v)} V "
            f"the battery cannot give that much. {self._left} of its charge is left."
        )

    def of_burst(self, bursts: list[tuple[str, float]], rest_v: float) -> str:
        """Say which burst does it."""
        names, current_a = _named(bursts)
        return (
            f"{self._at} the {say_amps(current_a)} burst of {' and '.join(names)} pulls the terminals to {plain_number(self._limit_v, 4)} V, "
            f"{self._whose}. {self._left} of the charge is left. At rest they would still show {plain_number(rest_v)} V."
        )

    def of_cable(self, cable: Cable, min_v: float) -> str:
        """Say what a cable loses of what the load at its end needs."""
        return (
            f"{self._at} {self.event.owner} gets too little voltage through {plain_number(cable.length_m)} m of "
            f"{plain_number(cable.section_mm2)} mm². It needs {plain_number(min_v, 4)} V, its cable loses "
            f"{plain_number(self._limit_v - min_v, 2)} V, and the battery gives {plain_number(self.event.terminal_v, 4)} V. "
            f"{self._left} of its charge is left."
        )

    def of_high_cutoff(self, case: Case, lowered_h: float) -> str:
        """Say what the cut-off wastes."""
        return (
            f"{self._at} {case.supply.name} cuts off at {plain_number(self._limit_v, 4)} V with {self._left} of the charge left. Its equipment "
            f"and battery need only {plain_number(case.needed_v, 4)} V. That wastes {say_hours(lowered_h - self.event.t_h)}."
        )

    def of_alarm(self) -> str:
        """Say that the alarm's current does it."""
        return (
            f"{self._at} the alarm's {say_amps(self.event.current_a)} pulls the terminals to {plain_number(self._limit_v, 4)} V, {self._whose}. "
            f"{self._left} of the charge is left."
        )

    def of_overload(self) -> str:
        """Say that it is over before the charge is spent: the limit is too high, or the current too great."""
        if self._open_circuit_v < self._limit_v:
            return (
                f"{self._at_or_at_once} it is over. {self._whose[0].upper() + self._whose[1:]} is {plain_number(self._limit_v, 4)} V. This battery "
                f"shows {plain_number(self._open_circuit_v)} V at rest with {self._left} of its charge."
            )
        return (
            f"{self._at_or_at_once} {say_amps(self.event.current_a)} is too much for this battery. Its resistance alone takes the terminals to "
            f"{plain_number(self._limit_v, 4)} V, {self._whose}. {self._left} of the charge is left."
        )

    def of_spent_charge(self) -> str:
        """Say that the charge is spent, or as much of it as this current can draw."""
        if self.event.charge_left_ratio > CHARGE_LEFT_RATIO:
            return (
                f"{self._at} the battery gives no more at {say_amps(self.event.current_a)}: {self._left} of its charge is left, but it cannot give "
                f"that at this current. The terminals reach {plain_number(self._limit_v, 4)} V, {self._whose}."
            )
        return (
            f"{self._at} the charge is spent. {self._left} is left. At {say_amps(self.event.current_a)} the terminals reach "
            f"{plain_number(self._limit_v, 4)} V, {self._whose}."
        )


def _named(bursts: list[tuple[str, float]]) -> tuple[tuple[str, ...], float]:
    strongest = sorted(bursts, key=lambda b: -b[1])
    return tuple(dict.fromkeys(name for name, _ in strongest[:2])), sum(current_a for _, current_a in strongest)


def named_bursts(currents: tuple[LoadCurrents, ...], end: End) -> tuple[tuple[str, ...], float]:
    """Return the loads whose bursts were active at an end, the strongest first, and what they take together. [A]"""
    return _named(active_bursts(currents, end.t_h, in_alarm=end.in_alarm))


def active_bursts(currents: tuple[LoadCurrents, ...], t_h: float, *, in_alarm: bool) -> list[tuple[str, float]]:
    """Return the name and battery-side current at the rail's nominal of every burst that is active just after a time. [A]"""
    found: list[tuple[str, float]] = []
    for c in currents:
        single = Timeline(*contribution(c, in_alarm=in_alarm))
        i, p, s = single.pieces(t_h, t_h + 1e-6)[0][1:]
        if (i, p, s) != tuple(single.base) and sum((i, p, s)) > sum(single.base):
            found.append((c.load.name, i + p / c.load.rail_v + s * c.load.rail_v))
    return found


def _lowered_h(case: Case, conditions: Conditions, event: Event) -> float | None:
    """Return how long it lasts with the cut-off lowered to what is needed; None where it is as low, or not what ended it. [h]"""
    if event.mark is not Mark.CUTOFF or conditions.cutoff_v is not None:
        return None
    needed_v = case.needed_v
    if event.limit_v is None or event.limit_v <= needed_v + 1e-6 or event.t_h <= 0:
        return None
    return _end_h(play_supply(case, replace(conditions, cutoff_v=needed_v), until_end=True))


def _end_h(played: Played) -> float:
    return played.end.t_h if played.end else played.until_h


def _overload(case: Case, *, in_alarm: bool) -> str:
    supply = case.supply
    limit_a = supply.output_limit_of(in_alarm=in_alarm)
    peak_a = case.peak_current_a(in_alarm=in_alarm)
    if limit_a is None or peak_a <= limit_a:
        return ""
    state = "in alarm" if in_alarm else "in standby"
    return f"Up to {say_amps(peak_a)} {state} is more than the {say_amps(limit_a)} it can give. All of this counts only if it does not shut down."


# -- warning ---------------------------------------------------------------------------------------------------------------------------


def low_battery_warning(case: Case) -> LowBatteryWarning | None:
    """Return the time from the low-battery warning to the end, in standby and in an alarm that starts as it comes; None without one."""
    if case.supply.low_battery_v is None or case.draws_nothing:
        return None
    played = play_supply(case, Conditions(), until_end=True)
    warned = next((e for e in played.events if e.mark is Mark.WARNING), None)
    if warned is None:
        return None
    end_h = _end_h(played)
    alarm_end_h = _end_h(play_supply(case, Conditions(alarm_at_h=warned.t_h, alarm_h=HORIZON_H), until_end=True))
    return LowBatteryWarning(at_h=warned.t_h, standby_h=max(0.0, end_h - warned.t_h), alarm_h=max(0.0, alarm_end_h - warned.t_h))


def losses(played: Played) -> tuple[Event, ...]:
    """Return the loads lost, in order, with the cut-off that takes the rest."""
    return tuple(e for e in played.events if e.mark in (Mark.LOAD_LOST, Mark.CUTOFF, Mark.COLLAPSE, Mark.END_VOLTAGE))
