"""What an output does when so little hangs on it that it takes the load for gone: it switches off, or sleeps between bursts.

Asked of the load at rest. A burst that lifts the output over the limit keeps it awake, where no pause between such bursts is as long as the
output waits.
"""

from collections.abc import Callable
from dataclasses import dataclass

from ypomoni.core.outage.demand import MOST_EDGES_OF_PATTERN, LoadCurrents, Timeline, build_timeline, rest_draw, total_draw
from ypomoni.core.things.loads import NO_DRAW, Draw, During
from ypomoni.core.things.outputs import AcOutput, DcOutput
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import SECONDS_PER_HOUR

ROUNDING_RATIO = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class LightLoad:
    """A load too light for its output. ``amount``, what is drawn at rest, and ``allowed``, the least it takes for a load, are in W on AC and in A on DC.

    ``ends_at_h`` is when essential loads lose their supply in standby; None: they do not. ``ends_alarm``: standby is borne, but an alarm
    lasts longer than so little is. ``sleeps_between_bursts``: nothing essential draws at rest, so it only sleeps; ``after_h`` is how long it waits. [h]
    """

    amount: float
    allowed: float
    after_h: float
    ends_at_h: float | None = None
    ends_alarm: bool = False
    sleeps_between_bursts: bool = False
    wakes: bool = True


def light_load_of(supply: Supply, currents: tuple[LoadCurrents, ...], alarm_h: float) -> LightLoad | None:
    """Return what a light load makes of a supply's output; None where it goes on as if nothing were."""
    output = supply.output
    if isinstance(output, AcOutput):
        return _of_inverter(output, currents, alarm_h)
    return _of_converter(supply, output, currents, alarm_h) if isinstance(output, DcOutput) else None


def _of_inverter(output: AcOutput, currents: tuple[LoadCurrents, ...], alarm_h: float) -> LightLoad | None:
    limit_w = output.light_load_off_w
    if limit_w is None:
        return None

    def given_w(draw: Draw) -> float:
        return draw.power_w * output.efficiency_ratio

    after_h = output.off_after_h
    pause = _first_pause_h(_line(currents, in_alarm=False), given_w, limit_w, after_h)
    ends_alarm = _is_cut(_line(currents, in_alarm=True), given_w, limit_w, after_h, alarm_h)
    if pause is None and not ends_alarm:
        return None
    rest_w = given_w(total_draw(rest_draw(c, in_alarm=pause is None) for c in currents))
    ends_at_h = None if pause is None else after_h
    return LightLoad(amount=rest_w, allowed=limit_w, after_h=after_h, ends_at_h=ends_at_h, ends_alarm=pause is None)


def _of_converter(supply: Supply, output: DcOutput, currents: tuple[LoadCurrents, ...], alarm_h: float) -> LightLoad | None:
    limit_a = output.sleep_below_a
    if limit_a is None:
        return None

    def given_a(draw: Draw) -> float:
        return draw.power_w * output.efficiency_ratio / output.output_v if output.efficiency_ratio else draw.at_nominal_a(supply.nominal_v)

    def rests_a(*, in_alarm: bool, essential: bool) -> float:
        return given_a(total_draw(rest_draw(c, in_alarm=in_alarm) for c in currents if c.load.essential or not essential))

    after_h = output.sleep_after_s / SECONDS_PER_HOUR
    standby = _line(currents, in_alarm=False)
    needs_alarm = rests_a(in_alarm=True, essential=True) > 0
    ends_alarm = needs_alarm and _is_cut(_line(currents, in_alarm=True), given_a, limit_a, after_h, alarm_h)
    pause = _first_pause_h(standby, given_a, limit_a, after_h)
    rest_a = rests_a(in_alarm=pause is None, essential=False)
    if pause is None:
        return LightLoad(amount=rest_a, allowed=limit_a, after_h=after_h, ends_alarm=True) if ends_alarm else None
    asleep_h = pause + after_h
    if rests_a(in_alarm=False, essential=True) > 0:
        return LightLoad(amount=rest_a, allowed=limit_a, after_h=after_h, ends_at_h=asleep_h)
    # Asleep it costs next to nothing, and the next burst wakes it: the loads miss nothing.
    if output.wakes_on_load:
        return LightLoad(amount=rest_a, allowed=limit_a, after_h=after_h, ends_alarm=ends_alarm, sleeps_between_bursts=True)
    # Nothing wakes it: the next essential burst finds no supply.
    missed_h = [
        min(e for e in _starts_from(b.offset_s / SECONDS_PER_HOUR, 1.0 / b.per_hour, asleep_h))
        for c in currents
        if c.load.essential
        for b in c.load.bursts
        if b.during is During.ALWAYS and b.per_hour > 0
    ]
    ends_at_h = min(missed_h, default=None)
    return LightLoad(
        amount=rest_a,
        allowed=limit_a,
        after_h=after_h,
        ends_at_h=ends_at_h,
        ends_alarm=ends_alarm,
        sleeps_between_bursts=ends_at_h is None,
        wakes=False,
    )


def _starts_from(offset_h: float, period_h: float, from_h: float) -> tuple[float, ...]:
    """Return the first start of a burst at or after a time. [h]"""
    n = max(0, int((from_h - offset_h) / period_h))
    return tuple(t for t in (offset_h + m * period_h for m in (n, n + 1)) if t >= from_h) or (from_h,)


def _line(currents: tuple[LoadCurrents, ...], *, in_alarm: bool) -> Timeline:
    return build_timeline(currents, NO_DRAW, in_alarm=in_alarm)


def _is_cut(line: Timeline, given: Callable[[Draw], float], limit: float, after_h: float, alarm_h: float) -> bool:
    """Say whether an alarm is longer than its output bears so little."""
    return alarm_h > after_h and _first_pause_h(line, given, limit, after_h) is not None


def _first_pause_h(line: Timeline, given: Callable[[Draw], float], limit: float, after_h: float) -> float | None:
    """Return when the first stretch begins in which the output stays under a limit for so long; None where there is none. [h]"""
    if given(line.base) >= limit * (1 - ROUNDING_RATIO):
        return None
    if not line.trains:
        return 0.0
    # After two periods and one wait every pause there is has been seen.
    until_h = line.settled_h + 2.0 * line.common_period_h + after_h
    until_h = min(until_h, line.settled_h + after_h + MOST_EDGES_OF_PATTERN / line.edges_per_hour)
    begins_h: float | None = None
    stretches = line.stretches(0.0, until_h)
    for n, (t, *draw) in enumerate(stretches):
        end_h = stretches[n + 1][0] if n + 1 < len(stretches) else until_h
        if given(Draw(*draw)) >= limit * (1 - ROUNDING_RATIO):
            # A burst that lifts the output over its limit begins the wait anew.
            begins_h = None
            continue
        begins_h = t if begins_h is None else begins_h
        if end_h - begins_h >= after_h * (1 - ROUNDING_RATIO):
            return begins_h
    return None
