"""One supply's outage played under conditions of one's choice, and the time its low-battery warning leaves."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from ypomoni.core.outage.case import Case, ThresholdOrigin
from ypomoni.core.outage.demand import Floor, LoadCurrents, Timeline, contribution
from ypomoni.core.outage.play import MOST_STRETCHES, DayCurve, Event, Mark, Played, Player, WatchedVoltage
from ypomoni.core.outage.run import HORIZON_H
from ypomoni.core.things.batteries import Pack, build_pack

# How much further than its charge would last at the mean current an outage is looked ahead.
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
    # Asked at both ends of the day, so that a temperature without a row is refused before anything is played.
    for degc in (mean_degc - conditions.swing_degc, mean_degc + conditions.swing_degc):
        pack_at(degc)
    standby, alarm = timelines_under(case, conditions)

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
            switches_off=_switches_off(case, conditions),
        )
        return player.play(averaged_until_h)

    # With every burst spread evenly it lasts at least about as long: so far it is looked ahead.
    longest_h = HORIZON_H if until_h is None else until_h
    if until_h is None:
        longest_h = min(HORIZON_H, SHARE_BEYOND_RATIO * _lasts_about_h(case, pack_at(mean_degc), conditions))
    if evenly_spread:
        return played(longest_h, longest_h)
    edges_count = standby.edges_per_hour * longest_h
    if edges_count <= MOST_STRETCHES:
        return played(longest_h, 0.0)
    averaged = played(longest_h, longest_h)
    about_h = averaged.lasts_h
    window_h = MOST_STRETCHES / standby.edges_per_hour
    # The averaged end only says about where to look: where the true one lies before the window, a wider one is tried.
    for times in (0.8, 2.0, 4.0, 8.0):
        begin_h = max(0.0, about_h - times * window_h)
        found = played(min(longest_h, about_h + window_h), begin_h)
        if begin_h == 0.0 or (found.end and found.end.t_h > begin_h + 0.1 * window_h):
            break
    return found


def _switches_off(case: Case, conditions: Conditions) -> tuple[float, str] | None:
    """Return when the output switches off for want of load, and whose it is; an alarm that comes before keeps it on while it lasts. [h]"""
    light = case.light_load
    if light is None:
        return None
    whose = f"output of {case.supply.name}"
    alarm_at_h = conditions.alarm_at_h if conditions.alarm_h > 0 else None
    if alarm_at_h is not None and alarm_at_h < (light.ends_at_h if light.ends_at_h is not None else HORIZON_H):
        if light.ends_alarm:
            return alarm_at_h + light.after_h, whose
        return None if light.ends_at_h is None else (alarm_at_h + conditions.alarm_h + light.after_h, whose)
    return None if light.ends_at_h is None else (light.ends_at_h, whose)


def starts_at_ratio(case: Case, conditions: Conditions) -> float:
    """Return how full the bank is when the outage begins, of its present capacity. [ratio]"""
    return case.supply.starts_at_ratio if conditions.start_ratio is None else conditions.start_ratio


def timelines_under(case: Case, conditions: Conditions) -> tuple[Timeline, Timeline]:
    """Return the demand in standby and in alarm; a temperature asked at or below the lowest one brings the thermostats of the coldest days."""
    is_cold = conditions.mean_degc is not None and conditions.mean_degc <= case.supply.min_degc
    return case.timelines(cold=is_cold)


def _packs(case: Case, conditions: Conditions) -> Callable[[float], Pack]:
    condition_ratio = case.condition_today_ratio if conditions.condition_ratio is None else conditions.condition_ratio

    def pack_at(degc: float) -> Pack:
        return build_pack(case.bank, condition_ratio=condition_ratio, temperature_degc=degc)

    return pack_at


def _lasts_about_h(case: Case, pack: Pack, conditions: Conditions) -> float:
    """Return how long the charge would last at the average standby current. [h]"""
    mean_v = 0.5 * (pack.empty_v + pack.full_v)
    current_a = case.mean_draw(in_alarm=False).at_nominal_a(mean_v) + pack.self_a
    hours_h = HORIZON_H if current_a <= 0 else pack.capacity_ah * starts_at_ratio(case, conditions) / current_a
    return max(hours_h, 0.05)


def limits_of(case: Case, cutoff_v: float | None = None, *, evenly_spread: bool = False) -> list[WatchedVoltage]:
    """Return every voltage worth watching: the warning, each load's least one with its cable, the cut-off, the battery's own end."""
    supply = case.supply
    found: list[WatchedVoltage] = []
    if supply.low_battery_v is not None:
        found.append(_fixed(Mark.WARNING, f"low-battery warning of {supply.name}", supply.low_battery_v))
    end_v, cutoff_v = case.bank.end_v, supply.cutoff_v if cutoff_v is None else cutoff_v
    own_v, input_v = case.bank.own_cutoff_v, supply.least_input_v
    disconnects_v = max([v for v in (cutoff_v, own_v, input_v) if v is not None], default=None)
    needing = [c for c in case.followed if c.load.battery_min_v is not None]
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
    if input_v is not None:
        found.append(_fixed(Mark.CUTOFF, f"least input of {supply.name}", input_v, ends_equipment=True, ends_run=True))
    if disconnects_v is None or disconnects_v < end_v:
        is_chemistry = case.threshold.origin is ThresholdOrigin.CHEMISTRY
        ends = disconnects_v is None and last is None
        found.append(_fixed(Mark.END_VOLTAGE, "end voltage of the battery", end_v, ends_equipment=is_chemistry, ends_run=ends))
    return found


def _limit_of_load(c: LoadCurrents, *, ends_run: bool, evenly_spread: bool) -> WatchedVoltage:
    """Return the least voltage of a load that states one: at the battery, so with what its cable loses just then."""
    load, min_v = c.load, c.load.battery_min_v or 0.0
    if load.cable_ohm <= 0:
        return _fixed(Mark.LOAD_LOST, load.name, min_v, ends_equipment=load.essential, ends_run=ends_run)
    drawn = [contribution(c, in_alarm=state, averaged=evenly_spread) for state in (False, True)]
    pair = tuple(Floor(load.name, min_v, load.cable_ohm, *draw) for draw in drawn)
    return WatchedVoltage(mark=Mark.LOAD_LOST, owner=load.name, at_v=_floor_of(pair), ends_equipment=load.essential, ends_run=ends_run)


def _fixed(mark: Mark, owner: str, limit_v: float, *, ends_equipment: bool = False, ends_run: bool = False) -> WatchedVoltage:
    return WatchedVoltage(mark=mark, owner=owner, at_v=lambda _t, _alarm: limit_v, ends_equipment=ends_equipment, ends_run=ends_run)


def _floor_of(pair: tuple[Floor, ...]) -> Callable[[float, bool], float]:
    return lambda t, in_alarm: pair[1 if in_alarm else 0].floor_v(t)


def losses(played: Played) -> tuple[Event, ...]:
    """Return the loads lost, in order, with the cut-off that takes the rest."""
    return tuple(e for e in played.events if e.mark in (Mark.LOAD_LOST, Mark.CUTOFF, Mark.COLLAPSE, Mark.END_VOLTAGE, Mark.LIGHT_LOAD))
