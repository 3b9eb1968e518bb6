"""Why a played outage ends, in words with its figures."""

from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import LoadCurrents, Timeline, contribution
from ypomoni.core.outage.ending import CHARGE_LEFT_RATIO, EndFacts, cause_of_end
from ypomoni.core.outage.ends import End
from ypomoni.core.outage.law import terminal
from ypomoni.core.outage.play import EndInstant, Event, Mark, Played
from ypomoni.core.outage.playing import Conditions, play_supply, timelines_under
from ypomoni.core.telling.results import LimitedBy
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent
from ypomoni.core.things.loads import Cable

# With so much of the head there, not the charge but the resistance ends it.
HEAD_LEFT_RATIO = 0.4


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
    LIGHT_LOAD = "light_load"
    OUTLASTS = "outlasts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Why:
    """Why an outage ends, in words with its figures; ``overload`` says what would end it sooner."""

    code: WhyCode
    text: str
    overload: str = ""


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
    standby, alarm = timelines_under(case, conditions)
    timeline = alarm if event.in_alarm else standby
    rest_v = terminal(end.pack, end.u_ah, end.d_ah, *timeline.base)[1]
    bursts = active_bursts(case.followed, event.t_h, in_alarm=event.in_alarm)
    cause, lowered_h = cause_of_end(
        EndFacts(
            t_h=event.t_h,
            collapses=event.mark is Mark.COLLAPSE,
            switched_off=event.mark is Mark.LIGHT_LOAD,
            at_end_voltage=event.mark is Mark.END_VOLTAGE,
            in_burst=bool(bursts) and rest_v >= _limit_at_rest_v(case, event),
            in_alarm=event.in_alarm,
            charge_left_ratio=event.charge_left_ratio,
            evenly_spread_h=lambda: play_supply(case, conditions, evenly_spread=True, until_end=True).lasts_h,
            lowered_h=lambda: _lowered_h(case, conditions, event),
        )
    )
    words = _Words(event=event, end=end)
    if cause is LimitedBy.LIGHT_LOAD:
        return WhyCode.LIGHT_LOAD, words.of_light_load()
    if cause is LimitedBy.VOLTAGE_COLLAPSE:
        return WhyCode.COLLAPSE, words.of_collapse()
    if cause is LimitedBy.BURST:
        return WhyCode.BURST, words.of_burst(bursts, rest_v)
    # A cable that starves its load is told as such, though the limit that was crossed is that load's own.
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

    def of_light_load(self) -> str:
        """Say that the output switches off with the charge still there."""
        return (
            f"{self._at} the output switches off, since so little hangs on it. {self._left} of the charge is left in the battery, "
            "and the loads are dark all the same."
        )

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
        # Each load by itself: in the sum nobody could tell whose burst it is.
        single = Timeline(*contribution(c, in_alarm=in_alarm))
        i, p, s = single.stretches(t_h, t_h + 1e-6)[0][1:]
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
    return play_supply(case, replace(conditions, cutoff_v=needed_v), until_end=True).lasts_h


def _overload(case: Case, *, in_alarm: bool) -> str:
    supply = case.supply
    limit_a = supply.output_limit_of(in_alarm=in_alarm)
    peak_a = case.peak_current_a(in_alarm=in_alarm)
    if limit_a is None or peak_a <= limit_a:
        return ""
    state = "in alarm" if in_alarm else "in standby"
    return f"Up to {say_amps(peak_a)} {state} is more than the {say_amps(limit_a)} it can give. All of this counts only if it does not shut down."
